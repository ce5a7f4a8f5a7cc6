/**
 * The `tsconfig.json` of a project, read by TypeScript's own reader: which one
 * a file belongs to, and what it says about what runs.
 */
import { existsSync, readFileSync, statSync } from 'node:fs';
import { createRequire } from 'node:module';
import { basename, dirname, join, relative, resolve, sep } from 'node:path';
import type * as TypeScript from 'typescript';
import type { ProjectSettings } from '../../../syntax/settings.js';

const require = createRequire(import.meta.url);

/** Parts of TypeScript that its types leave out. */
type Compiler = typeof TypeScript & {
  matchFiles(
    path: string,
    extensions: readonly string[],
    excludes: readonly string[] | undefined,
    includes: readonly string[] | undefined,
    caseSensitive: boolean,
    current: string,
    depth: number | undefined,
    entries: (path: string) => { files: string[]; directories: string[] },
    real: (path: string) => string,
  ): string[];
  getEmitModuleKind(options: TypeScript.CompilerOptions): TypeScript.ModuleKind;
  getESModuleInterop(options: TypeScript.CompilerOptions): boolean;
  getUseDefineForClassFields(options: TypeScript.CompilerOptions): boolean;
};
let compiler: Compiler | undefined;
const typescript = (): Compiler => (compiler ??= require('typescript') as Compiler);

export interface ProjectConfig {
  file: string;
  settings: ProjectSettings;
  /** `paths` with the folder that they are relative to, and `baseUrl`. */
  paths: { pattern: string; targets: string[] }[];
  base: string;
  baseUrl: string | undefined;
  rootDirs: string[];
  /** All compiler options, for what only TypeScript translates. */
  options: TypeScript.CompilerOptions;
}

interface Read {
  config: ProjectConfig;
  /** Whether the configuration takes in a file. */
  includes(file: string): boolean;
  references: string[];
  /** Files that it was read from, with the time of their change. */
  stamps: [string, number][];
  /** What of it cannot be read, for a person; empty where all can. */
  wrong: string;
}

export class ProjectConfigs {
  private readonly known = new Map<string, Read | undefined>();
  private readonly byFolder = new Map<string, { config: ProjectConfig | undefined; at: number }>();

  /** The configuration of a file: the nearest that takes it in, else the nearest. Undefined where there is none. */
  of(file: string): ProjectConfig | undefined {
    // Looked for again now and then: one may come or go.
    const now = Date.now();
    const kept = this.byFolder.get(file);
    if (kept && now - kept.at < 1_000) return kept.config;
    const config = this.find(file);
    this.byFolder.set(file, { config, at: now });
    return config;
  }

  /** What of the configuration of a file cannot be read, for a person; empty where all can. */
  wrong(file: string): string {
    const config = this.of(file);
    return (config && this.known.get(config.file)?.wrong) ?? '';
  }

  private find(file: string): ProjectConfig | undefined {
    let nearest: Read | undefined;
    for (let folder = dirname(file); ; folder = dirname(folder)) {
      const path = join(folder, 'tsconfig.json');
      if (existsSync(path)) {
        const found = this.taking(path, file, new Set());
        if (found) return found.config;
        nearest ??= this.read(path);
      }
      if (dirname(folder) === folder || basename(folder) === 'node_modules') break;
    }
    return nearest?.config;
  }

  /** The configuration, or one that it refers to, which takes in a file. */
  private taking(path: string, file: string, seen: Set<string>): Read | undefined {
    if (seen.has(path)) return undefined;
    seen.add(path);
    const read = this.read(path);
    if (!read) return undefined;
    if (read.includes(file)) return read;
    for (const reference of read.references) {
      const found = this.taking(reference, file, seen);
      if (found) return found;
    }
    return undefined;
  }

  private read(path: string): Read | undefined {
    const known = this.known.get(path);
    if (known?.stamps.every(([file, time]) => timeOf(file) === time)) return known;
    const made = read(path);
    this.known.set(path, made);
    return made;
  }
}

function timeOf(file: string): number {
  return statSync(file, { throwIfNoEntry: false })?.mtimeMs ?? 0;
}

