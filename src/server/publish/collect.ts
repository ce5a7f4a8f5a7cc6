/** What a pad needs to run in a page: its files, its packages, and what its last run looked like. */
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, dirname, join, relative, sep } from 'node:path';
import { builtinModules } from 'node:module';
import { madeByLanguage } from '../../hosts/node/project/languages.js';
import { NodeFiles, readText } from '../../hosts/node/files.js';
import { isPagePad } from '../../hosts/pages/index.js';
import { isAnswered } from '../../hosts/pages/node-modules.js';
import { eraseTypes } from '../../instrument/erase.js';
import { outlineOfText } from '../../syntax/outlined.js';
import type { ProjectSettings } from '../../syntax/settings.js';
import { AnvilError } from '../../syntax/problems.js';
import type { ToWindow } from '../protocol.js';
import { WorkbenchSession } from '../workbench/session.js';
import { type PublishedAdditions, publishAdditions } from './additions.js';
import { publishPackages } from './packages.js';
import { type Gathered, gatherPage } from './page-pad.js';

/** Milliseconds for the parts of a record that a window is told behind the record itself. */
const REST_MS = 300;
/** Bytes of a file that comes along. */
const MOST_BYTES = 20 * 1024 * 1024;

/** As `usher-anvil/published@1` has it; see `docs/publish.md`. */
export interface PublishedPad {
  format: 'usher-anvil/published@1';
  pad: string;
  files: Record<string, string | { base64: string }>;
  packages: { names: string[]; code: string; broken?: Record<string, string> };
  settings?: object;
  /** What the project adds, and how files of its languages look in the editor. */
  additions?: PublishedAdditions;
  /** Of the project's `package.json`. */
  type?: 'module' | 'commonjs';
  /** A file of it needs the compiler. */
  compiles: boolean;
  /** It needs the whole compiler, which lies beside the pages of a folder. */
  lowers?: true;
  runs: boolean;
  last: ToWindow[];
}

/**
 * Executes a pad once, and gathers what it took part in.
 *
 * @param file absolute path
 * @param runs it is executed as soon as it is opened
 * @throws AnvilError `E_TOO_LARGE` for a file that is, `E_NO_PACKAGE` for a part of the project that cannot be bundled
 * for a page; what cannot be read
 */
export async function collectPad(file: string, runs: boolean, timeLimitMs: number): Promise<PublishedPad> {
  const gathered = isPagePad(file, readText(file)) ? await gatherPage(file) : await gatherScript(file, timeLimitMs);
  const { code, others, textOf, wanted, last } = gathered;
  const found = new NodeFiles();
  const files = [...new Set([...code, ...dataOf(code, found), ...manifestsOf(code), ...others])];
  const root = commonFolder(files);
  const nameOf = (path: string): string => `/${relative(root, path).split(sep).join('/')}`;
  const settings = found.settings(file);
  const type = found.packageType(file);
  const additions = await publishAdditions(dirname(file));
  return {
    format: 'usher-anvil/published@1',
    pad: nameOf(file),
    files: Object.fromEntries(files.map((path) => [nameOf(path), contentOf(path)])),
    packages: await publishPackages(code, textOf, nameOf, wanted),
    ...(additions ? { additions } : {}),
    // The page says the name of the file, and nothing of where it lay.
    ...(settings ? { settings: { ...settings, from: basename(settings.from) } } : {}),
    ...(type === undefined ? {} : { type }),
    compiles: code.some((path) => needsCompiler(path)),
    ...(code.some((path) => isLowered(path, settings)) ? { lowers: true as const } : {}),
    runs,
    // What runs at once is not looked at before.
    last: runs || !last ? [] : last.told.map((one) => renamed(one, (name) => nameOf(join(last.root, name)).slice(1))),
  };
}

/** Executes a script, and gathers what it took part in. */
async function gatherScript(file: string, timeLimitMs: number): Promise<Gathered> {
  const state = mkdtempSync(join(tmpdir(), 'usher-anvil-publish-'));
  const session = new WorkbenchSession({ root: dirname(file), pad: file, state, types: false, ownPads: true });
  try {
    const last = { root: dirname(file), told: await lastRun(session, timeLimitMs) };
    const { files, packages, dataFile } = session;
    const others = dataFile === undefined ? [] : [dataFile];
    return { code: [...files], others, textOf: madeText, wanted: [...packages], last };
  } finally {
    await session.close();
    rmSync(state, { recursive: true, force: true });
  }
}

/** Types of it decide what runs, or it has elements. */
function needsCompiler(path: string): boolean {
  const text = readText(path);
  return /\.[jt]sx$/.test(path) || (/\.[mc]?ts$/.test(path) && eraseTypes(text, 'module') === null);
}

