/** What the registry needs of the engine around it. */
import type { Resolved } from '../../wire/messages.js';
import type { MakeNamespace } from './bindings.js';

export interface ModuleEngine {
  /** Compiles a function expression; `name` is what stacks call the file. */
  compile(code: string, name: string): (...args: unknown[]) => unknown;
  /** Imports a package or builtin as the file `from` would. */
  load(specifier: string, from: string): Promise<Record<string, unknown>>;
  /** The same at once; undefined where it waits at its top level. */
  loadNow?(specifier: string, from: string): Record<string, unknown> | undefined;
  /** The engine's loader of CommonJS modules, which comes back to {@link Registry.script} for scripts of the person. */
  scripts?: ScriptLoader;
  /** Makes real namespace objects. */
  namespace?: MakeNamespace;
  /** The namespace object that a program sees of a package, where {@link load} gives none that is real. */
  packageNamespace?(exported: Record<string, unknown>): object;
  /** {@link load} says in words of its own what is not there. */
  readonly tellsMissing?: boolean;
  /** `import.meta.main` is there. */
  readonly metaHasMain?: boolean;
  /** What `require` gives for an ES module. */
  required?(namespace: object): unknown;
  /** Memory for counts that the watching thread can read. */
  cells(unit: number, count: number): Float64Array;
  /** Asks the host for a module that was not known before the run. */
  resolve(specifier: string, from: string): Promise<Resolved>;
  resolveSync(specifier: string, from: string): Resolved;
  /** What `import.meta.resolve` gives for what is no local module. */
  resolveUrl?(specifier: string, from: string): string;
  urlOf(file: string): string;
  /** Called once, right before the first module of the person runs. */
  begins?: (() => void) | undefined;
  /** A host of the program has loaded an extension. */
  extended?(file: string, from: string): void;
  dirname(file: string): string;
}

export interface ScriptLoader {
  /** Loads a script, or JSON, and gives what it exports. `main`: it is the program's first module. */
  load(file: string, main: boolean): unknown;
  /** `require` as an ES module has it from `createRequire`. */
  requireFrom(file: string, specifier: string): unknown;
  /** The same names for a pad that is a module, as if it were the program's first script. */
  scopeOf(file: string): ScriptScope;
  /** Scripts that are asked for from now on are loaded anew. Gives what brings them back. */
  forget(files: readonly string[]): () => void;
  /** Importing code sees what the script exports under this name too, where the engine does so. */
  readonly ownName: string | undefined;
}

/** What the engine gives a script beside its exports. */
export interface ScriptScope {
  exports: unknown;
  require: unknown;
  module: unknown;
  dirname: string;
}
