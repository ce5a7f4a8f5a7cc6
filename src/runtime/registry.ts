/**
 * The module registry: modules run as functions with live bindings, cycles,
 * top-level `await`, `import()`, JSON and CommonJS. Packages come from the
 * engine's own loader.
 */
import { Carrier } from './carry.js';
import * as own from './originals.js';
import { makeProbes, type ConsolePlace, type Probes } from './probes.js';
import { PatchTable, type WatchSteps } from './patches.js';
import type { Reporter } from './reporter.js';
import type { Waits } from './waits.js';
import { search, type Stacks } from './stacks.js';
import type { ModuleCode, ModuleLink } from './wire.js';

export interface ModuleEngine {
  /** Compiles a function expression; `name` is what stacks call the file. */
  compile(code: string, name: string): (...args: unknown[]) => unknown;
  /** Imports a package or builtin as the file `from` would. */
  load(specifier: string, from: string): Promise<Record<string, unknown>>;
  /** `require` as the file `from` has it. */
  requireFrom(from: string): NodeRequireLike;
  /** Memory for counts that the watching thread can read. */
  cells(unit: number, count: number): Float64Array;
  /** Asks the host for a module that was not known before the run. */
  resolve(specifier: string, from: string): Promise<{ link: ModuleLink; modules: ModuleCode[] }>;
  resolveSync(specifier: string, from: string): { link: ModuleLink; modules: ModuleCode[] };
  urlOf(file: string): string;
  /** A host of the program has loaded an extension. */
  extended?(file: string, from: string): void;
  dirname(file: string): string;
}

export type NodeRequireLike = ((specifier: string) => unknown) & { resolve: (specifier: string) => string; cache?: unknown };

/** Versions that report: the probes they have, and those that are not needed any more. */
export interface Watch extends WatchSteps {
  units: { unit: number; base: number; owners: Int32Array; reach: Int32Array; plus: Int32Array }[];
  gone: readonly number[];
}

type State = 'new' | 'linked' | 'evaluating' | 'done' | 'failed';

interface Instance {
  code: ModuleCode;
  namespace: Record<string, unknown>;
  /** `module.exports` of a script. */
  module: { exports: unknown; id: string; filename: string; loaded: boolean } | undefined;
  state: State;
  error: unknown;
  promise: Promise<void> | undefined;
  start: (() => unknown) | undefined;
  imports: Record<string, unknown>[];
}

export class Registry {
  readonly patches = new PatchTable();
  readonly carrier: Carrier = new Carrier({
    load: async (specifier, from) => {
      const instance = this.instances.get(from)!;
      const namespace = await this.dynamicImport(instance, specifier);
      let file = '';
      this.instances.forEach((one, name) => {
        if (one.namespace === namespace) file = name;
      });
      if (file === '') throw new own.ErrorCopy(`extension: ${specifier} is no local module`);
      return { file, namespace };
    },
    extended: (file, from) => this.engine.extended?.(file, from),
    fail: (error) => this.onDisposeError?.(error),
  });
  /** What a module threw while it was disposed of. */
  onDisposeError: ((error: unknown) => void) | undefined;
  private readonly instances = own.safeMap<string, Instance>();
  /** Texts of modules that the engine has loaded by itself. */
  private readonly known = own.safeMap<string, ModuleCode>();
  private readonly packages = own.safeMap<string, Record<string, unknown>>();

  constructor(
    private readonly engine: ModuleEngine,
    private readonly reporter: Reporter,
    private readonly stacks: Stacks,
    private readonly place: ConsolePlace,
    private readonly waits: Waits,
    private readonly tests: Record<string, unknown>,
    private readonly exhibits: Record<string, unknown>,
  ) {}

  add(modules: readonly ModuleCode[]): void {
    for (const code of modules) {
      if (this.instances.has(code.file)) continue;
      const namespace = own.createObject(null) as Record<string, unknown>;
      own.defineProperty(namespace, Symbol.toStringTag, { value: 'Module' });
      this.instances.set(code.file, { code, namespace, module: undefined, state: 'new', error: undefined, promise: undefined, start: undefined, imports: [] });
      this.stacks.add(code);
    }
  }

