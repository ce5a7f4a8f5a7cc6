/** Files and module resolution in Node: local files by path, packages left to the engine. */
import { PAD_FOLDER } from './pad-folder.js';
import { existsSync, readdirSync, readFileSync, realpathSync, statSync, type Stats } from 'node:fs';
import { builtinModules, createRequire } from 'node:module';
import { basename, dirname, extname, isAbsolute, join, resolve as resolvePath, sep } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { resolve as resolveImport } from 'import-meta-resolve';
import type { Made } from '../../instrument/made-code.js';
import type { Files, Resolution } from '../../session/host.js';
import { nearest } from '../../syntax/names.js';
import { isPageFile } from '../../syntax/page-text.js';
import { EXTENSIONS, type PackageType } from '../../syntax/parse.js';
import { AnvilError } from '../../syntax/problems.js';
import type { ProjectSettings } from '../../syntax/settings.js';
import type { FrameworkName } from '../../syntax/tests.js';
import type { FrameworkPlace } from '../../wire/runs.js';
import { additionsFor } from './project/additions.js';
import { addedExtensions, languageFor, madeByLanguage } from './project/languages.js';
import { brokenPackage, wrongManifest } from './project/manifest.js';
import { TestFrameworks } from './project/test-framework.js';
import { mappedPaths, ProjectConfigs } from './project/tsconfig.js';

const { parse: lexScript } = createRequire(import.meta.url)('cjs-module-lexer') as typeof import('cjs-module-lexer');
const BUILTINS = new Set(builtinModules);
/** The folder of our own files, which are loaded as they stand. */
const OWN = fileURLToPath(new URL('../../', import.meta.url));
const INSTRUMENTED = new Set<string>(EXTENSIONS);
/** What an extension written in an import may stand for: TypeScript is imported under the name it will have. */
const ALIASES: Record<string, string[]> = {
  '.js': ['.ts', '.tsx'],
  '.mjs': ['.mts'],
  '.cjs': ['.cts'],
  '.jsx': ['.tsx'],
};

/**
 * Reads a text file.
 *
 * @throws AnvilError `E_NOT_FOUND`, `E_IS_FOLDER`, `E_UNREADABLE`, `E_BINARY`
 */
export function readText(file: string): string {
  let bytes: Buffer;
  try {
    // To read a pipe is to wait for who writes it.
    const stat = statSync(file);
    if (!stat.isFile() && !stat.isDirectory()) throw fileError(file, { code: 'E_NO_FILE' });
    bytes = readFileSync(file);
  } catch (error) {
    throw error instanceof AnvilError ? error : fileError(file, error);
  }
  if (isBinary(bytes))
    throw new AnvilError(
      'E_BINARY',
      `${file} is not text: it holds NUL bytes. Open a source file (${EXTENSIONS.join(' ')}).`,
    );
  const text = bytes.toString('utf8');
  if (text.includes('\uFFFD') && !Buffer.from(text, 'utf8').equals(bytes))
    throw new AnvilError('E_BINARY', `${file} is not UTF-8 text. Save it as UTF-8 first.`);
  return text;
}

/** A NUL may stand in a source file, in a string or a comment; a file of another kind is full of them. */
function isBinary(bytes: Buffer): boolean {
  const head = bytes.subarray(0, 8192);
  let nuls = 0;
  for (const byte of head) if (byte === 0) nuls++;
  return nuls * 10 > head.length;
}

export function fileError(file: string, error: unknown): AnvilError {
  const code = (error as NodeJS.ErrnoException).code;
  switch (code) {
    case 'ENOENT':
    case 'ENOTDIR':
      return new AnvilError('E_NOT_FOUND', `${file} does not exist. Check the path.`, { cause: error });
    case 'EISDIR':
      return new AnvilError(
        'E_IS_FOLDER',
        `${file} is a folder. Name a file in it, or open the folder in the workbench: usher-anvil open ${file}`,
        {
          cause: error,
        },
      );
    case 'EACCES':
    case 'EPERM':
      return new AnvilError('E_UNREADABLE', `${file} cannot be read: permission denied. Change its permissions.`, {
        cause: error,
      });
    case 'E_NO_FILE':
      return new AnvilError('E_UNREADABLE', `${file} is a pipe, a device or a socket. Open a source file.`);
    default:
      return new AnvilError('E_UNREADABLE', `${file} cannot be read: ${(error as Error).message}`, { cause: error });
  }
}

