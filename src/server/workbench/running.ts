/** Runs of a pad: which file it is, and what is turned, given and added. */
import { additionsFor } from '../../hosts/node/project/additions.js';
import { addViews } from '../../views/added.js';
import { dirname } from 'node:path';
import { createSession } from '../../hosts/node/index.js';
import type { PadRecord } from '../../record/record.js';
import { packageImports } from '../../syntax/imports.js';
import { dialEdits } from '../../syntax/dials.js';
import type { Breakpoint } from '../../session/live/pausing/breakpoints.js';
import { summaryOf } from '../../views/summary.js';
import type { ShareFormat } from '../share.js';
import { comparisonsOf } from './comparisons.js';
import type { OpenDocument } from './documents.js';
import type { FileHabits } from './habits.js';
import { heldMessage, watchHolding } from './presenters/held.js';
import { installFor, sendDocument, sizesOf } from './packages.js';
import type { Workbench } from './state.js';
import { keepLastPage } from './last-pages.js';
import { isPage, leavePage, makePage, tellPage } from './pages.js';
import { PadSubject } from './pad-subject.js';
import { lookAtFiles } from './seen-files.js';
import type { LiveAbilities, Subject } from './subject.js';
import { tellAll, tellRuns, tellSoon } from './telling.js';
import type { Viewer } from './viewer.js';
import { walkAgain } from './walking.js';

/** Breakpoints of pads that were shown before. */
const stopsOf = new WeakMap<Workbench, Map<string, readonly Breakpoint[]>>();

/**
 * Makes a file the pad.
 *
 * @param runs it is executed, by default where it is at each edit
 */
export function makePad(workbench: Workbench, document: OpenDocument, runs?: boolean): void {
  const previous = workbench.subject;
  const { path, shared } = document;
  const stops = stopsOf.get(workbench) ?? new Map<string, readonly Breakpoint[]>();
  stopsOf.set(workbench, stops);
  if (previous?.pad) stops.set(previous.file, previous.pad.pausing.breakpoints);
  const subject = subjectFor(workbench, document);
  workbench.subject = subject;
  if (previous && previous.file !== path) workbench.starts.end(previous.file);
  void previous?.close();
  for (const other of workbench.documents.all)
    if (other.unsaved && other.path !== path) subject.pad?.take(other.path, other.shared.text);
  workbench.starts.open(path, shared.text);
  const { pad, live } = subject;
  const begins = runs ?? workbench.when === 'edit';
  if (live) {
    if (begins) startPage(workbench, live);
    return;
  }
  subject.onRecord((record) => {
    if (workbench.subject === subject) tellEach(workbench, record);
  });
  for (const one of stops.get(path) ?? []) void pad!.pausing.set(one);
  watchHolding(workbench, pad!);
  workbench.tellAllWindows(heldMessage(workbench, pad!));
  if (begins) execute(workbench);
  tellRuns(workbench);
  if (!workbench.page) pad!.rehearse();
}

/** Where a pad is executed is told by its text, or by a person. */
function subjectFor(workbench: Workbench, document: OpenDocument): Subject {
  const { path, shared } = document;
  const { folder, habits, options } = workbench;
  addViews(additionsFor(dirname(path)).views.map(({ plugin }) => plugin));
  const was = workbench.page;
  if (isPage(workbench, path, shared.text)) {
    const page = makePage(workbench, document, () => makePad(workbench, document));
    tellPage(workbench);
    return page;
  }
  if (was) {
    leavePage(workbench);
    tellPage(workbench);
  }
  // Held too while nobody has said anything: the first such thing asks.
  const careful = habits.of(path).careful !== false;
  const { keepStarted } = options;
  return new PadSubject(
    createSession({ file: path, text: shared.text, cwd: folder.root, keepStarted, careful, ownRuns: 'at-rest' }),
  );
}

/** A page that goes on begins. */
function startPage(workbench: Workbench, live: LiveAbilities): void {
  const problems = live.session.start(() => undefined);
  for (const { file, line, message } of problems)
    workbench.tellAllWindows({
      type: 'problem',
      code: 'E_SYNTAX',
      message: `${workbench.nameOf(file)}, line ${line + 1}: ${message}. It begins when that is mended.`,
    });
  lookAtFiles(workbench);
}

/** When the pad executes from now on; one that is behind and may execute does. */
export function setWhen(workbench: Workbench, when: FileHabits['when']): void {
  const { subject, pad } = workbench;
  if (!subject || !pad) return;
  workbench.habits.choose(subject.file, { when });
  if (when === 'edit' && pad.behind) execute(workbench);
  tellRuns(workbench);
}