  /** The text behind a module that the engine has loaded by itself. */
  know(code: ModuleCode): void {
    this.known.set(code.file, code);
    this.stacks.add(code);
  }

  /** Loads the packages of the static graph in the order in which they are met, then evaluates `file`. */
  async run(file: string): Promise<void> {
    for (const { link, from } of this.packageLinks(file)) await this.package(link, from);
    const done = this.evaluate(file);
    if (done) await done;
  }

  private readonly watched = own.safeMap<number, Probes>();

  /**
   * Puts versions that report into a live program, beside its changes.
   *
   * @returns steps that could not be taken
   */
  watch({ units, gone, ...steps }: Watch): { step: number; error: unknown }[] {
    this.patches.probes = (unit) => this.watched.get(unit);
    for (const { unit, ...module } of units) {
      // No thread reads these: a live program is never ended for not answering.
      const cells = new Float64Array(module.owners.length);
      this.reporter.addUnit(unit, cells);
      this.watched.set(unit, makeProbes(this.reporter, this.place, cells, { ...module, kept: [] }));
    }
    const failed = this.patches.watch(steps);
    for (const unit of gone) {
      this.watched.delete(unit);
      this.reporter.removeUnit(unit);
    }
    return failed;
  }

  /** The values of the next visits are wanted, however rare samples have become. */
  refresh(): void {
    this.watched.forEach((probes) => probes.refresh());
  }

  /** Loads a module that a live one imports only now, and puts it where patched code looks for it. */
  async prepare(file: string, name: string, link: ModuleLink, modules: readonly ModuleCode[]): Promise<void> {
    this.add(modules);
    const late = this.patches.lateOf(file);
    let namespace: unknown;
    if (link.kind === 'missing') throw Object.assign(new own.ErrorCopy(link.target), { code: 'ERR_MODULE_NOT_FOUND' });
    if (link.kind === 'package' || link.kind === 'builtin') namespace = await this.package(link, file);
    else if (link.kind !== 'local') namespace = this.linked(link, file);
    else {
      for (const inner of this.packageLinks(link.target)) await this.package(inner.link, inner.from);
      const done = this.evaluate(link.target);
      if (done) await done;
      namespace = this.instances.get(link.target)!.namespace;
    }
    own.defineProperty(late, name, { value: namespace, writable: true, enumerable: true, configurable: true });
  }

  /**
   * Executes modules again, each after what it imports. Their namespaces stay
   * the same objects, so that modules that stay see the new values. When one
   * throws, all are put back as they were, but what was disposed of stays so.
   *
   * @param modules in the order in which they are executed
   */
  async reload(modules: readonly ModuleCode[]): Promise<number> {
    const files = modules.map((code) => code.file);
    const known = files.filter((file) => this.instances.has(file));
    await this.carrier.dispose([...known].reverse());
    const back: (() => void)[] = [];
    const before = own.safeMap<string, unknown>();
    for (const code of modules) {
      const old = this.instances.get(code.file);
      const namespace = old?.namespace ?? (own.createObject(null) as Record<string, unknown>);
      if (old) {
        const descriptors = own.ownKeys(namespace).map((key) => [key, own.getDescriptor(namespace, key)!] as const);
        before.set(code.file, this.patches.stateOf(code.file));
        const unpatch = this.patches.renew(code.file);
        own.append(back, () => {
          unpatch();
          for (const key of own.ownKeys(namespace)) if (typeof key === 'string') delete namespace[key];
          for (const [key, descriptor] of descriptors) if (typeof key === 'string') own.defineProperty(namespace, key, descriptor);
          this.instances.set(code.file, old);
        });
        for (const key of own.ownKeys(namespace)) if (typeof key === 'string') delete namespace[key];
      } else own.defineProperty(namespace, Symbol.toStringTag, { value: 'Module' });
      this.instances.set(code.file, { code, namespace, module: undefined, state: 'new', error: undefined, promise: undefined, start: undefined, imports: [] });
      this.stacks.add(code);
    }
    let moved = 0;
    try {
      for (const file of files) {
        for (const { link, from } of this.packageLinks(file)) await this.package(link, from);
        const done = this.evaluate(file);
        if (done) await done;
      }
      for (const file of known) moved += this.patches.adopt(file, before.get(file));
      this.carrier.renew(files, (file) => this.instances.get(file)?.namespace);
    } catch (error) {
      for (let i = back.length - 1; i >= 0; i--) back[i]!();
      // Hosts get the old module again: they were told to let go of it.
      this.carrier.renew(known, (file) => this.instances.get(file)?.namespace);
      throw error;
    }
    return moved;
  }

