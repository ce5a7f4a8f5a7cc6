/** Files are made, named, moved, copied and deleted from a window. */
import { existsSync, mkdirSync, realpathSync, renameSync, rmSync } from 'node:fs';
import { dirname, extname } from 'node:path';
import { padPath } from '../../hosts/node/files.js';
import { saveText } from '../../hosts/node/saving.js';
import { AnvilError } from '../../syntax/problems.js';
import { copyExample } from '../start/examples.js';
import { EMPTY, templateNamed } from '../start/templates.js';
import { hasUntitledName } from './documents.js';
import { execute, makePad } from './running.js';
import type { Workbench } from './state.js';
import { openDocument, save, show } from './texts.js';
import type { Viewer } from './viewer.js';

/** Tells all windows which files may be opened. */
export function tellFiles(workbench: Workbench): void {
  workbench.tellAllWindows({ type: 'files', pads: workbench.fileNames() });
}

/**
 * Shows a pad that has no file yet.
 *
 * @param folder where its imports lead from
 * @returns its path
 */
export function untitled(
  workbench: Workbench,
  viewer: Viewer,
  folder: string,
  extension: string,
  text: string,
): string {
  const { documents, habits } = workbench;
  const path = documents.beginUntitled(folder, extension, text);
  habits.name(path);
  const document = openDocument(workbench, path);
  if (text !== '') documents.keep(document);
  show(workbench, viewer, path, true);
  tellFiles(workbench);
  return path;
}

/**
 * A new pad: empty, from a template, or a copy of an open one.
 *
 * @throws AnvilError `E_TEMPLATE` when there is no such template
 */
export function newPad(
  workbench: Workbench,
  viewer: Viewer,
  { template, copy, text }: { template?: string; copy?: string; text?: string },
): void {
  if (template === undefined && copy === undefined && text === undefined) {
    emptyPad(workbench, viewer);
    return;
  }
  if (copy !== undefined) {
    const { path, shared } = openDocument(workbench, workbench.pathOf(copy));
    untitled(workbench, viewer, dirname(path), extname(path), shared.text);
    return;
  }
  const found = templateNamed(template ?? EMPTY, workbench.folder.root);
  untitled(workbench, viewer, workbench.folder.root, found.extension, text ?? found.text);
}

/** A pad in which nobody has typed yet is as good as a new one. */
function emptyPad(workbench: Workbench, viewer: Viewer): void {
  const { documents, folder, viewers, subject } = workbench;
  const path = subject?.file;
  const isFree = path !== undefined && documents.isUntitled(path) && documents.get(path)?.shared.text === '';
  if (isFree && [...viewers].every((one) => one === viewer || one.file !== path)) show(workbench, viewer, path, false);
  else untitled(workbench, viewer, folder.root, '.ts', '');
}

/**
 * Renames or moves a file, or gives one that has none its name and saves it. Folders on the way are made.
 *
 * @throws AnvilError `E_EXISTS` when something is there already, `E_NOT_A_PAD` for a name that cannot run, `E_NOT_FOUND`
 * for a place outside of the folder, `E_WRITE` when it cannot be moved
 */
export function move(workbench: Workbench, viewer: Viewer, path: string, to: string): void {
  const { documents, folder, habits, starts } = workbench;
  const target = folder.placeFor(to, dirname(path));
  if (target === path) return;
  if (existsSync(target) || documents.isBegun(target))
    throw new AnvilError('E_EXISTS', `${folder.nameOf(target)} is there already. Choose another name.`);
  const document = openDocument(workbench, path);
  const wasUntitled = documents.isUntitled(path);
  const onDisk = existsSync(path);
  try {
    mkdirSync(dirname(target), { recursive: true });
    padPath(target, folder.root, 'new');
    if (onDisk) renameSync(path, target);
  } catch (error) {
    if (error instanceof AnvilError) throw error;
    throw writeError(`${folder.nameOf(path)} was not moved`, error);
  }
  const name = folder.nameOf(path);
  if (!onDisk) documents.begin(target);
  documents.move(document, target);
  habits.choose(target, habits.of(path));
  folder.recent.moved(path, target);
  starts.end(path);
  for (const other of workbench.viewers) {
    if (other.file === path) other.file = target;
    other.window.send({ type: 'renamed', file: name, to: folder.nameOf(target) });
  }
  workbench.sources.add([target]);
  if (workbench.subject?.file === path) makePad(workbench, document);
  else if (workbench.pad && workbench.subject?.files.includes(path) && workbench.when !== 'command') execute(workbench);
  if (wasUntitled) save(workbench, target);
  show(workbench, viewer, target, false);
  tellFiles(workbench);
}

/** Deletes a file; its text is kept, and can be put back. @throws AnvilError `E_WRITE` when it cannot be deleted */
export function remove(workbench: Workbench, path: string): void {
  const { documents, folder, viewers } = workbench;
  const name = folder.nameOf(path);
  const { shared } = openDocument(workbench, path);
  try {
    // Kept first: nothing may be gone that is nowhere else.
    workbench.documents.deleted.keep(path, shared.text, '');
    rmSync(path, { force: true });
  } catch (error) {
    throw writeError(`${name} was not deleted`, error);
  }
  workbench.documents.lastDeleted = path;
  documents.forget(path);
  if (workbench.subject?.file === path && workbench.pad) {
    workbench.starts.end(path);
    void workbench.subject.close();
    workbench.subject = undefined;
  }
  for (const other of viewers) if (other.file === path) other.file = undefined;
  workbench.tellAllWindows({ type: 'deleted', file: name });
  tellFiles(workbench);
}

/** Puts back what was deleted last. @throws AnvilError `E_EXISTS` when something else has taken its place */
export function putBack(workbench: Workbench, viewer: Viewer): void {
  const { documents, folder } = workbench;
  const { lastDeleted: path, deleted } = documents;
  const kept = path === undefined ? undefined : deleted.recall(path);
  if (path === undefined || !kept) throw new AnvilError('E_NOT_FOUND', 'Nothing was deleted in this session.');
  if (existsSync(path)) throw new AnvilError('E_EXISTS', `${folder.nameOf(path)} is there again already.`);
  const wasUntitled = hasUntitledName(path);
  try {
    if (!wasUntitled) saveText(path, kept.text);
  } catch (error) {
    throw writeError(`${folder.nameOf(path)} was not put back`, error);
  }
  if (wasUntitled) documents.begin(path, kept.text);
  workbench.documents.lastDeleted = undefined;
  deleted.drop(path);
  show(workbench, viewer, path, true);
  tellFiles(workbench);
}

/** Copies an example into the folder, and shows it. */
export function openExample(workbench: Workbench, viewer: Viewer, name: string): void {
  const { folder, habits } = workbench;
  const { pad, copied } = copyExample(name, folder.root);
  const path = realpathSync(pad);
  habits.name(path);
  show(workbench, viewer, path, true);
  tellFiles(workbench);
  if (copied)
    viewer.window.send({
      type: 'note',
      text: `The example was copied to ${folder.nameOf(dirname(path))}, beside your files.`,
    });
}

function writeError(what: string, cause: unknown): AnvilError {
  return new AnvilError('E_WRITE', `${what}: ${(cause as Error).message}.`, { cause });
}