/**
 * Checks that a path names something that can run as a pad, and makes it absolute.
 *
 * @param mayBe also a page; or, in a window, a file that is not there yet as well, in a folder that is
 * @throws AnvilError `E_NOT_FOUND`, `E_IS_FOLDER`, `E_UNREADABLE`, `E_NOT_A_PAD`
 */
export function padPath(given: string, cwd: string, mayBe?: 'page' | 'new'): string {
  const file = resolvePath(cwd, given);
  let stat: Stats;
  try {
    stat = statSync(file);
  } catch (error) {
    const isNew = mayBe === 'new' && (error as NodeJS.ErrnoException).code === 'ENOENT' && existsSync(dirname(file));
    // A name without an extension was meant for something that is there.
    if (!isNew || extname(file) === '') throw fileError(given, error);
    checkExtension(given, true);
    return file;
  }
  if (stat.isDirectory()) throw fileError(given, { code: 'EISDIR' });
  if (!stat.isFile()) throw new AnvilError('E_NOT_A_PAD', `${given} is not a regular file.`);
  checkExtension(file, mayBe !== undefined);
  return file;
}

/** @param mayBePage it is shown in a window, where a page has a place */
function checkExtension(file: string, mayBePage: boolean): void {
  if (isPageFile(file)) {
    if (mayBePage) return;
    throw new AnvilError('E_NOT_A_PAD', `${file} is a page, and is executed in a browser: usher-anvil open ${file}`);
  }
  if (INSTRUMENTED.has(extname(file).toLowerCase()) || languageFor(resolvePath(file))) return;
  const { wrong } = additionsFor(dirname(resolvePath(file)));
  throw new AnvilError(
    'E_NOT_A_PAD',
    `${file} cannot run as a pad: its extension is none of ${EXTENSIONS.join(' ')}` +
      (wrong === '' ? '' : `, and what its project adds cannot be loaded. ${wrong}`),
  );
}

export class NodeFiles implements Files {
  private readonly texts = new Map<string, { key: string; text: string }>();
  private readonly types = new Map<string, { key: string; type: PackageType }>();
  private readonly found = new Map<string, string>();
  private readonly configs = new ProjectConfigs();
  private readonly frameworks: TestFrameworks;

  /** @param careful nothing of the project is executed to learn of its settings */
  constructor(private readonly careful = false) {
    this.frameworks = new TestFrameworks(careful);
  }

  /** @throws AnvilError `E_NOT_FOUND`, `E_IS_FOLDER`, `E_UNREADABLE`, `E_BINARY`, `E_TOO_LARGE` */
  read(file: string): string {
    let key: string;
    try {
      const stat = statSync(file);
      if (stat.isDirectory()) throw fileError(file, { code: 'EISDIR' });
      key = `${stat.mtimeMs}:${stat.size}:${stat.ino}`;
    } catch (error) {
      throw error instanceof AnvilError ? error : fileError(file, error);
    }
    const known = this.texts.get(file);
    if (known?.key === key) return known.text;
    const text = readText(file);
    this.texts.set(file, { key, text });
    return text;
  }

  nameOf(file: string, goal: 'module' | 'script' | 'json'): string {
    return goal === 'module' ? pathToFileURL(file).href : file;
  }

  packageType(file: string): PackageType {
    for (let folder = dirname(file); ; folder = dirname(folder)) {
      const path = join(folder, 'package.json');
      try {
        const stat = statSync(path);
        const key = `${stat.mtimeMs}:${stat.size}`;
        const known = this.types.get(path);
        if (known?.key === key) return known.type;
        const { type } = JSON.parse(readFileSync(path, 'utf8')) as { type?: string };
        const found = type === 'module' || type === 'commonjs' ? type : undefined;
        this.types.set(path, { key, type: found });
        return found;
      } catch {
        // None here, or not readable as JSON: the next folder up decides.
      }
      if (dirname(folder) === folder) return undefined;
    }
  }

  made(file: string, text: string): Made | undefined {
    return madeByLanguage(file, text, this.careful);
  }

  framework(file: string, name: FrameworkName | undefined): FrameworkPlace | undefined {
    return this.frameworks.of(file, name);
  }