/** Only the whole compiler translates it. */
function isLowered(path: string, settings: ProjectSettings | undefined): boolean {
  return /\.[cm]?[jt]sx?$/.test(path) && outlineOfText(readText(path), path, settings)?.lowers === true;
}

/** Modules of Node that code imports and a page cannot have, with their places: there the pad fails in the page. */
export function unansweredImports(pad: PublishedPad): { file: string; line: number; specifier: string }[] {
  return Object.entries(pad.files).flatMap(([file, text]) => {
    if (typeof text !== 'string' || !/\.[cm]?[jt]sx?$/.test(file)) return [];
    return (outlineOfText(text, file)?.imports ?? []).flatMap(({ specifier, typeOnly, at }) => {
      const name = specifier.replace(/^node:/, '');
      const isNode = builtinModules.includes(name) || specifier.startsWith('node:');
      if (typeOnly || !isNode || isAnswered(specifier) || /^(?:assert(?:\/strict)?|test)$/.test(name)) return [];
      return [{ file: file.slice(1), line: text.slice(0, at.start).split('\n').length, specifier }];
    });
  });
}

/** Text of a file, or what a language of the project makes of it. */
function madeText(file: string): string {
  const text = readText(file);
  const made = madeByLanguage(file, text, false);
  return made && 'code' in made ? made.code : text;
}

/** What code imports that is no code. */
function dataOf(code: readonly string[], files: NodeFiles): string[] {
  return code.flatMap((file) => {
    const text = madeText(file);
    return (outlineOfText(text, file)?.imports ?? []).flatMap(({ specifier, typeOnly }) => {
      const found = typeOnly || !/^\./.test(specifier) ? undefined : files.resolve(specifier, file);
      return found?.kind === 'local' ? [found.file] : [];
    });
  });
}

/** Manifests of folders that are required by their names, and that say which file it is. */
function manifestsOf(code: readonly string[]): string[] {
  return code.flatMap((file) => {
    for (let folder = dirname(file); folder !== dirname(folder); folder = dirname(folder)) {
      const path = join(folder, 'package.json');
      if (!existsSync(path)) continue;
      const named = mainOf(path);
      const isNamed = named !== undefined && ['', '.js', '.cjs', '/index.js'].some((end) => named + end === file);
      return isNamed ? [path] : [];
    }
    return [];
  });
}

function mainOf(manifest: string): string | undefined {
  try {
    const { main } = JSON.parse(readFileSync(manifest, 'utf8')) as { main?: unknown };
    return typeof main === 'string' ? join(dirname(manifest), main) : undefined;
  } catch {
    return undefined;
  }
}

/** What a window that comes after the run is told of it. */
async function lastRun(session: WorkbenchSession, timeLimitMs: number): Promise<ToWindow[]> {
  const hello = { type: 'hello', format: 'usher-anvil/window@2' } as const;
  await new Promise<void>((resolve) => {
    const limit = setTimeout(resolve, timeLimitMs);
    const first = session.connect({
      send(message) {
        if (message.type !== 'record' || !message.ended) return;
        clearTimeout(limit);
        resolve();
      },
    });
    first.receive(hello);
  });
  const told = new Map<string, ToWindow>();
  const second = session.connect({
    send(message) {
      if (message.type === 'record' || message.type === 'shown') told.set(message.type, message);
    },
  });
  second.receive(hello);
  await new Promise((resolve) => setTimeout(resolve, REST_MS));
  second.leave();
  return [...told.values()];
}

/** Names of files in what a window was told are those that the page has. */
function renamed(message: ToWindow, nameOf: (name: string) => string): ToWindow {
  return JSON.parse(
    JSON.stringify(message, (key, value: unknown) => {
      // Numbers behind the pixels of a picture are as much again, and come with the first run.
      if (key === 'pixels') return { ...(value as object), values: undefined };
      return (key === 'file' || key === 'pad') && typeof value === 'string' ? nameOf(value) : value;
    }),
  ) as ToWindow;
}

function contentOf(path: string): string | { base64: string } {
  const bytes = readFileSync(path);
  if (bytes.length > MOST_BYTES)
    throw new AnvilError('E_TOO_LARGE', `${path} has ${bytes.length} bytes; at most ${MOST_BYTES} come along.`);
  const text = bytes.toString('utf8');
  return Buffer.from(text, 'utf8').equals(bytes) ? text : { base64: bytes.toString('base64') };
}

function commonFolder(files: readonly string[]): string {
  let folder = dirname(files[0]!);
  for (const file of files)
    while (!file.startsWith(folder + sep) && folder !== dirname(folder)) folder = dirname(folder);
  return folder;
}