  /** The person's text of an instrumented function or class. */
  originalText(text: string): string | undefined {
    if (own.indexOf(text, '$ua') < 0) return undefined;
    const slot = slotIn(text);
    const found = this.originalPlace(text);
    if (slot === undefined) return found && own.slice(found.code.original, found.start, found.end);
    if (!found) return this.patches.lateTextOf(slot, nameIn(text));
    return this.patches.textOf(found.code.file, slot) ?? own.slice(found.code.original, found.start, found.end);
  }

  /** Where an instrumented function or class is written. */
  sourceOf(text: string): { file: string; line: number; character: number; text: string } | undefined {
    const found = this.originalPlace(text);
    if (!found) return undefined;
    const { original, file, originalStarts } = found.code;
    let line = 0;
    while (line + 1 < originalStarts.length && originalStarts[line + 1]! <= found.start) line++;
    return { file, line, character: found.start - originalStarts[line]!, text: own.slice(original, found.start, found.end) };
  }

  /** Found by the cells that the text counts in. */
  private originalPlace(text: string): { code: ModuleCode; start: number; end: number } | undefined {
    if (own.indexOf(text, '$ua') < 0) return undefined;
    const probed = /\$ua_*[cqtwvfn]\b/.test(text);
    const codes: ModuleCode[] = [];
    this.instances.forEach(({ code }) => own.append(codes, code));
    this.known.forEach((code) => own.append(codes, code));
    for (const code of codes) {
      const at = own.indexOf(code.code, text);
      if (at < 0) continue;
      const slot = code.slots && slotIn(text);
      if (!probed && slot !== undefined && 2 * slot < code.slots!.length && !/^class\b/.test(text))
        return { code, start: code.slots![2 * slot]!, end: code.slots![2 * slot + 1]! };
      if (!probed) return { code, ...originalRange(code, at, at + text.length) };
      const cells = new Set<number>();
      for (const [, id] of text.matchAll(/\$ua_*[cq]\[(\d+)\]/g)) cells.add(Number(id));
      let best: { start: number; end: number } | undefined;
      const isClass = /^class\b/.test(text);
      if (isClass) {
        // The innermost class that holds all the functions named in the text.
        let low = Infinity;
        let high = -1;
        for (const { site, start, end } of code.functions) {
          if (!cells.has(site)) continue;
          low = Math.min(low, start);
          high = Math.max(high, end);
        }
        for (const entry of code.functions)
          if (entry.site < 0 && entry.start <= low && entry.end >= high && (!best || entry.end - entry.start < best.end - best.start)) best = entry;
      } else {
        for (const entry of code.functions) if (cells.has(entry.site) && (!best || entry.end - entry.start > best.end - best.start)) best = entry;
      }
      if (best) return { code, start: best.start, end: best.end };
    }
    return undefined;
  }

  namespaceOf(file: string): Record<string, unknown> | undefined {
    return this.instances.get(file)?.namespace;
  }

