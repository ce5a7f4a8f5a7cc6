/** What windows do to texts: show, edit, save, settle; and what changes on disk. */
import { readText } from '../../hosts/node/files.js';
import { AnvilError } from '../../syntax/problems.js';
import type { ToWindow } from '../protocol.js';
import type { OpenDocument } from './documents.js';
import { execute, makePad } from './running.js';
import type { Workbench } from './state.js';
import { tell } from './telling.js';
import type { Viewer } from './viewer.js';

/**
 * Shows a file in a window.
 *
 * @param run makes it the pad that is executed
 * @throws AnvilError `E_NOT_FOUND` for a file that is no module of a program that runs
 */
export function show(workbench: Workbench, viewer: Viewer, path: string, run: boolean): void {
  const document = openDocument(workbench, path);
  viewer.file = path;
  const { subject, live } = workbench;
  const member = subject?.files.includes(path) === true;
  if (live) {
    if (!member)
      throw new AnvilError('E_NOT_FOUND', `${workbench.nameOf(path)} is no module of the program that runs.`);
    lookAtFiles(workbench);
  } else if ((run || !member) && subject?.file !== path) makePad(workbench, document);
  viewer.window.send(textMessage(workbench, document));
  const record = workbench.subject?.record;
  if (record) tell(workbench, viewer, record);
}

/** Only what a window shows is looked at. */
export function lookAtFiles({ live, viewers }: Workbench): void {
  live?.lookAt(new Set([...viewers].flatMap((viewer) => (viewer.file === undefined ? [] : [viewer.file]))));
}

export function openDocument(workbench: Workbench, path: string): OpenDocument {
  const { documents, sources, subject } = workbench;
  const { document, isNew } = documents.read(path);
  if (isNew) {
    sources.add([path]);
    // Opening a file is no reason to change a program that runs.
    if (document.unsaved && subject?.pad && subject.files.includes(path)) subject.edit(path, document.text);
  }
  return document;
}

function textMessage(workbench: Workbench, document: OpenDocument): ToWindow {
  const { path, text, unsaved, version, conflict, restored } = document;
  return { type: 'text', file: workbench.nameOf(path), text, unsaved, version, conflict, restored };
}

function tellShowing({ viewers }: Workbench, path: string, message: ToWindow, except?: Viewer): void {
  for (const viewer of viewers) if (viewer !== except && viewer.file === path) viewer.window.send(message);
}

function tellState(workbench: Workbench, { path, unsaved, conflict }: OpenDocument): void {
  tellShowing(workbench, path, { type: 'state', file: workbench.nameOf(path), unsaved, conflict });
}

/** @param run false to keep the text only, when it is the one that ran */
export function edit(
  workbench: Workbench,
  viewer: Viewer,
  path: string,
  text: string,
  version: number,
  run = true,
): void {
  const document = openDocument(workbench, path);
  const changed = document.text !== text;
  const wasSaved = !document.unsaved;
  document.text = text;
  document.version = version;
  document.restored = false;
  if (changed) {
    document.unsaved = true;
    if (wasSaved) tellState(workbench, document);
    tellShowing(workbench, path, textMessage(workbench, document), viewer);
  }
  if (!run && !changed) return;
  workbench.ranVersions.set(path, version);
  for (const one of workbench.viewers) {
    one.until = Infinity;
    if (one.follows) one.follows.sent = -1;
  }
  try {
    workbench.subject?.edit(path, text);
  } finally {
    // The run has only been sent off, to a process of its own: nothing it does can come before this.
    if (changed) keep(workbench, document);
    workbench.watchSources();
  }
}

/** Keeps unsaved text outside the window; where that fails, says so once, and goes on. */
function keep(workbench: Workbench, document: OpenDocument): void {
  const why = workbench.documents.keep(document);
  if (why !== undefined && workbench.keeps)
    workbench.tellAllWindows({
      type: 'problem',
      code: 'E_KEEP',
      message: `What is typed cannot be kept outside of this window: ${why}. Save it; it is tried again at each edit.`,
    });
  workbench.keeps = why === undefined;
}

export function save(workbench: Workbench, viewer: Viewer, path: string, text: string, version: number): void {
  edit(workbench, viewer, path, text, version, false);
  const document = openDocument(workbench, path);
  try {
    workbench.documents.save(document, workbench.nameOf(path));
    if (workbench.live) workbench.subject?.saved(path, text);
  } finally {
    tellState(workbench, document);
  }
}

/** A file on disk has changed under unsaved edits: which text counts. */
export function settle(workbench: Workbench, path: string, take: 'disk' | 'mine'): void {
  const document = openDocument(workbench, path);
  if (take === 'mine') {
    workbench.documents.settleMine(document);
    keep(workbench, document);
    tellState(workbench, document);
    return;
  }
  workbench.documents.take(document, readText(path));
  tookDisk(workbench, document);
}

/** The text on disk has become that of a document. */
function tookDisk(workbench: Workbench, document: OpenDocument): void {
  const { path, text, version } = document;
  tellShowing(workbench, path, textMessage(workbench, document));
  workbench.ranVersions.set(path, version);
  const { subject } = workbench;
  if (subject?.live || subject?.files.includes(path)) workbench.guarded(() => subject.saved(path, text));
}

/** A source file has changed on disk. */
export function diskChanged(workbench: Workbench, path: string): void {
  if (workbench.pad?.data?.file === path) {
    execute(workbench);
    return;
  }
  const document = workbench.documents.get(path);
  if (!document) {
    if (workbench.subject?.files.includes(path)) moduleChanged(workbench, path);
    return;
  }
  const change = workbench.documents.changedOnDisk(document);
  if (change === 'state') tellState(workbench, document);
  else if (change === 'taken') tookDisk(workbench, document);
}

/** A module that nobody has open changed: a pad runs again if its text is new; a live program sees to it itself. */
function moduleChanged(workbench: Workbench, path: string): void {
  try {
    const text = readText(path);
    if (workbench.moduleTexts.get(path) === text) return;
    workbench.moduleTexts.set(path, text);
  } catch {
    // Gone or unreadable: the run says so.
  }
  if (workbench.pad) execute(workbench);
}