function read(path: string): Read | undefined {
  const ts = typescript();
  const stamps: [string, number][] = [];
  const text = (file: string): string | undefined => {
    try {
      stamps.push([file, timeOf(file)]);
      return readFileSync(file, 'utf8');
    } catch {
      return undefined;
    }
  };
  const { config, error } = ts.readConfigFile(path, text) as { config?: unknown; error?: TypeScript.Diagnostic };
  if (config === undefined) return undefined;
  let asked:
    { extensions: readonly string[]; excludes: readonly string[] | undefined; includes: readonly string[] } | undefined;
  const host: TypeScript.ParseConfigHost = {
    useCaseSensitiveFileNames: true,
    fileExists: existsSync,
    readFile: text,
    // Which files there are is asked for each file that is to run, not of the whole disk.
    readDirectory(_root, extensions, excludes, includes) {
      asked = { extensions, excludes, includes };
      return [];
    },
  };
  const folder = dirname(path);
  const parsed = ts.parseJsonConfigFileContent(config, host, folder, undefined, path);
  const { options } = parsed;
  const listed = new Set(parsed.fileNames.map((name) => resolve(folder, name)));
  const allowed = options.allowJs === true || options.checkJs === true;
  const errors = [...(error ? [error] : []), ...parsed.errors.filter(({ code }) => !NO_FILES.has(code))];
  return {
    stamps,
    wrong: errors.length > 0 ? diagnosticText(ts, errors[0]!) : '',
    references: (parsed.projectReferences ?? []).map((reference) => configAt(reference.path)),
    includes(file) {
      if (listed.has(file)) return true;
      if (!asked || relative(folder, file).startsWith('..')) return false;
      if (!allowed && /\.[cm]?jsx?$/i.test(file)) return false;
      const parts = relative(folder, file).split(sep);
      const entries = (at: string): { files: string[]; directories: string[] } => {
        const rest = relative(folder, at);
        const depth = rest === '' ? 0 : rest.split(sep).length;
        if (rest !== parts.slice(0, depth).join(sep)) return { files: [], directories: [] };
        const next = parts[depth];
        return next === undefined
          ? { files: [], directories: [] }
          : depth === parts.length - 1
            ? { files: [next], directories: [] }
            : { files: [], directories: [next] };
      };
      return (
        ts.matchFiles(
          folder,
          asked.extensions,
          asked.excludes,
          asked.includes,
          true,
          folder,
          undefined,
          entries,
          (one) => one,
        ).length > 0
      );
    },
    config: {
      file: path,
      options,
      settings: settingsOf(ts, options, path),
      paths: Object.entries(options.paths ?? {}).map(([pattern, targets]) => ({ pattern, targets })),
      base: options.baseUrl ?? (options as { pathsBasePath?: string }).pathsBasePath ?? folder,
      baseUrl: options.baseUrl,
      rootDirs: (options.rootDirs ?? []).map((one) => resolve(folder, one)),
    },
  };
}

/** A configuration that takes in no file that is there is no wrong one. */
const NO_FILES = new Set([18_002, 18_003]);

function diagnosticText(ts: Compiler, { file, start, messageText }: TypeScript.Diagnostic): string {
  const text = ts.flattenDiagnosticMessageText(messageText, ' ');
  const line = file && start !== undefined ? file.getLineAndCharacterOfPosition(start).line + 1 : undefined;
  return `${line === undefined ? '' : `line ${line}: `}${text}`;
}

function configAt(path: string): string {
  return path.endsWith('.json') ? path : join(path, 'tsconfig.json');
}

function settingsOf(ts: Compiler, options: TypeScript.CompilerOptions, from: string): ProjectSettings {
  const kind = ts.getEmitModuleKind(options);
  const { ModuleKind, JsxEmit } = ts;
  return {
    module:
      kind >= ModuleKind.Node16 && kind <= ModuleKind.NodeNext
        ? 'node'
        : kind === ModuleKind.CommonJS || kind < ModuleKind.ES2015
          ? 'commonjs'
          : 'esm',
    esModuleInterop: ts.getESModuleInterop(options),
    experimentalDecorators: options.experimentalDecorators === true,
    emitDecoratorMetadata: options.experimentalDecorators === true && options.emitDecoratorMetadata === true,
    useDefineForClassFields: ts.getUseDefineForClassFields(options),
    verbatimModuleSyntax: options.verbatimModuleSyntax === true,
    jsx: options.jsx === JsxEmit.React ? 'classic' : options.jsx === JsxEmit.ReactJSXDev ? 'development' : 'automatic',
    jsxFactory: options.jsxFactory ?? `${options.reactNamespace ?? 'React'}.createElement`,
    jsxFragmentFactory: options.jsxFragmentFactory ?? `${options.reactNamespace ?? 'React'}.Fragment`,
    jsxImportSource: options.jsxImportSource ?? 'react',
    from,
  };
}

/** Where `paths` and `baseUrl` say that a name may be, the best match first. */
export function mappedPaths({ paths, base, baseUrl }: ProjectConfig, specifier: string): string[] {
  let best: { prefix: number; targets: string[] } | undefined;
  for (const { pattern, targets } of paths) {
    const star = pattern.indexOf('*');
    if (star < 0) {
      if (pattern === specifier)
        return [
          ...targets.map((target) => resolve(base, target)),
          ...(baseUrl === undefined ? [] : [resolve(baseUrl, specifier)]),
        ];
      continue;
    }
    const before = pattern.slice(0, star);
    const after = pattern.slice(star + 1);
    if (specifier.length < before.length + after.length || !specifier.startsWith(before) || !specifier.endsWith(after))
      continue;
    if (best && best.prefix >= before.length) continue;
    const middle = specifier.slice(before.length, specifier.length - after.length);
    best = { prefix: before.length, targets: targets.map((target) => resolve(base, target.replace('*', middle))) };
  }
  return [...(best?.targets ?? []), ...(baseUrl === undefined ? [] : [resolve(baseUrl, specifier)])];
}
