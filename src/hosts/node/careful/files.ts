/** Writes to files, as they are held. */
import { relative, resolve, sep } from 'node:path';
import type { Holding } from './hold.js';
import { replace, wrapCallback, wrapNow, wrapPromise, type Functions } from './wrap.js';

/** What each function changes; the paths it names are its first arguments. */
const CHANGES: Readonly<Record<string, { verb: string; paths: 1 | 2; data?: true }>> = {
  writeFile: { verb: 'write', paths: 1, data: true },
  appendFile: { verb: 'append to', paths: 1, data: true },
  truncate: { verb: 'truncate', paths: 1 },
  unlink: { verb: 'remove', paths: 1 },
  rm: { verb: 'remove', paths: 1 },
  rmdir: { verb: 'remove the folder', paths: 1 },
  mkdir: { verb: 'make the folder', paths: 1 },
  mkdtemp: { verb: 'make a folder', paths: 1 },
  rename: { verb: 'rename', paths: 2 },
  copyFile: { verb: 'copy', paths: 2 },
  cp: { verb: 'copy', paths: 2 },
  link: { verb: 'link', paths: 2 },
  symlink: { verb: 'link', paths: 2 },
  chmod: { verb: 'change the mode of', paths: 1 },
  chown: { verb: 'change the owner of', paths: 1 },
  lchown: { verb: 'change the owner of', paths: 1 },
  utimes: { verb: 'change the times of', paths: 1 },
  lutimes: { verb: 'change the times of', paths: 1 },
};

/** Flags of the platform with which a file is opened to be read alone. */
const READ_ONLY = /^(?:r|rs|sr)$/;

export function holdFiles(
  fs: Functions & { promises: Functions; constants: Record<string, number> },
  holding: Holding,
): void {
  const { O_WRONLY = 1, O_RDWR = 2, O_CREAT = 64, O_TRUNC = 512, O_APPEND = 1024 } = fs.constants;
  const writes = O_WRONLY | O_RDWR | O_CREAT | O_TRUNC | O_APPEND;
  const opened = ([path, flags]: unknown[]): string | undefined => {
    const reads =
      flags === undefined ||
      typeof flags === 'function' ||
      (typeof flags === 'number' ? (flags & writes) === 0 : READ_ONLY.test(String(flags)));
    return reads || isNoFile(path) ? undefined : `open ${nameOf(path)} for writing`;
  };
  holdStreams(fs, holding);
  for (const [name, { verb, paths, data }] of Object.entries(CHANGES)) {
    const describe = (args: unknown[]): string | undefined =>
      isNoFile(args[0]) ? undefined : `${verb} ${nameOf(args[0])}${paths === 2 ? ` to ${nameOf(args[1])}` : ''}`;
    const detail = data ? (args: unknown[]) => sizeOf(args[1]) : undefined;
    wrapNow(fs, `${name}Sync`, holding, describe, detail);
    wrapCallback(fs, name, holding, describe, detail);
    wrapPromise(fs.promises, name, holding, describe, detail);
  }
  wrapNow(fs, 'openSync', holding, opened);
  wrapCallback(fs, 'open', holding, opened);
  wrapPromise(fs.promises, 'open', holding, opened);
}

/** A stream opens its file a little later, when nobody knows any more where it was made: it is held where it is made. */
function holdStreams(fs: Functions, holding: Holding): void {
  const { open, write, writev, close } = fs;
  const own = { open, write, writev, close };
  replace(
    fs,
    'createWriteStream',
    (original) =>
      function (this: unknown, path: unknown, options: unknown): unknown {
        const given =
          typeof options === 'string' ? { encoding: options } : ((options ?? {}) as Record<string, unknown>);
        if (holding.isThrough || isNoFile(path) || given.fd !== undefined || given.fs !== undefined)
          return Reflect.apply(original, this, [path, options]);
        holding.now(`open ${nameOf(path)} for writing`);
        return Reflect.apply(original, this, [path, { ...given, fs: own }]);
      },
  );
}

/** A descriptor that was opened before, or a place that swallows everything. */
function isNoFile(path: unknown): boolean {
  return (
    typeof path === 'number' || path === '/dev/null' || (typeof path === 'object' && path !== null && 'fd' in path)
  );
}

/** A path for people: relative where it lies below the working directory. */
function nameOf(path: unknown): string {
  const text = path instanceof URL ? decodeURIComponent(path.pathname) : String(path);
  const below = relative(process.cwd(), resolve(text));
  return below !== '' && !below.startsWith(`..${sep}`) && below !== '..' ? below : text;
}

function sizeOf(data: unknown): string | undefined {
  const bytes =
    typeof data === 'string' ? Buffer.byteLength(data) : ArrayBuffer.isView(data) ? data.byteLength : undefined;
  return bytes === undefined ? undefined : `${bytes.toLocaleString('en-US')} ${bytes === 1 ? 'byte' : 'bytes'}`;
}
