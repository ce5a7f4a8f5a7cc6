/**
 * Scripts of the person in Node's own CommonJS loader: what `require`, `module`
 * and the cache are is Node's, only the text that is compiled is ours.
 */
import { createRequire, Module as NodeModule } from 'node:module';
import { dirname, extname, isAbsolute, sep } from 'node:path';
import type { ScriptLoader, ScriptScope } from '../../../runtime/modules/engine.js';
import type { ModuleCode } from '../../../wire/modules.js';
import { EXTENSIONS } from '../../../syntax/extensions.js';

/** Parts of Node's `Module` that its types leave out; they are documented, or as old as `require`. */
interface Module {
  id: string;
  filename: string | null;
  loaded: boolean;
  exports: unknown;
  paths: string[];
  require(specifier: string): unknown;
  load(file: string): void;
  _compile(code: string, file: string, format?: string): unknown;
}
interface ModuleClass {
  new (id: string, parent?: Module): Module;
  prototype: Module;
  _load(request: string, parent: Module | null | undefined, isMain: boolean): unknown;
  _resolveFilename(request: string, parent: Module | null | undefined, isMain: boolean, options?: object): string;
  _resolveLookupPaths(request: string, parent: Module): string[] | null;
  _nodeModulePaths(from: string): string[];
  _extensions: Record<string, (module: Module, file: string) => void>;
  _cache: Record<string, Module | undefined>;
}
const Module = NodeModule as unknown as ModuleClass;

/** What the loader asks of the program. */
export interface ScriptSource {
  /** Is told of a function of ours, and the one that it stands for. */
  disguise(this: void, made: object, original: object): void;
  /** The code of a file; undefined where it is to be loaded as it stands. */
  codeFor(file: string): ModuleCode | undefined;
  run(file: string, scope: ScriptScope): void;
  /** What `require` gives for an ES module of the person. */
  requireModule(file: string): unknown;
  /** What `require` gives for a module of the runtime's own, or in the place of one; undefined for all others. */
  given(specifier: string, from: string): { value: unknown } | undefined;
  /** What packages get in the place of another, or of a module of the platform; undefined for all that stay. */
  givenToPackages?(specifier: string): { value: unknown } | undefined;
  /** Loads a script of a package. */
  loadPackage(load: () => void): void;
  /** Where a name leads by the rules of the project; undefined where nowhere. */
  resolve(specifier: string, from: string): { file: string } | { base: string } | undefined;
  /** The project's rules come before Node's for what this file requires. */
  projectFirst(file: string): boolean;
}

const PACKAGES = `${sep}node_modules${sep}`;
const LOCAL = new Set<string>([...EXTENSIONS, '.json']);

/** A file of the person, by its name: no package, and nothing of ours. */
export function isLocalFile(file: string, own: string): boolean {
  return LOCAL.has(extname(file).toLowerCase()) && !file.includes(PACKAGES) && !file.startsWith(own);
}

function disguised({ disguise }: ScriptSource, native: { load: object; resolve: object; module: object }): void {
  disguise(Module.prototype.load, native.load);
  disguise(Module._resolveFilename, native.resolve);
  disguise(Module._load, native.module);
}

/**
 * Puts the person's scripts into Node's loader.
 *
 * @param own folder of our own files, which are loaded as they stand
 * @param keep packages that an earlier program has loaded stay
 */
