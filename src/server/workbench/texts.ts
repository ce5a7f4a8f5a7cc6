/** What windows do to texts: show, edit, save, settle; and what changes on disk. */
import { dirname } from 'node:path';
import { readText } from '../../hosts/node/files.js';
import { configFor } from '../../hosts/node/project/additions.js';
import type { Accepted, Edits } from '../../sharing/shared-text.js';
import { AnvilError } from '../../syntax/problems.js';
import type { ToWindow } from '../protocol.js';
import type { OpenDocument } from './documents.js';
import { isPartOfPage, placeOf } from './pages.js';
import { execute, makePad } from './running.js';
import { lookAtFiles } from './seen-files.js';
import type { Workbench } from './state.js';
import { recordSeen, tell, tellRuns } from './telling.js';
import type { Viewer } from './viewer.js';

/**
 * Shows a file in a window.
 *
 * @param run makes it the pad that is executed
 * @throws AnvilError `E_NOT_FOUND` for a file that is no module of a program that runs, none of its project, and was not read
 */
export function show(workbench: Workbench, viewer: Viewer, path: string, run: boolean): void {
  const document = openDocument(workbench, path);
  viewer.file = path;
  const { subject, program } = workbench;
  const member = subject?.files.includes(path) === true;
  if (program) {
    // What the program has not loaded yet may be read, and is looked at as soon as it is.
    if (!member && !workbench.idleFiles()!.includes(workbench.nameOf(path)) && !hasRead(workbench, path))
      throw new AnvilError('E_NOT_FOUND', `${workbench.nameOf(path)} is no module of the program that runs.`);
    lookAtFiles(workbench);
  } else if ((run || !member) && subject?.file !== path && !isPartOfPage(workbench, path)) makePad(workbench, document);
  else if (workbench.live) lookAtFiles(workbench);
  viewer.window.send(textMessage(workbench, document));
  tellRuns(workbench, [viewer]);
  const record = recordSeen(workbench, viewer);
  if (record) tell(workbench, viewer, record);
}

/** The request that is picked has read it: a template, a query. */
function hasRead({ live }: Workbench, path: string): boolean {
  const { current } = live?.session.entries ?? {};
  return [...(current?.pieces ?? []), ...(current?.faded ?? [])].some((one) => one.is === 'file' && one.text === path);
}

/** Begins with a pad that a person named or makes now; its file is made when it is saved. */
export function beginPad(workbench: Workbench, path: string, careful?: boolean): void {
  workbench.documents.begin(path);
  workbench.habits.name(path, careful);
  // Who has a pad of a project execute has what the project adds execute, as a command does.
  const config = configFor(dirname(path));
  if (config !== undefined && careful !== true) workbench.habits.name(config);
  makePad(workbench, openDocument(workbench, path));
}

export function openDocument(workbench: Workbench, path: string): OpenDocument {
  const { documents, sources, subject } = workbench;
  const { document, isNew } = documents.read(path);
  if (isNew) {
    sources.add([path]);
    // Opening a file is no reason to change a program that runs.
    if (document.unsaved && subject?.pad && subject.files.includes(path)) takeText(workbench, document);
  }
  return document;
}

function stateOf(
  { documents }: Workbench,
  { path, unsaved, other, restored }: OpenDocument,
): Omit<Extract<ToWindow, { type: 'state' }>, 'type' | 'file'> {
  return {
    unsaved,
    conflict: other !== undefined,
    restored,
    ...(other === undefined ? {} : { other }),
    ...(documents.isUntitled(path) ? { untitled: true } : {}),
  };
}

function textMessage(workbench: Workbench, document: OpenDocument): ToWindow {
  const { path, shared } = document;
  const { text, epoch, version, clocks } = shared;
  return { type: 'text', file: workbench.nameOf(path), text, epoch, version, clocks, ...stateOf(workbench, document) };
}

/** Tells a window a text as a whole. */
export function tellWhole(workbench: Workbench, viewer: Viewer, path: string): void {
  viewer.window.send(textMessage(workbench, openDocument(workbench, path)));
}

function tellShowing({ viewers }: Workbench, path: string, message: ToWindow, except?: Viewer): void {
  for (const viewer of viewers) if (viewer !== except && viewer.file === path) viewer.window.send(message);
}

function tellState(workbench: Workbench, document: OpenDocument): void {
  const { path } = document;
  tellShowing(workbench, path, { type: 'state', file: workbench.nameOf(path), ...stateOf(workbench, document) });
}

function acceptedMessage(
  workbench: Workbench,
  { path, shared }: OpenDocument,
  version: number,
  accepted: readonly Accepted[],
  kept: boolean,
): ToWindow {
  const updates = accepted.map(({ client, changes }) => ({ client, changes: changes.toJSON() as unknown }));
  return { type: 'accepted', file: workbench.nameOf(path), epoch: shared.epoch, version, updates, kept };
}

/** Takes what was typed in a window. */
export function edit(workbench: Workbench, viewer: Viewer, path: string, edits: Edits): void {
  const document = openDocument(workbench, path);
  const { version } = document.shared;
  const accepted = take(document, edits);
  if (!accepted || accepted.length === 0) {
    // It typed in another text than the one that is here: it is told how that is, and comes back with what it lacks.
    if (viewer.file === path) viewer.window.send(textMessage(workbench, document));
    return;
  }
  // Not while a person types: a record with the new values comes soon.
  for (const one of workbench.viewers) clearTimeout(one.rest);
  const wasSaved = !document.unsaved || document.restored;
  document.unsaved = true;
  document.restored = false;
  if (wasSaved) tellState(workbench, document);
  tellShowing(workbench, path, acceptedMessage(workbench, document, version, accepted, true), viewer);
  // Before it runs: a pad may end whatever its person may.
  const kept = keep(workbench, document);
  try {
    takeText(workbench, document);
  } finally {
    if (viewer.file === path) viewer.window.send(acceptedMessage(workbench, document, version, accepted, kept));
    workbench.watchSources();
  }
}