  /** Packages of the static graph, depth first, each once. */
  private packageLinks(file: string): { link: ModuleLink; from: string }[] {
    const found: { link: ModuleLink; from: string }[] = [];
    const seen: Record<string, boolean> = own.createObject(null) as Record<string, boolean>;
    const visit = (at: string): void => {
      if (seen[at]) return;
      seen[at] = true;
      const instance = this.instances.get(at);
      if (!instance) return;
      for (const link of instance.code.links) {
        if (link.kind === 'local') visit(link.target);
        else if (link.kind === 'package' || link.kind === 'builtin') own.append(found, { link, from: at });
      }
    };
    visit(file);
    return found;
  }

  private async package(link: ModuleLink, from: string): Promise<Record<string, unknown>> {
    const base = link.base ?? from;
    const key = `${link.specifier}\n${this.engine.dirname(base)}`;
    let namespace = this.packages.get(key);
    if (!namespace) {
      namespace = await this.engine.load(link.specifier, base);
      this.packages.set(key, namespace);
    }
    for (const name of link.names) {
      if (name !== '*' && !(name in namespace)) throw new SyntaxError(`'${link.specifier}' has no export named '${name}'`);
    }
    return namespace;
  }

  private linked(link: ModuleLink, from: string): Record<string, unknown> {
    switch (link.kind) {
      case 'local':
        return this.instances.get(link.target)!.namespace;
      case 'tests':
        return this.tests;
      case 'exhibits':
        for (const name of link.names) if (name !== '*' && !(name in this.exhibits)) throw new SyntaxError(`'usher-anvil/pad' has no export named '${name}'`);
        return this.exhibits;
      case 'live':
        return this.carrier.face(from);
      case 'missing':
        throw Object.assign(new own.ErrorCopy(link.target), { code: 'ERR_MODULE_NOT_FOUND' });
      default:
        return this.packages.get(`${link.specifier}\n${this.engine.dirname(link.base ?? from)}`)!;
    }
  }

  /** Makes the functions of a graph, so that hoisted exports are there before any module runs. */
  private instantiate(file: string): void {
    const instance = this.instances.get(file)!;
    if (instance.state !== 'new') return;
    instance.state = 'linked';
    const { code } = instance;
    if (code.goal === 'json') {
      const value: unknown = JSON.parse(code.code.replace(/^\uFEFF/, ''));
      own.defineProperty(instance.namespace, 'default', { value, enumerable: true });
      instance.start = () => undefined;
      return;
    }
    for (const link of code.links) if (link.kind === 'local') this.instantiate(link.target);
    for (const link of code.links) own.append(instance.imports, this.linked(link, file));
    const cells = this.engine.cells(code.unit, code.owners.length);
    this.reporter.addUnit(code.unit, cells);
    const probes = makeProbes(this.reporter, this.place, cells, code, (at, value) => this.waits.note(code, at, value));
    const host = this.moduleFace(instance);
    const body = this.engine.compile(code.code, code.name);
    if (code.goal === 'script') {
      instance.start = () => this.script(instance, body, host, probes);
      return;
    }
    const result: unknown = code.cyclic ? own.apply(body, undefined, [host, probes, ...instance.imports]) : undefined;
    if (code.cyclic) {
      const generator = result as { next(): unknown };
      // Registers the exports and hoists the functions; the body follows at the second step.
      generator.next();
      instance.start = () => {
        const end = generator.next();
        return code.awaits ? end : undefined;
      };
    } else instance.start = () => own.apply(body, undefined, [host, probes, ...instance.imports]);
  }

