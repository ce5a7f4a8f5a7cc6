/** Walking through a run in a window: the pad executes once more, at depth `steps`, and the window is told each stop. */
import type { ToServer, WalkCalls } from '../protocol.js';
import { WalkedPad } from '../../hosts/node/walked-pad.js';
import type { PadRecord } from '../../record/record.js';
import { CallTree } from '../../record/walk/call-tree.js';
import { pixelOf, startOf, visitOf } from '../../record/walk/start.js';
import type { Walk } from '../../record/walk/walk.js';
import { Walker } from '../../record/walk/walker.js';
import { AnvilError } from '../../syntax/problems.js';
import { endText, keptText, repeatingText } from '../../views/walk-text.js';
import { samePlace } from '../../views/walk-place.js';
import { walkPieces } from './presenters/walk-pieces.js';
import { walkStop } from './presenters/walk.js';
import type { Workbench } from './state.js';
import { linesBetween } from './subject.js';
import { shownText } from './telling.js';
import type { Viewer } from './viewer.js';

type Asked = Extract<ToServer, { type: 'walk' }>;

/** Milliseconds after which a run that is walked through is ended; what it did until then is there. */
const TIME_LIMIT_MS = 20_000;
/** Places of the way there that are marked. */
const MOST_TRAIL = 200;
/** Calls that are told at once. */
const CALLS = 100;

type Place = Pick<Asked, 'test' | 'file' | 'line' | 'number' | 'pixel'>;

interface Walking {
  pad: WalkedPad;
  /** Where one has begun. */
  asked: Place;
  record?: PadRecord;
  walker?: Walker;
  /** Number of the step at which one has begun, among all of the run. */
  start: number;
  trail: number[];
  /** What called what, once that was asked for, of one run. */
  tree?: { run: Walk; calls: CallTree };
  /** Goes up with each run. */
  runs: number;
  /** The text has run anew while this was on its way. */
  isDue?: boolean;
  /** The call whose pieces the window shows; 0 for all that ran. */
  pieces?: number;
}

const walks = new WeakMap<Viewer, Walking>();

/** Does what a window asks of its walk. @throws AnvilError where nothing is there to walk through */
export async function walk(workbench: Workbench, viewer: Viewer, asked: Asked): Promise<void> {
  if (asked.do === 'begin') {
    await begin(workbench, viewer, {
      ...asked,
      ...(asked.file === undefined ? {} : { file: workbench.pathOf(asked.file) }),
    });
    return;
  }
  const walking = walks.get(viewer);
  if (asked.do === 'leave') {
    leave(viewer);
    viewer.window.send({ type: 'walk' });
    return;
  }
  const { walker } = walking ?? {};
  if (!walking || !walker) return;
  if (asked.do === 'repeat') {
    await repeat(workbench, viewer, walking, walker.walk.numberOf(walker.at));
    return;
  }
  if (asked.do === 'calls') {
    viewer.window.send(callsUnder(workbench, walking, walker.walk, asked));
    return;
  }
  if (asked.do === 'pieces') {
    walking.pieces = asked.number ?? 0;
    tellPieces(workbench, viewer, walking);
    return;
  }
  if (asked.do === 'start' && walker.walk.withNumber(walking.start) === undefined) {
    await repeat(workbench, viewer, walking, walking.start);
    return;
  }
  const from = walker.at;
  const note = move(workbench, viewer, walking, walker, asked);
  if (walker.at !== from) walking.trail = [...walking.trail, from].slice(-MOST_TRAIL);
  tellStop(workbench, viewer, walking, note);
}

/** The text of the pad has run anew: whoever walks through it stands at the same step of the new run. */
export async function walkAgain(workbench: Workbench): Promise<void> {
  for (const viewer of workbench.viewers) {
    let walking = walks.get(viewer);
    // One that is on its way may be of an older text.
    if (walking && !walking.walker) walking.isDue = true;
    while (walking?.walker && isBehind(workbench, walking)) {
      const made = await begin(workbench, viewer, walking.asked, walking);
      walking = made.isDue ? walks.get(viewer) : undefined;
    }
  }
}

export function leave(viewer: Viewer): void {
  void walks.get(viewer)?.pad.close();
  walks.delete(viewer);
}

