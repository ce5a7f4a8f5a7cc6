/** Files of a published pad: texts that lie in memory, and the packages that came with it. */
import type { Files, Resolution } from '../../session/host.js';
import type { Made } from '../../instrument/made-code.js';
import { EXTENSIONS, type PackageType } from '../../syntax/parse.js';
import { nearest } from '../../syntax/names.js';
import { AnvilError } from '../../syntax/problems.js';
import type { ProjectSettings } from '../../syntax/settings.js';

/** Where the texts are. */
export interface TextStore {
  /** Undefined where there is no such file. */
  textOf(file: string): string | undefined;
  /** Differs when the text may. */
  stampOf(file: string): string;
  names(): readonly string[];
}

/** Modules of Node that a page can answer. */
const ANSWERED = new Set(['assert', 'assert/strict']);
const BUILTINS =
  /^(?:node:.*|assert|async_hooks|buffer|child_process|cluster|console|crypto|dgram|dns|domain|events|fs|http2?|https|inspector|module|net|os|path|perf_hooks|process|punycode|querystring|readline|repl|stream|string_decoder|timers|tls|tty|url|util|v8|vm|wasi|worker_threads|zlib)(?:\/.*)?$/;

/** True for a module that Node has. */
export function isNodeModule(specifier: string): boolean {
  return BUILTINS.test(specifier);
}

const ALIASES: Record<string, string[]> = {
  '.js': ['.ts', '.tsx'],
  '.mjs': ['.mts'],
  '.cjs': ['.cts'],
  '.jsx': ['.tsx'],
};

/** Which packages came with a pad. */
export interface CarriedNames {
  /** Specifiers. */
  names: ReadonlySet<string>;
  /** Why others that are imported did not, by specifier and folder. */
  broken: Readonly<Record<string, string>>;
}

export class AloneFiles implements Files {
  /**
   * @param projectSettings what the project said of its files when it was published, as `type` of its `package.json`
   */
  constructor(
    private readonly store: TextStore,
    private readonly packages: CarriedNames,
    private readonly projectSettings: ProjectSettings | undefined,
    private readonly type: PackageType,
    readonly made?: ((file: string, text: string) => Made | undefined) | undefined,
  ) {}

  /** All files that there are. */
  get names(): readonly string[] {
    return this.store.names();
  }

  read(file: string): string {
    const text = this.store.textOf(file);
    if (text === undefined) throw new AnvilError('E_NOT_FOUND', `${file} does not exist. Check the path.`);
    return text;
  }

  resolve(specifier: string, from: string): Resolution {
    if (specifier === 'node:test') return { kind: 'tests' };
    if (specifier === 'usher-anvil/pad') return { kind: 'pad' };
    if (this.packages.names.has(specifier)) return { kind: 'package' };
    const why = this.packages.broken[`${specifier}\n${from.replace(/\/[^/]*$/, '')}`];
    if (why !== undefined) return { kind: 'missing', message: why };
    if (ANSWERED.has(specifier.replace(/^node:/, ''))) return { kind: 'builtin' };
    // Those that a browser can answer come with the pad, as packages.
    if (BUILTINS.test(specifier))
      return {
        kind: 'missing',
        message: `'${specifier}' is a module of Node, and this pad runs in a page without one. Open it where it came from, with usher-anvil open, or take what browsers have.`,
      };
    if (/^\.{0,2}\//.test(specifier) || specifier === '.' || specifier === '..') {
      const path = joined(from, specifier.replace(/[?#].*$/, ''));
      const file = this.candidate(path);
      if (file !== undefined) return { kind: 'local', file };
      const near = nearest(path, this.store.names());
      return {
        kind: 'missing',
        message: `'${specifier}' does not exist.${near === undefined ? ' Check the path.' : ` Did you mean ${near}?`}`,
      };
    }
    if (/^(?:https?|data|blob):/.test(specifier))
      return {
        kind: 'missing',
        message: `'${specifier}' cannot be imported: modules come from the files and packages of this page.`,
      };
    return {
      kind: 'missing',
      message: `the package '${specifier}' was not published with this pad. Import it where the pad came from, and publish it anew.`,
    };
  }

  /** @param isNamed a folder may say in its manifest which file it is */
  private candidate(path: string, isNamed = true): string | undefined {
    const has = (file: string): boolean => this.store.textOf(file) !== undefined;
    if (has(path)) return path;
    const extension = /\.\w+$/.exec(path)?.[0] ?? '';
    for (const alias of ALIASES[extension] ?? [])
      if (has(path.slice(0, -extension.length) + alias)) return path.slice(0, -extension.length) + alias;
    const main = isNamed ? this.mainOf(path) : undefined;
    if (main !== undefined) return main;
    return [...EXTENSIONS, '.json']
      .flatMap((added) => [`${path}${added}`, `${path}/index${added}`])
      .find((file) => has(file));
  }

  /** What the manifest of a folder says that it is. */
  private mainOf(folder: string): string | undefined {
    const manifest = this.store.textOf(`${folder === '/' ? '' : folder}/package.json`);
    if (manifest === undefined) return undefined;
    try {
      const { main } = JSON.parse(manifest) as { main?: unknown };
      return typeof main === 'string' ? this.candidate(joined(`${folder}/package.json`, main), false) : undefined;
    } catch {
      return undefined;
    }
  }

  packageType(): PackageType {
    return this.type;
  }

  settings(): ProjectSettings | undefined {
    return this.projectSettings;
  }

  /** As far as its text says them plainly. */
  scriptNames(_file: string, text: string): string[] {
    const names = [...text.matchAll(/\bexports\.([\p{L}_$][\p{L}\d_$]*)\s*=(?!=)/gu)].map(([, name]) => name!);
    const whole = /\bmodule\.exports\s*=\s*\{([^{}]*)\}/.exec(text)?.[1] ?? '';
    for (const part of whole.split(',')) {
      const name = /^\s*([\p{L}_$][\p{L}\d_$]*)\s*(?::|$)/u.exec(part)?.[1];
      if (name !== undefined) names.push(name);
    }
    return [...new Set(names)];
  }

  beside(file: string, name: string): string {
    return joined(file, name);
  }

  stamp(file: string): string {
    return this.store.stampOf(file);
  }

  nameOf(file: string): string {
    return file;
  }
}

/** A path that is named beside a file. */
function joined(from: string, name: string): string {
  const parts = name.startsWith('/') ? [] : from.split('/').slice(0, -1);
  for (const part of name.split('/')) {
    if (part === '..') parts.pop();
    else if (part !== '.' && part !== '') parts.push(part);
  }
  return `/${parts.filter(Boolean).join('/')}`;
}