  stamp(file: string): string {
    try {
      const { mtimeMs, size, ino } = statSync(file);
      return `${mtimeMs}:${size}:${ino}`;
    } catch {
      return '';
    }
  }

  beside(file: string, name: string): string {
    return resolvePath(dirname(file), name);
  }

  resolve(specifier: string, from: string, how: 'import' | 'require' = 'import'): Resolution {
    if (specifier === 'node:test') return { kind: 'tests' };
    if (specifier === 'usher-anvil/pad') return { kind: 'pad' };
    if (specifier === 'usher-anvil/live') return { kind: 'live' };
    if (specifier.startsWith('node:') || BUILTINS.has(specifier)) return { kind: 'builtin' };
    if (/^(https?|data):/.test(specifier))
      return specifier.startsWith('data:')
        ? { kind: 'package' }
        : {
            kind: 'missing',
            message:
              `'${specifier}' cannot be imported: modules come from files ` +
              'and packages. Download it, or use fetch().',
          };
    const isPath = /^\.{0,2}\//.test(specifier) || specifier === '.' || specifier === '..' || isAbsolute(specifier);
    const [, address, query] = /^([^?#]*)([?#].+)$/.exec(specifier) ?? [];
    if (address !== undefined && how === 'import' && (isPath || specifier.startsWith('file:'))) {
      const found = this.resolve(address, from);
      if (found.kind === 'local') return { ...found, query: query! };
    }
    const path = specifier.startsWith('file:')
      ? fileURLToPath(specifier)
      : isPath
        ? resolvePath(dirname(from), specifier)
        : undefined;
    const mapped = this.mapped(specifier, from, path);
    if (mapped !== undefined) return this.local(mapped);
    if (path === undefined) return this.packageOf(specifier, from, how);
    const file = this.candidate(path);
    if (file === undefined)
      return { kind: 'missing', message: `'${specifier}' does not exist.${this.near(path, specifier)}` };
    return this.local(file);
  }

  private local(file: string): Resolution {
    const extension = extname(file).toLowerCase();
    const isCode = INSTRUMENTED.has(extension) || extension === '.json' || languageFor(file) !== undefined;
    if (file.includes(`${sep}node_modules${sep}`) || !isCode) return { kind: 'package' };
    return { kind: 'local', file };
  }

  /** Where the project's settings say that a name leads: `paths`, `baseUrl` and, for relative names, `rootDirs`. */
  private mapped(specifier: string, from: string, path: string | undefined): string | undefined {
    if (!/\.(?:[cm]?ts|[jt]sx)$/i.test(from) || from.includes(`${sep}node_modules${sep}`)) return undefined;
    const config = this.configs.of(from);
    if (!config) return undefined;
    if (path === undefined) {
      for (const candidate of mappedPaths(config, specifier)) {
        const found = this.candidate(candidate);
        if (found !== undefined) return found;
      }
      return undefined;
    }
    if (config.rootDirs.length === 0 || this.candidate(path) !== undefined) return undefined;
    const root = config.rootDirs.find((one) => path.startsWith(`${one}${sep}`));
    for (const other of root === undefined ? [] : config.rootDirs) {
      const found = this.candidate(join(other, path.slice(root!.length)));
      if (found !== undefined) return found;
    }
    return undefined;
  }

  private packageOf(specifier: string, from: string, how: 'import' | 'require'): Resolution {
    const file = this.packageFile(specifier, from, how);
    if (file !== undefined && !file.includes(`${sep}node_modules${sep}`)) {
      const extension = extname(file).toLowerCase();
      if ((INSTRUMENTED.has(extension) || extension === '.json') && !file.startsWith(OWN))
        return { kind: 'local', file };
    }
    if (file !== undefined) return { kind: 'package' };
    const name = specifier.startsWith('@') ? specifier.split('/').slice(0, 2).join('/') : specifier.split('/')[0]!;
    if (specifier.startsWith('#')) return { kind: 'package' };
    for (let folder = dirname(from); ; folder = dirname(folder)) {
      const installed = join(folder, 'node_modules', name);
      const broken = existsSync(installed) ? brokenPackage(installed, specifier, name) : undefined;
      if (broken !== undefined) return { kind: 'missing', message: broken };
      // It is there: what else is wrong with it, the engine's own loader says.
      if (existsSync(installed)) return { kind: 'package' };
      // Perhaps added for the pads here, perhaps further up.
      if (existsSync(join(folder, PAD_FOLDER, 'node_modules', name, 'package.json')))
        return { kind: 'package', base: join(folder, PAD_FOLDER, 'pad.js') };
      if (dirname(folder) === folder) break;
    }
    return {
      kind: 'missing',
      message: `the package '${name}' is not installed. Add it: usher-anvil add ${name} --for ${basename(from)}`,
      package: name,
    };
  }

  /**
   * The file that a name leads to by the engine's rules; undefined where it leads to none. Found once, and again when
   * that file has gone.
   */
  private packageFile(specifier: string, from: string, how: 'import' | 'require'): string | undefined {
    const key = `${how} ${specifier}\n${dirname(from)}`;
    const known = this.found.get(key);
    if (known !== undefined && isFile(known)) return known;
    try {
      const url =
        how === 'import'
          ? resolveImport(specifier, pathToFileURL(from).href)
          : pathToFileURL(createRequire(from).resolve(specifier)).href;
      if (!url.startsWith('file:')) return undefined;
      const file = real(fileURLToPath(url));
      if (!isFile(file)) return undefined;
      this.found.set(key, file);
      return file;
    } catch {
      return undefined;
    }
  }

  settings(file: string): ProjectSettings | undefined {
    return /\.(?:[cm]?ts|[jt]sx)$/i.test(file) ? this.configs.of(file)?.settings : undefined;
  }

  wrong(file: string): string {
    const manifest = wrongManifest(dirname(file));
    if (manifest) return `${manifest.file} ${manifest.message}. It counts as empty until it is mended.`;
    if (!/\.(?:[cm]?ts|[jt]sx)$/i.test(file)) return '';
    const wrong = this.configs.wrong(file);
    if (wrong === '') return '';
    return `${this.configs.of(file)!.file} ${wrong.replace(/\.$/, '')}. That part of it is left out until it is mended.`;
  }

  scriptNames(file: string, text: string): string[] {
    return [...this.namesOf(file, text, new Set())];
  }

  private namesOf(file: string, text: string, seen: Set<string>): Set<string> {
    const names = new Set<string>();
    if (seen.has(file)) return names;
    seen.add(file);
    try {
      const { exports, reexports } = lexScript(text);
      for (const name of exports) names.add(name);
      for (const specifier of reexports) {
        const other = createRequire(file).resolve(specifier);
        if (isAbsolute(other)) for (const name of this.namesOf(other, this.read(other), seen)) names.add(name);
      }
    } catch {
      // What the lexer cannot read has no names, as in the engine.
    }
    return names;
  }

  private candidate(path: string): string | undefined {
    if (isFile(path)) return real(path);
    const extension = extname(path).toLowerCase();
    for (const alias of ALIASES[extension] ?? [])
      if (isFile(path.slice(0, -extension.length) + alias)) return real(path.slice(0, -extension.length) + alias);
    const more = addedExtensions(dirname(path)).flatMap(({ plugin }) => plugin.extensions);
    for (const added of [...EXTENSIONS, '.json', ...more]) if (isFile(path + added)) return real(path + added);
    for (const added of EXTENSIONS) if (isFile(join(path, `index${added}`))) return real(join(path, `index${added}`));
    return undefined;
  }

  private near(path: string, specifier: string): string {
    const folder = dirname(path);
    const wanted = path.slice(folder.length + 1);
    try {
      const names = readdirSync(folder).filter((name) => INSTRUMENTED.has(extname(name)) || name.endsWith('.json'));
      const bare = new Map(names.map((name) => [name.slice(0, name.length - extname(name).length), name]));
      const found = nearest(wanted, names) ?? bare.get(nearest(wanted, bare.keys()) ?? '');
      return found
        ? ` Did you mean '${specifier.slice(0, specifier.length - wanted.length)}${found}'?`
        : ' Check the path.';
    } catch {
      return ' Check the path.';
    }
  }
}

function isFile(path: string): boolean {
  try {
    return statSync(path).isFile();
  } catch {
    return false;
  }
}

/** Where a path leads, through links; the path itself where it leads nowhere. */
export function real(path: string): string {
  try {
    return realpathSync(path);
  } catch {
    return path;
  }
}