async function begin(workbench: Workbench, viewer: Viewer, asked: Place, before?: Walking): Promise<Walking> {
  const test = asked.test?.join(' > ');
  const { subject, pad: abilities, folder, documents } = workbench;
  if (!subject || !abilities) throw new AnvilError('E_NO_STEPS', 'Only a pad can be walked through.');
  const { file } = subject;
  const modules = [...documents.all]
    .filter((one) => one.path !== file && one.unsaved)
    .map(({ path, shared }) => ({ file: path, text: shared.text }));
  const pad = new WalkedPad(
    {
      file,
      text: subject.textOf(file),
      modules,
      cwd: folder.root,
      careful: workbench.habits.of(file).careful !== false,
      timeLimitMs: TIME_LIMIT_MS,
      ...(test === undefined ? {} : { test }),
      ...(asked.pixel ? { pixel: asked.pixel } : {}),
    },
    () => undefined,
  );
  void before?.pad.close();
  const walking: Walking = { pad, asked, start: 0, trail: [], runs: (before?.runs ?? 0) + 1 };
  walks.set(viewer, walking);
  if (!before) viewer.window.send({ type: 'walk', note: 'The pad executes once more, and every step is recorded …' });
  try {
    const { record, run } = await pad.execute();
    if (walks.get(viewer) !== walking) return walking;
    walking.record = record;
    const wanted = placeOf(run, asked);
    const start = wanted ?? Math.max(0, startOf(record, run, test) ?? 0);
    walking.start = run.numberOf(start);
    const same = before?.walker && samePlace(before.walker.walk, before.walker.at, run);
    walking.walker = new Walker(run, same ?? start);
    const moved = before && same === undefined ? 'That step is not there any more.' : undefined;
    const apart = before ? undefined : beginText(asked, wanted);
    tellStop(workbench, viewer, walking, moved ?? apart ?? keptText(run));
    // The code that worked for a pixel stands there by itself, and after an edit once more.
    if (asked.pixel && wanted !== undefined)
      walking.pieces = run.stack(wanted).findLast(({ name }) => name !== 'module')?.number ?? 0;
    else if (before?.pieces !== undefined) walking.pieces = 0;
    if (walking.pieces !== undefined) tellPieces(workbench, viewer, walking);
  } catch (error) {
    if (walks.get(viewer) !== walking) return walking;
    if (!(error instanceof AnvilError)) throw error;
    // What does not parse just now will again: one goes on to stand where one stood.
    if (before && error.code === 'E_SYNTAX') {
      walks.set(viewer, before);
      return walking;
    }
    leave(viewer);
    viewer.window.send({ type: 'walk' });
    viewer.window.send({ type: 'note', text: error.message });
  }
  return walking;
}

function tellPieces(workbench: Workbench, { window }: Viewer, { record, walker, pieces: of = 0 }: Walking): void {
  if (!record || !walker) return;
  const run = walker.walk;
  const frame = of <= run.frameCount ? of : 0;
  window.send({
    type: 'walk-pieces',
    of: frame === 0 ? '' : run.frame(frame).name || 'a function without a name',
    pieces: walkPieces(record, run, frame, (file) => workbench.nameOf(file)),
  });
}

/** A page of the tree of calls. */
function callsUnder(
  workbench: Workbench,
  walking: Walking,
  run: Walk,
  { number = 0, from = 0, filter = '' }: Asked,
): WalkCalls {
  if (walking.tree?.run !== run) walking.tree = { run, calls: new CallTree(run) };
  const { calls: tree } = walking.tree;
  const needle = filter.toLowerCase();
  const wanted = ({ name, file }: { name: string; file: string }): boolean =>
    `${name} ${workbench.nameOf(file)}`.toLowerCase().includes(needle);
  const { calls, total } = tree.under(number, { from, most: CALLS, ...(needle === '' ? {} : { wanted }) });
  return {
    ...{ type: 'walk-calls', run: walking.runs, under: number, from, filter, total },
    calls: calls.map(({ frame, steps, calls: more }) => ({
      number: frame.number,
      name: frame.name || 'a function without a name',
      at: { file: workbench.nameOf(frame.file), line: frame.range.start.line },
      steps,
      share: steps / Math.max(1, tree.total),
      more,
    })),
  };
}

/** The steps around the one with a number are kept, in place of others, and the walk stands there. */
async function repeat(workbench: Workbench, viewer: Viewer, walking: Walking, number: number): Promise<void> {
  tellStop(workbench, viewer, walking, repeatingText);
  const repeated = await walking.pad.repeat(number);
  if (walks.get(viewer) !== walking) return;
  if (repeated) {
    walking.record = repeated.record;
    walking.walker = new Walker(repeated.run, repeated.at);
    walking.trail = [];
    walking.runs++;
  }
  tellStop(workbench, viewer, walking, repeated ? keptText(repeated.run) : 'This run cannot be repeated.');
}

