/** Saves a text so that at every moment the file holds the old one or the new one, whole. */
import {
  closeSync,
  fchmodSync,
  fchownSync,
  fsyncSync,
  ftruncateSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  type Stats,
  statSync,
  writeSync,
} from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { isAlive } from './alive.js';
import { real } from './files.js';

/**
 * Saves a text over a file.
 *
 * It is written to a file beside, flushed, and renamed over; a link stays a link, and mode and (where possible) owner
 * stay. Where a file has several names, or its folder takes no other file, it is written in place.
 *
 * @param path may not exist yet
 * @throws Error of the platform when it cannot be written; the file is as it was then, but for one that is written in
 * place
 */
export function saveText(path: string, text: string): void {
  const target = real(path);
  const stat = statSync(target, { throwIfNoEntry: false });
  if (stat !== undefined && stat.nlink > 1) {
    writeWhole(target, 'r+', text, undefined);
    return;
  }
  const part = partOf(target);
  try {
    writeWhole(part, 'wx', text, stat);
  } catch (error) {
    rmSync(part, { force: true });
    const { code } = error as NodeJS.ErrnoException;
    // A folder that takes no new file may hold one that can be written.
    if (stat === undefined || (code !== 'EACCES' && code !== 'EPERM' && code !== 'EROFS')) throw error;
    writeWhole(target, 'r+', text, undefined);
    return;
  }
  try {
    renameSync(part, target);
  } catch (error) {
    rmSync(part, { force: true });
    throw error;
  }
  flushFolder(dirname(target));
}

/** The file beside that a text is written to first; what processes left there that were killed is taken away. */
function partOf(target: string): string {
  const [folder, begin] = [dirname(target), `.${basename(target).slice(0, 40)}.`];
  try {
    for (const name of readdirSync(folder)) {
      const pid = name.startsWith(begin) ? /^(\d+)\.saving$/.exec(name.slice(begin.length))?.[1] : undefined;
      if (pid !== undefined && (Number(pid) === process.pid || !isAlive(Number(pid)))) rmSync(join(folder, name));
    }
  } catch {
    // The save says what is wrong with the folder.
  }
  return join(folder, `${begin}${process.pid}.saving`);
}

/** @param like mode and owner that a new file gets */
function writeWhole(path: string, flags: 'wx' | 'r+', text: string, like: Stats | undefined): void {
  const bytes = Buffer.from(text, 'utf8');
  const before = flags === 'r+' ? readFileSync(path) : undefined;
  const file = openSync(path, flags, like === undefined ? 0o666 : like.mode & 0o777);
  try {
    if (like !== undefined) {
      fchmodSync(file, like.mode & 0o7777);
      try {
        fchownSync(file, like.uid, like.gid);
      } catch {
        // The owner of a file cannot be given by everybody.
      }
    }
    try {
      write(file, bytes);
    } catch (error) {
      // In place: back to what was there.
      if (before) write(file, before);
      throw error;
    }
    fsyncSync(file);
  } finally {
    closeSync(file);
  }
}

function write(file: number, bytes: Buffer): void {
  for (let at = 0; at < bytes.length;) at += writeSync(file, bytes, at, bytes.length - at, at);
  ftruncateSync(file, bytes.length);
}

/** So that the new name is there after a power cut; not every platform can. */
function flushFolder(folder: string): void {
  try {
    const file = openSync(folder, 'r');
    try {
      fsyncSync(file);
    } finally {
      closeSync(file);
    }
  } catch {
    // The file itself is flushed.
  }
}