  private moduleFace(instance: Instance): Record<string, unknown> {
    const { code, namespace } = instance;
    const registry = this;
    return {
      meta: own.createObject(null, {
        url: { value: this.engine.urlOf(code.file), enumerable: true, writable: true, configurable: true },
        filename: { value: code.file, enumerable: true, writable: true, configurable: true },
        dirname: { value: this.engine.dirname(code.file), enumerable: true, writable: true, configurable: true },
        resolve: {
          value: (specifier: string) => {
            const known = code.dynamic[specifier];
            if (known?.kind === 'local') return registry.engine.urlOf(known.target);
            const path = registry.engine.requireFrom(code.file).resolve(specifier);
            return path === specifier ? specifier : registry.engine.urlOf(path);
          },
          enumerable: true,
          writable: true,
          configurable: true,
        },
      }) as object,
      exports(getters: Record<string, () => unknown>): void {
        for (const name of own.ownKeys(getters).sort() as string[]) {
          own.defineProperty(namespace, name, {
            get: getters[name]!,
            set: () => {
              throw new TypeError('Assignment to constant variable.');
            },
            enumerable: true,
            configurable: true,
          });
        }
      },
      star(from: Record<string, unknown>): void {
        registry.star(namespace, from);
      },
      import: (specifier: unknown) => registry.dynamicImport(instance, own.StringCopy(specifier)),
      named(fn: object): void {
        own.defineProperty(fn, 'name', { value: 'default', configurable: true });
      },
      ...registry.patches.face(code.file, namespace),
    };
  }

  /** `export *`: names that the module has not itself, as getters on the other namespace. */
  private star(into: Record<string, unknown>, from: Record<string, unknown>): void {
    const copy = (): void => {
      for (const name of own.ownKeys(from) as string[]) {
        if (typeof name === 'symbol' || name === 'default' || own.getDescriptor(into, name)) continue;
        own.defineProperty(into, name, { get: () => from[name], enumerable: true, configurable: true });
      }
    };
    copy();
  }

  private script(instance: Instance, body: (...args: unknown[]) => unknown, host: unknown, probes: Probes): void {
    const { code } = instance;
    const module = { exports: {} as unknown, id: code.file, filename: code.file, loaded: false };
    instance.module = module;
    own.defineProperty(instance.namespace, 'default', { get: () => module.exports, enumerable: true, configurable: true });
    const require = this.requireFor(instance);
    own.apply(body, module.exports, [module.exports, require, module, code.file, this.engine.dirname(code.file), host, probes, ...instance.imports]);
    module.loaded = true;
    const { exports } = module;
    if ((typeof exports === 'object' && exports !== null) || typeof exports === 'function') {
      for (const name of own.ownKeys(exports as object)) {
        if (typeof name === 'symbol' || name === 'default' || own.getDescriptor(instance.namespace, name)) continue;
        own.defineProperty(instance.namespace, name, { get: () => (module.exports as Record<string, unknown>)[name], enumerable: true, configurable: true });
      }
    }
  }

  private requireFor(instance: Instance): NodeRequireLike {
    const { code } = instance;
    const native = this.engine.requireFrom(code.file);
    const require = ((specifier: string): unknown => {
      const link = own.getDescriptor(code.dynamic, specifier) ? code.dynamic[specifier]! : this.askSync(specifier, code.file);
      if (link.kind === 'tests') return this.tests.default;
      if (link.kind === 'exhibits') return this.exhibits;
      if (link.kind === 'live') return this.carrier.face(code.file);
      if (link.kind !== 'local') return link.base === undefined ? native(specifier) : this.engine.requireFrom(link.base)(specifier);
      const target = this.instances.get(link.target)!;
      if (target.state === 'new') this.instantiate(link.target);
      if (target.state === 'linked') {
        const waiting = this.evaluate(link.target);
        if (waiting)
          throw Object.assign(new own.ErrorCopy(`require() cannot load ${link.target}: it uses top-level await. Use import() instead.`), {
            code: 'ERR_REQUIRE_ASYNC_MODULE',
          });
      }
      if (target.state === 'failed') throw target.error;
      if (target.code.goal === 'script') return target.module ? target.module.exports : {};
      return target.code.goal === 'json' ? target.namespace.default : target.namespace;
    }) as NodeRequireLike;
    require.resolve = native.resolve;
    if ('cache' in native) require.cache = native.cache;
    return require;
  }