/** @throws AnvilError `E_MESSAGE` for changes that fit no text */
function take({ shared }: OpenDocument, edits: Edits): Accepted[] | undefined {
  try {
    return shared.take(edits);
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    throw new AnvilError('E_MESSAGE', `The page sent changes that fit no text here: ${error.message}.`);
  }
}

/** The pad or the program has a new text, and executes where it does so at each edit. */
export function takeText(workbench: Workbench, document: OpenDocument): void {
  const { path, shared } = document;
  const { subject, pad } = workbench;
  if (!subject) return;
  const place = placeOf(workbench, path, shared.text);
  if (place === 'styles') return;
  if (place === 'anew') {
    makePad(workbench, document);
    return;
  }
  if (pad && workbench.when !== 'edit') {
    pad.take(path, shared.text);
    tellRuns(workbench);
    return;
  }
  for (const one of workbench.viewers) {
    one.until = Infinity;
    if (one.follows) one.follows.sent = -1;
  }
  workbench.starts.run(subject.file);
  subject.edit(path, shared.text);
}

/** Keeps unsaved text outside the window; where that fails, says so once, and goes on. @returns false where it fails */
function keep(workbench: Workbench, document: OpenDocument): boolean {
  const { documents } = workbench;
  const { keeps } = documents;
  const why = documents.keep(document);
  if (why !== undefined && keeps)
    workbench.tellAllWindows({
      type: 'problem',
      code: 'E_KEEP',
      message:
        `What is typed cannot be kept outside of this window: ${why}. ` +
        'The window keeps it; save it. It is tried again at each edit.',
    });
  return documents.keeps;
}

/** Saves the text that windows share; where the pad executes at a save, it does. */
export function save(workbench: Workbench, path: string): void {
  const document = openDocument(workbench, path);
  const { subject } = workbench;
  try {
    workbench.documents.save(document, workbench.nameOf(path));
    if (workbench.live) {
      subject?.saved(path, document.shared.text);
      textSaved(workbench, path);
    } else if (subject?.pad?.behind) {
      if (workbench.when === 'save') execute(workbench);
    } else subject?.pad?.afterSave();
  } finally {
    tellState(workbench, document);
  }
}

/** A text that the program reads by itself, as templates are, is another one: who reads it is asked again. */
function textSaved({ live, subject }: Workbench, path: string): void {
  if (live && !subject!.files.includes(path)) live.session.entries.asksAgain();
}

/** A file on disk has changed under unsaved edits: which text counts. */
export function settle(workbench: Workbench, path: string, choice: 'disk' | 'mine'): void {
  const document = openDocument(workbench, path);
  if (choice === 'mine') {
    workbench.documents.settleMine(document);
    keep(workbench, document);
    tellState(workbench, document);
    return;
  }
  const { version } = document.shared;
  tookDisk(workbench, document, version, workbench.documents.take(document, readText(path)));
}

/** The text on disk has become that of a document. */
function tookDisk(workbench: Workbench, document: OpenDocument, version: number, accepted: readonly Accepted[]): void {
  const { path, shared } = document;
  if (accepted.length > 0) tellShowing(workbench, path, acceptedMessage(workbench, document, version, accepted, true));
  tellState(workbench, document);
  const { subject } = workbench;
  if (subject?.live) {
    workbench.guarded(() => subject.saved(path, shared.text));
    textSaved(workbench, path);
  } else if (subject?.files.includes(path)) fileSaved(workbench, path, shared.text);
}

/** A file of a pad is new on disk: it executes unless that waits for a command. */
function fileSaved(workbench: Workbench, path: string, text: string): void {
  const { pad, subject } = workbench;
  if (!pad || !subject) return;
  if (workbench.when !== 'command') {
    workbench.starts.run(subject.file);
    workbench.guarded(() => subject.saved(path, text));
  } else {
    pad.take(path, text);
    tellRuns(workbench);
  }
}

/** A source file has changed on disk. */
export function diskChanged(workbench: Workbench, path: string): void {
  const { subject } = workbench;
  if (workbench.pad?.data?.file === path) {
    if (workbench.when !== 'command') execute(workbench);
    return;
  }
  const document = workbench.documents.get(path);
  if (!document) {
    if (subject?.files.includes(path)) moduleChanged(workbench, path);
    return;
  }
  // The editor that has it open says what becomes of its text.
  if (workbench.options.textsElsewhere) return;
  const { version } = document.shared;
  const change = workbench.documents.changedOnDisk(document);
  if (change.is === 'state') tellState(workbench, document);
  else if (change.is === 'taken') tookDisk(workbench, document, version, change.accepted);
}

/** A module that nobody has open changed: a pad runs again if its text is new; a live program sees to it itself. */
function moduleChanged(workbench: Workbench, path: string): void {
  try {
    const text = readText(path);
    const { seen } = workbench.documents;
    if (seen.get(path) === text) return;
    seen.set(path, text);
  } catch {
    // Gone or unreadable: the run says so.
  }
  const { pad, subject } = workbench;
  if (!pad || !subject) return;
  if (workbench.when !== 'command') execute(workbench);
}