export function installScripts(source: ScriptSource, own: string, keep = false): ScriptLoader {
  const native = { load: Module.prototype.load, resolve: Module._resolveFilename, module: Module._load };
  const handlers = new Map(Object.entries(Module._extensions));
  // What we needed ourselves so far is nothing of the program; of an earlier one its packages are kept.
  for (const file of Object.keys(Module._cache)) if (!keep || !file.includes(PACKAGES)) delete Module._cache[file];

  /** A handler that the program has put there itself has the say. */
  const handled = (file: string): boolean => {
    const name = Object.keys(Module._extensions).find((extension) => file.endsWith(extension)) ?? '.js';
    return Module._extensions[name] !== handlers.get(name);
  };

  function load(this: Module, file: string): void {
    const code = isLocalFile(file, own) && !handled(file) ? source.codeFor(file) : undefined;
    if (!code || code.broken) {
      if (file.includes(PACKAGES)) source.loadPackage(() => native.load.call(this, file));
      else native.load.call(this, file);
      return;
    }
    this.filename = file;
    this.paths = Module._nodeModulePaths(dirname(file));
    if (code.goal === 'module') this.exports = source.requireModule(file);
    else if (code.goal === 'json') this.exports = parseJson(file, code.code);
    else source.run(file, { exports: this.exports, require: requireOf(this), module: this, dirname: dirname(file) });
    this.loaded = true;
  }
  Module.prototype.load = load;

  Module._resolveFilename = function _resolveFilename(request, parent, isMain, options) {
    const from = parent?.filename ?? undefined;
    const local = from !== undefined && options === undefined && isLocalFile(from, own);
    if (local && source.projectFirst(from)) {
      const found = source.resolve(request, from);
      if (found && 'file' in found) return found.file;
    }
    try {
      return native.resolve.call(Module, request, parent, isMain, options);
    } catch (error) {
      // A text that no file holds yet.
      if (typeof request === 'string' && isAbsolute(request) && isLocalFile(request, own) && source.codeFor(request))
        return request;
      const found =
        local && (error as { code?: string }).code === 'MODULE_NOT_FOUND' ? source.resolve(request, from) : undefined;
      if (!found) throw error;
      return 'file' in found ? found.file : createRequire(found.base).resolve(request);
    }
  };

  Module._load = function _load(request, parent, isMain) {
    const from = parent?.filename;
    if (typeof from === 'string' && typeof request === 'string') {
      const given = isLocalFile(from, own) ? source.given(request, from) : source.givenToPackages?.(request);
      if (given) return given.value;
    }
    return native.module.call(Module, request, parent, isMain);
  };

  /** As Node makes it for each module. */
  function requireOf(module: Module): unknown {
    const require = Object.assign(
      function require(path: string): unknown {
        return module.require(path);
      },
      {
        resolve: Object.assign(
          function resolve(request: string, options?: object): string {
            if (typeof request !== 'string') throw invalid('request', request);
            return Module._resolveFilename(request, module, false, options);
          },
          {
            paths: function paths(request: string): string[] | null {
              if (typeof request !== 'string') throw invalid('request', request);
              return Module._resolveLookupPaths(request, module);
            },
          },
        ),
        main: process.mainModule as unknown,
        extensions: Module._extensions,
        cache: Module._cache,
      },
    );
    return require;
  }

  disguised(source, native);
  return {
    load: (file, main) => Module._load(file, main ? null : undefined, main),
    requireFrom: (file, specifier) => createRequire(file)(specifier) as unknown,
    scopeOf(file) {
      const module = new Module(file);
      module.filename = file;
      module.paths = Module._nodeModulePaths(dirname(file));
      process.mainModule ??= module as unknown as NodeModule;
      return { exports: module.exports, require: requireOf(module), module, dirname: dirname(file) };
    },
    forget,
    ownName: OWN_NAME,
  };
}

/** Takes scripts out of the loader's cache; returns what puts them back. */
function forget(files: readonly string[]): () => void {
  const before = files.map((file) => [file, Module._cache[file]] as const);
  for (const file of files) delete Module._cache[file];
  return () => {
    for (const [file, module] of before) {
      if (module) Module._cache[file] = module;
      else delete Module._cache[file];
    }
  };
}

function invalid(name: string, value: unknown): Error {
  return Object.assign(
    new TypeError(`The "${name}" argument must be of type string. Received ${value === null ? 'null' : typeof value}`),
    {
      code: 'ERR_INVALID_ARG_TYPE',
    },
  );
}

function parseJson(file: string, text: string): unknown {
  try {
    return JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    (error as Error).message = `${file}: ${(error as Error).message}`;
    throw error;
  }
}

/** Newer engines give importing code the exports of a script under this name too. */
const OWN_NAME = Number(process.versions.node.split('.')[0]) >= 23 ? 'module.exports' : undefined;