  private askSync(specifier: string, from: string): ModuleLink {
    if (specifier !== 'node:test' && !/^(\.|\/|file:)/.test(specifier)) return { specifier, kind: 'package', target: specifier, names: [] };
    const { link, modules } = this.engine.resolveSync(specifier, from);
    this.add(modules);
    if (link.kind === 'missing') throw Object.assign(new own.ErrorCopy(link.target), { code: 'MODULE_NOT_FOUND' });
    return link;
  }

  private async dynamicImport(instance: Instance, specifier: string): Promise<unknown> {
    const { code } = instance;
    let link = own.getDescriptor(code.dynamic, specifier) ? code.dynamic[specifier]! : undefined;
    if (!link) {
      const answer = await this.engine.resolve(specifier, code.file);
      this.add(answer.modules);
      link = answer.link;
    }
    if (link.kind === 'package' || link.kind === 'builtin') return this.package(link, code.file);
    if (link.kind !== 'local') return this.linked(link, code.file);
    for (const inner of this.packageLinks(link.target)) await this.package(inner.link, inner.from);
    const done = this.evaluate(link.target);
    if (done) await done;
    return this.instances.get(link.target)!.namespace;
  }

  /** Evaluates a module after what it imports. Returns a promise only when something in it waits. */
  private evaluate(file: string): Promise<void> | undefined {
    const instance = this.instances.get(file)!;
    if (instance.state === 'failed') throw instance.error;
    if (instance.state === 'done' || instance.state === 'evaluating') return instance.promise;
    this.instantiate(file);
    instance.state = 'evaluating';
    const { links } = instance.code;
    const fail = (error: unknown): never => {
      instance.state = 'failed';
      instance.error = error;
      throw error;
    };
    const start = (): Promise<void> | undefined => {
      try {
        const result = instance.start!();
        if (instance.code.awaits) {
          return own.promiseThen(
            result as Promise<unknown>,
            () => {
              instance.state = 'done';
            },
            fail,
          ) as Promise<void>;
        }
      } catch (error) {
        fail(error);
      }
      instance.state = 'done';
      return undefined;
    };
    for (let i = 0; i < links.length; i++) {
      const link = links[i]!;
      if (link.kind !== 'local') continue;
      let waiting: Promise<void> | undefined;
      try {
        const other = this.instances.get(link.target)!;
        // A module that is evaluating already is part of a cycle: it is not waited for.
        waiting = other.state === 'evaluating' && other.code.cyclic ? undefined : this.evaluate(link.target);
      } catch (error) {
        fail(error);
      }
      if (waiting) {
        instance.promise = (async () => {
          await waiting;
          for (let k = i + 1; k < links.length; k++) {
            if (links[k]!.kind !== 'local') continue;
            const next = this.evaluate(links[k]!.target);
            if (next) await next;
          }
          await start();
        })();
        return instance.promise;
      }
    }
    instance.promise = start();
    return instance.promise;
  }
}

/** The slot at which a function's own patch point looks: the first in its text. */
function slotIn(text: string): number | undefined {
  const match = own.exec(/\$ua_*p(?:(\d+)\.f\d+|\[(\d+)\])/, text);
  return match ? own.NumberCopy(match[1] ?? match[2]) : undefined;
}

/** The name in a function's text; empty for one without. */
function nameIn(text: string): string {
  return own.exec(/^(?:async\s+)?(?:function\s*\*?\s*|(?:static|get|set|\*)\s*)*([\w$]*)/, text)?.[1] ?? '';
}

/** The range of the original text behind a range of a module's code. */
function originalRange(code: ModuleCode, start: number, end: number): { start: number; end: number } {
  const { generated, source } = code;
  const place = (offset: number, after: number): number => {
    const segment = search(generated, offset);
    const from = source[segment]!;
    // What was inserted belongs to the place it stands at.
    return from < 0 ? ~from : from + (offset - generated[segment]!) + after;
  };
  return { start: place(start, 0), end: place(end - 1, 1) };
}