/** The step that a window has pointed at. */
function placeOf(run: Walk, { file, line, number, pixel }: Place): number | undefined {
  if (pixel) return pixelOf(run, pixel.x, pixel.y);
  return file === undefined || line === undefined ? undefined : visitOf(run, file, line, number ?? 1);
}

function beginText({ line, pixel }: Place, wanted: number | undefined): string | undefined {
  if (pixel && wanted !== undefined)
    return 'Of the picture this call alone was recorded: what other calls have set may be older.';
  if (pixel) return 'No call for this pixel was recorded.';
  return line !== undefined && wanted === undefined ? 'That visit is not among what is kept of the run.' : undefined;
}

/** @returns what is to be said: that a move led nowhere */
function move(
  workbench: Workbench,
  viewer: Viewer,
  walking: Walking,
  walker: Walker,
  asked: Asked,
): string | undefined {
  const run = walker.walk;
  const by = asked.back ? -1 : 1;
  const jump = (to: number | undefined, otherwise: string): string | undefined => {
    if (to === undefined || to < 0) return otherwise;
    walker.jump(to);
    return undefined;
  };
  switch (asked.do) {
    case 'into':
    case 'over':
    case 'out':
    case 'line':
      return walker.go(asked.do, by) ? undefined : endText(run, by);
    case 'entry':
    case 'exit':
      return jump(run.edge(walker.at, asked.do), '');
    case 'start':
      return jump(run.withNumber(walking.start), '');
    case 'callback':
      return jump(run.callback(walker.at), 'No function that is written here was called through it.');
    case 'source':
      return jump(run.sources(walker.at)[asked.number ?? 0]?.step, 'No step that was recorded gave it its value.');
    case 'set':
      return jump(
        asked.next ? run.setNext(walker.at, asked.name ?? '') : run.setBy(walker.at, asked.name ?? ''),
        `No step that is kept ${asked.next ? 'gives' : 'gave'} ${asked.name ?? 'it'} ${asked.next ? 'another' : 'its'} value.`,
      );
    case 'frame':
      return jump(run.standing(asked.number ?? 0, walker.at), '');
    case 'call':
      return jump(run.firstIn(asked.number ?? 0), 'This call came by no statement.');
    case 'here': {
      const path = workbench.pathOf(asked.file ?? '');
      const outside = lineOut(workbench, viewer, walking, path);
      const [line, last] = [outside(asked.line ?? 0), outside(asked.until?.line ?? 0)];
      const when = asked.back ? 'before' : 'after';
      if (line === undefined || last === undefined) return `This line did not run ${when} this step.`;
      if (!asked.until) return jump(run.onLine(walker.at, path, line, by), `This line did not run ${when} this step.`);
      const range = {
        start: { line, character: asked.character ?? 0 },
        end: { line: last, character: asked.until.character },
      };
      return jump(run.inCode(walker.at, path, range, by), `What is selected did not run ${when} this step.`);
    }
    default:
      return undefined;
  }
}

function tellStop(workbench: Workbench, viewer: Viewer, walking: Walking, note: string | undefined): void {
  const { record, walker, trail } = walking;
  if (!record || !walker) return;
  const stop = walkStop(record, walker.walk, walker.at, trail, (file, line) => ({
    file: workbench.nameOf(file),
    line: lineIn(workbench, viewer, walking, file)(line) ?? line,
  }));
  viewer.window.send({ type: 'walk', stop: { ...stop, run: walking.runs }, ...(note ? { note } : {}) });
}

/** The text of the pad is another than the one that was walked through. */
function isBehind({ subject }: Workbench, { record }: Walking): boolean {
  return record?.program.files.some(({ file, lines }) => textOf(subject, file) !== lines.text) ?? false;
}

function textOf(subject: Workbench['subject'], file: string): string | undefined {
  try {
    return subject?.textOf(file);
  } catch {
    return undefined;
  }
}

function ranText({ record }: Walking, file: string): string | undefined {
  return record?.program.files.find((one) => one.file === file)?.lines.text;
}

function lineIn(
  workbench: Workbench,
  viewer: Viewer,
  walking: Walking,
  file: string,
): (line: number) => number | undefined {
  return linesBetween(ranText(walking, file), shownText(workbench, viewer, file));
}

function lineOut(
  workbench: Workbench,
  viewer: Viewer,
  walking: Walking,
  file: string,
): (line: number) => number | undefined {
  return linesBetween(shownText(workbench, viewer, file), ranText(walking, file));
}
