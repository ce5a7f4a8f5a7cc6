/** What windows ask of calls that are held, of breakpoints and pauses. */
import type { PausingFace } from '../../session/live/pausing/face.js';
import type { LiveSession } from '../../session/live/session.js';
import { AnvilError } from '../../syntax/problems.js';
import { LineTable } from '../../syntax/positions.js';
import type { ToServer } from '../protocol.js';
import { readFrame, shownLine, stoppableOf } from './presenters/held.js';
import type { Workbench } from './state.js';
import { openDocument } from './texts.js';
import type { Viewer } from './viewer.js';

type Asked<Type extends ToServer['type']> = Extract<ToServer, { type: Type }>;

function sessionOf({ live }: Workbench): LiveSession {
  if (!live) throw new AnvilError('E_HELD', 'Only calls of a program that runs on are held.');
  return live.session;
}

/** @throws AnvilError `E_HELD` where nothing runs */
function pausingOf(workbench: Workbench): PausingFace {
  const session = stoppableOf(workbench);
  if (!session) throw new AnvilError('E_HELD', 'Nothing is there that could stop.');
  return session.pausing;
}

export function switchHolding(workbench: Workbench, { mode }: Asked<'holding'>): Promise<void> {
  return sessionOf(workbench).held.switchTo(mode);
}

/** Does something with a held call. @throws AnvilError `E_HELD` where it cannot be done */
export async function actOnHeld(workbench: Workbench, viewer: Viewer, asked: Asked<'held'>): Promise<void> {
  const { held } = sessionOf(workbench);
  if (asked.do === 'write') {
    await writeMissing(workbench, viewer, asked.id);
    return;
  }
  const answer = await (asked.do === 'give'
    ? held.give(asked.id, asked.text ?? 'undefined')
    : held[asked.do](asked.id));
  if (answer.is === 'cannot') throw new AnvilError('E_HELD', answer.why);
  if (answer.is === 'threw') throw new AnvilError('E_HELD', `${answer.error.name}: ${answer.error.message}`);
}

/** Declares what a held call found missing, in the text that windows show, and puts the cursor into its body. */
async function writeMissing(workbench: Workbench, viewer: Viewer, id: number): Promise<void> {
  const answer = await sessionOf(workbench).held.missing(id);
  if (answer.is === 'cannot') throw new AnvilError('E_HELD', answer.why);
  const { file, line, character, text, cursor } = answer.missing;
  const { shared } = openDocument(workbench, file);
  const lines = new LineTable(shared.text);
  const shown = shownLine(workbench, file, line);
  const from = Math.min((lines.starts[shown] ?? shared.text.length) + character, shared.text.length);
  const name = workbench.nameOf(file);
  const { character: column } = cursor;
  viewer.window.send({
    type: 'written',
    file: name,
    at: from,
    text,
    line: cursor.line + shown - line,
    character: column,
  });
}

export async function changeBreakpoint(workbench: Workbench, asked: Asked<'breakpoint'>): Promise<void> {
  const pausing = pausingOf(workbench);
  const { do: what, file, line, where, condition, message, every, after } = asked;
  const path = workbench.pathOf(file);
  const shown = workbench.documents.get(path)?.shared.text;
  const own = shown === undefined ? line : (workbench.subject!.lineOut(path, shown)(line) ?? line);
  if (what === 'clear') {
    for (const one of pausing.breakpoints) if (one.file === path && one.line === own) await pausing.remove(one.id);
    return;
  }
  const made = await pausing.set({
    ...{ file: path, line: own },
    ...(where ? { where } : {}),
    ...(condition === undefined ? {} : { condition }),
    ...(message === undefined ? {} : { message }),
    ...(every === undefined ? {} : { every }),
    ...(after === undefined ? {} : { after }),
  });
  if (made.state === 'wrong') {
    await pausing.remove(made.id);
    throw new AnvilError('E_HELD', `There is no breakpoint: ${made.why ?? ''}.`);
  }
}

export async function stopAtErrors(workbench: Workbench, { which }: Asked<'errors'>): Promise<void> {
  const answer = await pausingOf(workbench).stopAtErrors(which);
  if (answer.is === 'cannot') throw new AnvilError('E_HELD', `${answer.why}.`);
}

/** What stands still goes on, or what runs stops. @throws AnvilError `E_HELD` where it cannot */
export async function goOn(workbench: Workbench, { do: how, line, frame, where }: Asked<'going'>): Promise<void> {
  const pausing = pausingOf(workbench);
  const answer = await (how === 'pause'
    ? pausing.pause(where)
    : pausing.go(
        how === 'to' ? { how, line: line ?? 0 } : how === 'again' ? { how, frame: frame ?? 0 } : { how },
        where,
      ));
  if (answer.is === 'cannot') throw new AnvilError('E_HELD', answer.why);
}

export async function showFrame(workbench: Workbench, { frame, where }: Asked<'frame'>): Promise<void> {
  const session = stoppableOf(workbench);
  const standing = session?.pausing.all.find((one) => one.where === where);
  const own = standing?.frames.map((one, index) => ({ one, index })).filter(({ one }) => one.local)[frame];
  if (session && standing && own) await readFrame(workbench, session, standing, own.index);
}
