/** What windows look at: moments, lines, values. */
import { allViewsOf } from '../../views/added.js';
import { visitBeside } from '../../record/histories.js';
import type { PadRecord } from '../../record/record.js';
import type { LookRequest } from '../../wire/looking.js';
import type { LineRange } from '../protocol-record.js';
import type { LookedAnswer } from '../protocol-looking.js';
import { presentHover, presentLineValues } from './presenters/values.js';
import type { Workbench } from './state.js';
import { recordSeen, sendRecord, shownText, tellAgain, tellNumbers } from './telling.js';
import type { Viewer } from './viewer.js';

/** What values are looked up in. */
function goodRecord(workbench: Workbench, viewer: Viewer): PadRecord | undefined {
  return viewer.serves ? recordSeen(workbench, viewer) : workbench.subject?.goodRecord;
}

interface At {
  file: string;
  line: number;
  character: number;
}

/** Everything is shown as of a moment; Infinity for the end. */
export function moveTo(workbench: Workbench, viewer: Viewer, moment: number): void {
  viewer.until = moment;
  tellAgain(workbench, viewer);
}

/** Lines come on the screen. */
export function see(workbench: Workbench, viewer: Viewer, file: string, lines: LineRange): void {
  if (viewer.file !== file) return;
  viewer.sees = lines;
  const { part } = viewer;
  if (part && (lines.from < part.from || lines.to > part.to)) sendRecord(workbench, viewer, part.record);
}

/** To the visit of the site at a place that lies before or after. */
export function step(workbench: Workbench, viewer: Viewer, at: At, by: -1 | 1): void {
  const record = goodRecord(workbench, viewer);
  const line = ranLine(workbench, viewer, at.file, at.line);
  if (line === undefined) return;
  const sample = record && visitBeside(record, { ...at, line }, Math.min(viewer.until, record.moments + 1), by);
  if (sample) moveTo(workbench, viewer, sample.moment);
}

/** What stands at a place. */
export function hover(workbench: Workbench, viewer: Viewer, ask: number, at: At): void {
  const { window, until } = viewer;
  const line = ranLine(workbench, viewer, at.file, at.line);
  const record = line === undefined ? undefined : goodRecord(workbench, viewer);
  window.send({ type: 'hovered', ask, ...presentHover(record, { ...at, line: line ?? at.line }, until) });
}

/** All values of a line. In a program that runs on, they are taken where somebody looks. */
export async function inspect(
  workbench: Workbench,
  viewer: Viewer,
  file: string,
  shownLine: number,
  ask?: number,
): Promise<void> {
  const { live } = workbench;
  const line = ranLine(workbench, viewer, file, shownLine);
  if (line !== undefined && !viewer.serves) await live?.session.openFunction(file, line);
  // Nothing has run yet: the window asks again when it has.
  const record = goodRecord(workbench, viewer);
  const values =
    record && line !== undefined
      ? presentLineValues(record, { line, file }, viewer.until)
      : { histories: [], chains: [] };
  const name = workbench.nameOf(file);
  viewer.window.send({
    type: 'inspected',
    ...(ask === undefined ? {} : { ask }),
    file: name,
    line: shownLine,
    ...values,
  });
}

/** The line of the text that ran, for one of the text that is shown; undefined for one that is new since. */
function ranLine(workbench: Workbench, viewer: Viewer, file: string, line: number): number | undefined {
  const text = shownText(workbench, viewer, file) ?? workbench.documents.read(file).document.shared.text;
  return workbench.subject?.lineOut(file, text)(line);
}

/** The numbers of console lines of a shape are wanted as they come; null ends it. */
export function follow({ subject }: Workbench, viewer: Viewer, shape: string | null): void {
  viewer.follows = shape === null ? undefined : { shape, sent: -1 };
  if (subject?.record) tellNumbers(viewer, subject.record);
}

/** Opens a value that the target holds. */
export async function look(
  { subject }: Workbench,
  { window }: Viewer,
  ask: number,
  request: LookRequest,
): Promise<void> {
  const answer = await subject?.look(request);
  if (!answer) return;
  const told: LookedAnswer =
    answer.is === 'bytes'
      ? { ...answer, bytes: Buffer.from(answer.bytes).toString('base64') }
      : answer.is === 'wide'
        ? { ...answer, views: allViewsOf(answer.value) }
        : answer;
  window.send({ type: 'looked', ask, answer: told });
}
