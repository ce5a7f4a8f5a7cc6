/** What the workbench asks of `node:fs`, over files in memory. */
import { memory } from '../memory.js';

function missing(path: string): Error {
  return Object.assign(new Error(`ENOENT: no such file or directory, '${path}'`), { code: 'ENOENT' });
}

export const existsSync = (path: string): boolean => memory.has(path) || memory.isFolder(path);

export function realpathSync(path: string): string {
  if (!existsSync(path)) throw missing(path);
  return path;
}

export function statSync(path: string, options: { throwIfNoEntry?: boolean } = {}) {
  if (!existsSync(path)) {
    if (options.throwIfNoEntry === false) return undefined;
    throw missing(path);
  }
  const isFolder = !memory.has(path);
  return {
    isFile: () => !isFolder,
    isDirectory: () => isFolder,
    mtimeMs: memory.version(path),
    size: memory.read(path)?.length ?? 0,
    ino: 0,
    nlink: 1,
    uid: undefined,
  };
}

export function readFileSync(path: string, encoding?: string): string | Uint8Array {
  const bytes = memory.read(path);
  if (!bytes) throw missing(path);
  return encoding === undefined ? bytes : new TextDecoder().decode(bytes);
}

export const readdirSync = (path: string): string[] => memory.list(path);
export const mkdirSync = (path: string): void => memory.makeFolder(path);
export const writeFileSync = (path: string, content: string | Uint8Array): void => memory.write(path, content);

export function appendFileSync(path: string, content: string): void {
  memory.write(path, (memory.text(path) ?? '') + content);
}

export function renameSync(from: string, to: string): void {
  const bytes = memory.read(from);
  if (!bytes) throw missing(from);
  memory.write(to, bytes);
  memory.remove(from);
}

export const rmSync = (path: string): void => memory.remove(path);
/** Nothing here outlives the page, so there is nothing to flush. */
export const openSync = (): number => 0;
export const closeSync = (): void => undefined;
export const fsync = (_file: number, done: () => void): void => void queueMicrotask(done);

export const mkdtempSync = (begin: string): string => `${begin}1`;
