/** What windows ask of a program that runs on. */
import { valueText } from '../../runtime/text.js';
import type { Entered, LiveEvent } from '../../session/live/events.js';
import type { ToServer } from '../protocol.js';
import { watchEntries } from './entries.js';
import { rememberEntered } from './entered.js';
import { watchHolding } from './presenters/held.js';
import { LiveSubject } from './live-subject.js';
import type { LiveProgram, Workbench } from './state.js';
import { tellAll, tellSoon } from './telling.js';
import type { PadAbilities } from './subject.js';
import type { Viewer } from './viewer.js';

/** Milliseconds after a change before types are checked. */
const TYPES_MS = 600;

/** Shows a program that runs. */
export function joinProgram(workbench: Workbench, { session }: LiveProgram): void {
  const live = new LiveSubject(session);
  workbench.subject = live;
  let loaded = '';
  live.onRecord((record) => {
    const pads = workbench.fileNames();
    // Pages load modules as they need them.
    if (loaded !== pads.join('\n')) {
      loaded = pads.join('\n');
      workbench.tellAllWindows({ type: 'files', pads, idle: workbench.idleFiles() });
    }
    for (const viewer of workbench.viewers) if (!viewer.serves) tellSoon(workbench, viewer, record);
  });
  live.onEvent((event) => changed(workbench, event));
  live.onClose(watchHolding(workbench, session));
  live.onClose(watchEntries(workbench, session));
}

function changed(workbench: Workbench, event: LiveEvent): void {
  workbench.changes.add(event, (path) => workbench.nameOf(path), new Date());
  workbench.tellAllWindows({ type: 'changes', changes: workbench.changes.changes });
  if (event.kind === 'patched') workbench.types.checkIn(TYPES_MS);
  workbench.watchSources();
}

/** The text of a file as an editor has it. */
export function hold(workbench: Workbench, viewer: Viewer, path: string, text: string): void {
  viewer.held = { path, text };
  const record = workbench.live?.record;
  if (record) tellSoon(workbench, viewer, record);
}

/** The program takes a text that an editor holds. */
export async function apply({ live }: Workbench, { held }: Viewer, path: string): Promise<void> {
  if (live && held?.path === path) await live.session.edit(path, held.text);
}

/** An editor has saved a text: the one on disk counts from now on. */
export function stored({ subject }: Workbench, path: string): void {
  if (subject?.live) subject.saved(path, '');
}

/** Executes a file anew where it runs, so that what runs only once is seen. */
export async function again(workbench: Workbench, file: string): Promise<void> {
  await workbench.program?.session.reload(workbench.pathOf(file));
}

/** Code for a module of the program: what a person typed or selected, or the statement at a line. */
export async function enter(
  workbench: Workbench,
  { window }: Viewer,
  { ask, file, text, line, remember, stops }: Extract<ToServer, { type: 'enter' }>,
): Promise<void> {
  const { live, documents, pad } = workbench;
  if (pad && text !== undefined) {
    await enterInPad(pad, window, ask, text);
    return;
  }
  if (!live) return;
  const path = workbench.pathOf(file);
  const found =
    text !== undefined
      ? { text, lastLine: line }
      : live.statementAt(path, documents.read(path).document.shared.text, line ?? 0);
  if (!found) {
    const entered: Entered = { is: 'failed', text: 'no statement stands at this line', details: [] };
    window.send({ type: 'entered', ask, entered });
    return;
  }
  if (remember) rememberEntered(found.text);
  if (stops) await live.session.pausing.pause();
  const entered = await live.enter(path, found.text);
  window.send({
    type: 'entered',
    ask,
    entered,
    ...(found.lastLine === undefined ? {} : { line: found.lastLine }),
    ...(entered.is === 'done' && entered.result ? { text: valueText(entered.result.value, 2_000) } : {}),
  });
  tellAll(workbench);
}

/** An expression, in the innermost frame of a pad that stands still. */
async function enterInPad(
  { pausing }: PadAbilities,
  window: Viewer['window'],
  ask: number,
  text: string,
): Promise<void> {
  const answer = await pausing.evaluate(text, 0);
  if (answer.is === 'value') {
    const result = { value: answer.value, moment: answer.moment };
    window.send({
      type: 'entered',
      ask,
      entered: { is: 'done', changes: '', result, pauseMs: 0 },
      text: valueText(answer.value, 2_000),
    });
    return;
  }
  const why = answer.is === 'threw' ? `${answer.error.name}: ${answer.error.message}` : answer.why;
  window.send({ type: 'entered', ask, entered: { is: 'failed', text: why, details: [] } });
}

export async function complete(
  { live }: Workbench,
  { window }: Viewer,
  ask: number,
  path: string,
  text: string,
): Promise<void> {
  const found = (await live?.session.complete(path, text)) ?? { from: text.length, names: [] };
  window.send({ type: 'completed', ask, ...found });
}

export async function undo({ live }: Workbench, { window }: Viewer): Promise<void> {
  if (live && !(await live.session.undo())) window.send({ type: 'note', text: 'There is no change to take back.' });
}

/** Runs statements that wait. */
export async function runWaiting(workbench: Workbench, path: string, line: number | undefined): Promise<void> {
  await workbench.live?.session.runWaiting(path, line);
  tellAll(workbench);
}

/** Gives a name that was kept its first value. */
export async function reset({ live }: Workbench, { window }: Viewer, path: string, name: string): Promise<void> {
  if (!live || (await live.session.reset(path, name))) return;
  const text = `No save has given ${name} another first value than it lives with.`;
  window.send({ type: 'note', text });
}
