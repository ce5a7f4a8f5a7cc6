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

const BOM = '\uFEFF';

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

/** The text that was there before decides how lines end, and whether a byte-order mark stands before it. */
export function asBefore(text: string, before: string): string {
  const mark = before.startsWith(BOM) && !text.startsWith(BOM) ? BOM : '';
  return mark + withLineEnds(text, before);
}

/** True when two texts differ in nothing but how their lines end, and in the mark before them. */
export function sameText(a: string, b: string): boolean {
  return a === b || plain(a) === plain(b);
}

function plain(text: string): string {
  return text.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n');
}

/**
 * Editors know one line end. Lines that are as before keep theirs; others end as most did.
 */
function withLineEnds(text: string, before: string): string {
  if (!before.includes('\r') || text.includes('\r')) return text;
  const [old, fresh] = [linesOf(before.replace(BOM, '')), linesOf(text.replace(BOM, ''))];
  const most = old.filter((line) => line.end === '\r\n').length * 2 >= old.length ? '\r\n' : '\n';
  let head = 0;
  while (head < old.length && head < fresh.length && old[head]!.text === fresh[head]!.text) head++;
  let tail = 0;
  while (
    tail < old.length - head &&
    tail < fresh.length - head &&
    old[old.length - 1 - tail]!.text === fresh[fresh.length - 1 - tail]!.text
  )
    tail++;
  return fresh
    .map(({ text: line, end }, index) => {
      if (end === '') return line;
      const known =
        index < head
          ? old[index]!.end
          : index >= fresh.length - tail
            ? old[old.length - fresh.length + index]!.end
            : '';
      return line + (known === '' ? most : known);
    })
    .join('');
}

function linesOf(text: string): { text: string; end: string }[] {
  const parts = text.split(/(\r\n|\r|\n)/);
  const lines: { text: string; end: string }[] = [];
  for (let i = 0; i < parts.length; i += 2) lines.push({ text: parts[i]!, end: parts[i + 1] ?? '' });
  return lines;
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