/** What changes something outside of the pad is held from now on, for which it begins anew, or let through. */
export function setCareful(workbench: Workbench, on: boolean): void {
  const { subject, pad, habits, documents } = workbench;
  const document = subject && documents.get(subject.file);
  if (!subject || !pad || !document) return;
  const { careful } = habits.of(subject.file);
  habits.choose(subject.file, { careful: on });
  if (!on) pad.act({ do: 'let-through' });
  else if (careful === false) {
    const ran = !pad.behind;
    makePad(workbench, document);
    if (ran && workbench.when !== 'edit') execute(workbench);
  }
  tellRuns(workbench);
}

function tellEach(workbench: Workbench, record: PadRecord): void {
  for (const viewer of workbench.viewers) tellSoon(workbench, viewer, record);
  if (workbench.page) keepLastPage(workbench);
  if (!record.ended) return;
  if (record.target !== 'none' || record.outcome === 'syntax') {
    const { trouble, tests, run } = summaryOf(record);
    const waits = record.gates.some((gate) => gate.state === 'closed') ? 'a gate is closed' : '';
    workbench.folder.recent.ran(record.file, trouble || waits || tests || run, trouble !== '');
  }
  if (record.outcome !== 'syntax') void walkAgain(workbench);
  comparisonsOf(workbench).ran(record);
  workbench.types.checkSoon();
  workbench.watchSources();
}

/** Runs the pad anew. */
export function execute(workbench: Workbench): void {
  const { subject, pad, page } = workbench;
  if (subject && page?.keeps) {
    makePad(workbench, workbench.documents.read(subject.file).document, true);
    return;
  }
  if (pad && subject) workbench.starts.run(subject.file);
  workbench.guarded(() => subject?.execute());
  tellRuns(workbench);
  workbench.watchSources();
}

/** A pad that runs as a person types does so with what has changed in where it stops. */
export function runWithStops(workbench: Workbench): void {
  if (workbench.pad && workbench.when === 'edit') execute(workbench);
}

/** The data that `input` reads; null for what the pad itself names. */
export function setInput(workbench: Workbench, name: string, text: string | null): void {
  const data = text === null ? undefined : { name, bytes: Buffer.from(text, 'utf8') };
  workbench.guarded(() => workbench.pad?.setInput(data));
  workbench.watchSources();
}

/** What dials are turned to becomes what stands in the source. */
export function writeDials(workbench: Workbench, viewer: Viewer): void {
  const { pad, subject } = workbench;
  if (!pad || !subject || pad.dials.turned.size === 0) return;
  const path = subject.file;
  const edits = dialEdits(path, workbench.documents.read(path).document.shared.text, pad.dials.turned);
  if (edits.length === 0) {
    viewer.window.send({ type: 'note', text: 'No dial of this file has a plain first value to write over.' });
    return;
  }
  pad.dials.forget();
  viewer.window.send({ type: 'rewrite', file: workbench.nameOf(path), edits });
}

export async function addPackage(workbench: Workbench, { window }: Viewer, name: string): Promise<void> {
  const { subject, folder } = workbench;
  if (!subject) return;
  const installed = await installFor(
    subject.file,
    name,
    folder,
    (message) => window.send(message),
    (message) => workbench.tellAllWindows(message),
  );
  if (installed) execute(workbench);
}

/** Tells what the packages that a file imports cost. */
export async function tellSizes(workbench: Workbench, { window, file }: Viewer): Promise<void> {
  if (!file) return;
  const { text } = workbench.documents.read(file).document.shared;
  if (packageImports(file, text).length === 0) {
    window.send({ type: 'note', text: 'This file imports no packages.' });
    return;
  }
  window.send({ type: 'busy', text: 'Bundling what is imported…' });
  workbench.sizes = await sizesOf(file, text);
  window.send({ type: 'busy', text: '' });
  tellAll(workbench);
}

export function turnTypes(workbench: Workbench, on: boolean): void {
  workbench.types.turn(on);
  tellAll(workbench);
}

/** Sends the record as a document. */
export function share(
  workbench: Workbench,
  { window, until }: Viewer,
  format: ShareFormat,
  lines?: { from: number; to: number },
): Promise<void> | undefined {
  const record = workbench.subject?.goodRecord;
  return record && sendDocument(record, format, { until, lines }, workbench.folder, (message) => window.send(message));
}
