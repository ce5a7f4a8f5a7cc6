/**
 * The module registry: ES modules run as functions with live bindings, cycles,
 * top-level `await`, `import()` and JSON. Scripts go through the engine's own
 * CommonJS loader, and packages through its own loader of modules, each at its
 * place in the order of evaluation.
 */
import type { ModuleCode, ModuleLink } from '../../wire/modules.js';
import { Carrier } from '../carry.js';
import * as own from '../originals.js';
import type { ModulePatches } from '../patches/modules.js';
import { PatchTable } from '../patches/table.js';
import { type ConsolePlace, makeProbes, type Probes } from '../probes.js';
import type { Reporter } from '../reports/reporter.js';
import type { Stacks } from '../stacks.js';
import type { Waits } from '../waits.js';
import { Bindings } from './bindings.js';
import type { ModuleEngine, ScriptScope } from './engine.js';
import { type Evaluated, evaluate } from './evaluation.js';
import { brokenError, checkRequired, execute, padScope, resultOf } from './execution.js';
import { Imports } from './imports.js';
import { Instance } from './instance.js';
import { scriptFace } from './interop.js';
import { metaOf } from './meta.js';
import { LaterImports } from './later.js';
import { ObservedUnits } from './observed-units.js';
import { ReplacedModules } from './replaced.js';
import { Replacing } from './replacing.js';
import { SourceTexts } from './texts.js';

/** Where modules and their probes report. */
export interface Reports {
  reporter: Reporter;
  stacks: Stacks;
  place: ConsolePlace;
  waits: Waits;
}

export class Registry {
  readonly patches = new PatchTable();
  readonly texts: SourceTexts;
  readonly observed: ObservedUnits;
  /** What a test framework does to modules. */
  readonly replacing: Replacing;
  readonly carrier: Carrier = new Carrier({
    load: async (specifier, from) => {
      const instance = this.instances.get(from)!;
      const namespace = await this.links.later.dynamic(instance.code, specifier);
      let file = '';
      this.instances.forEach((one, name) => {
        if (one.bindings.namespace === namespace) file = name;
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
  private readonly links: { imports: Imports; later: LaterImports; replaced: ReplacedModules };
  /** The program's first module, and what `import.meta.env` is. */
  readonly program: { first: string; metaEnv: object | undefined } = { first: '', metaEnv: undefined };

  constructor(
    private readonly engine: ModuleEngine,
    private readonly reports: Reports,
    tests: (specifier: string) => Record<string, unknown>,
    padExports: Record<string, unknown>,
  ) {
    this.observed = new ObservedUnits(this.patches, reports.reporter, reports.place);
    const instanceOf = (file: string): Instance => this.instances.get(file)!;
    const { patches, instances } = this;
    const replaced = new ReplacedModules((users) => imports.relink(users));
    const imports = new Imports({ engine, carrier: this.carrier, instanceOf, tests, padExports, replaced });
    const later = new LaterImports({
      ...{ engine, instanceOf, patches, replaced, imports, stacks: reports.stacks },
      add: (modules) => this.add(modules),
      evaluate: (file) => this.evaluate(file),
      renew: (code) => (this.patches.renew(code.file), this.put(code)),
      observe: (asked) => this.observed.observe(asked),
    });
    this.links = { imports, later, replaced };
    this.replacing = new Replacing({
      ...{ engine, instances, later, replaced },
      linkOf: (specifier, from) => this.linkOf(specifier, from),
      fresh: (code, old) => Object.assign(this.instance(code), { probes: old.probes }),
    });
    this.texts = new SourceTexts(() => {
      const codes: ModuleCode[] = [];
      this.instances.forEach(({ code }) => own.append(codes, code));
      this.known.forEach((code) => own.append(codes, code));
      return codes;
    }, this.patches);
  }

  add(modules: readonly ModuleCode[]): void {
    for (const code of modules) {
      if (this.instances.has(code.file)) continue;
      if (!this.links.replaced.isEmpty) this.links.replaced.lead(code.links);
      this.put(code);
    }
  }

  private put(code: ModuleCode, bindings?: Bindings): void {
    this.instances.set(code.file, this.instance(code, bindings));
    this.reports.stacks.add(code);
  }

  private instance(code: ModuleCode, bindings?: Bindings): Instance {
    return new Instance(code, this, bindings, this.engine.namespace);
  }

  /** The text behind a module that the engine has loaded by itself. */
  know(code: ModuleCode): void {
    this.known.set(code.file, code);
    this.reports.stacks.add(code);
  }

  /** Evaluates a module that stands for itself, before the program's first. */
  async prelude(file: string): Promise<void> {
    const code = this.codeFor(file);
    if (!code) await this.engine.load(file, file);
    else if (code.goal === 'script' && this.engine.scripts) this.engine.scripts.load(file, false);
    else await this.evaluate(file);
  }

  /** Evaluates the program's first module after what it imports. */
  async run(file: string): Promise<void> {
    this.program.first = file;
    const instance = this.instances.get(file)!;
    const { goal } = instance.code;
    if (instance.code.ahead && goal === 'module') this.begin(instance);
    if (goal === 'script' && this.engine.scripts) {
      this.engine.scripts.load(file, true);
      return;
    }
    const done = this.evaluate(file);
    if (done) await done;
  }

  /** Brings namespace objects up to date after code that was compiled into modules has written to them. */
  sync(): void {
    this.instances.forEach(({ bindings }) => bindings.sync());
  }

  /** See {@link LaterImports.prepare}. */
  prepare(file: string, name: string, link: ModuleLink, modules: readonly ModuleCode[]): Promise<void> {
    return this.links.later.prepare(file, name, link, modules);
  }

  /**
   * Executes modules again, each after what it imports. Their namespaces stay
   * the same objects, so that modules that stay see the new values. When one
   * throws, all are put back as they were, but what was disposed of stays so.
   *
   * @param modules in the order in which they are executed
   * @returns how many objects went over to new classes
   * @throws whatever a module throws while it is executed; all are back then
   */
  async reload(modules: readonly ModuleCode[]): Promise<number> {
    const files = modules.map((code) => code.file);
    const known = files.filter((file) => this.instances.has(file));
    await this.carrier.dispose([...known].reverse());
    const back: (() => void)[] = [];
    const before = own.safeMap<string, ModulePatches | undefined>();
    for (const code of modules) {
      const old = this.instances.get(code.file);
      if (old) {
        before.set(code.file, this.patches.stateOf(code.file));
        const unpatch = this.patches.renew(code.file);
        const bring = old.bindings.clear();
        own.append(back, () => {
          unpatch();
          bring();
          this.instances.set(code.file, old);
        });
      }
      this.put(code, old?.bindings);
    }
    let moved = 0;
    try {
      for (const file of files) {
        const done = this.evaluate(file);
        if (done) await done;
      }
      for (const file of known) moved += this.patches.adopt(file, before.get(file));
      this.carrier.renew(files, (file) => this.namespaceOf(file));
    } catch (error) {
      for (let i = back.length - 1; i >= 0; i--) back[i]!();
      // Hosts get the old module again: they were told to let go of it.
      this.carrier.renew(known, (file) => this.namespaceOf(file));
      throw error;
    }
    this.sync();
    return moved;
  }

  /** Name and text of a module of the person. */
  sourceOf(file: string): { name: string; text: string } | undefined {
    const code = this.instances.get(file)?.code;
    return code && { name: code.name, text: code.original };
  }

  namespaceOf(file: string): Record<string, unknown> | undefined {
    return this.instances.get(file)?.bindings.namespace as Record<string, unknown> | undefined;
  }

  /**
   * What a module gives to whoever runs it: its default export, or what a pad has put into `module.exports`; undefined
   * where it gives nothing.
   */
  resultOf(file: string): { value: unknown } | undefined {
    const instance = this.instances.get(file);
    return instance && resultOf(instance);
  }

  requested({ code }: Instance): readonly Evaluated[] {
    return this.links.imports.requested(code);
  }

  /** Evaluates a module after what it imports. Returns a promise only when something in it waits. */
  private evaluate(file: string): Promise<void> | undefined {
    const instance = this.instances.get(file)!;
    this.checkWhole(instance, []);
    const graph: Instance[] = [];
    this.instantiate(instance, graph);
    // Modules of a cycle that take over each other's exports need several rounds.
    let again = graph.length > 1;
    while (again) {
      again = false;
      for (let i = 0; i < graph.length; i++) if (graph[i]!.code.cyclic && graph[i]!.bindings.settle()) again = true;
    }
    return evaluate(instance);
  }

  /** Throws where a module of the graph is broken: then none of it runs. */
  private checkWhole({ code, instantiated }: Instance, seen: string[]): void {
    if (instantiated) return;
    if (code.broken) throw brokenError(code, this.reports.stacks);
    for (let i = 0; i < seen.length; i++) if (seen[i] === code.file) return;
    own.append(seen, code.file);
    for (const link of code.links) {
      if (link.kind === 'local') this.checkWhole(this.instances.get(link.target)!, seen);
      else if (link.kind === 'missing') this.links.imports.given(link, code.file);
    }
  }

  /** Makes the functions of a graph, so that hoisted exports are there before any module runs. */
  private instantiate(instance: Instance, graph: Instance[]): void {
    if (instance.instantiated) return;
    const { code } = instance;
    instance.instantiated = true;
    own.append(graph, instance);
    for (const link of code.links) if (link.kind === 'local') this.instantiate(this.instances.get(link.target)!, graph);
    if (code.goal !== 'module') return;
    if (!code.cyclic) this.prepareBody(instance);
    else if (!instance.started) this.begin(instance);
  }

  /** Begins a module of a cycle, or one that replaces others: registers its exports, and runs what runs ahead. */
  private begin(instance: Instance): void {
    const { code } = instance;
    this.prepareBody(instance);
    for (const link of code.links) {
      const leaf = this.links.imports.leaf(link, code.file);
      if (leaf) own.append(leaf.users, instance);
    }
    const generator = own.apply(instance.body!, undefined, [
      instance.face,
      instance.probes,
      ...this.links.imports.of(instance.code),
    ]) as { next(): { value: unknown } };
    // Registers the exports and hoists the functions; the body follows at the second step.
    generator.next();
    instance.started = generator;
  }

  private prepareBody(instance: Instance): void {
    const { code } = instance;
    if (instance.body) return;
    // One that is evaluated once more counts on.
    instance.probes ??= this.probesOf(code);
    instance.face = this.moduleExports(instance);
    const body = this.engine.compile(code.code, code.name);
    if (code.goal === 'script')
      for (const link of code.links) {
        const leaf = this.links.imports.leaf(link, code.file);
        if (leaf) void evaluate(leaf);
      }
    // A script has a function around it for what is ours: its own has no more arguments than the engine gives.
    instance.body =
      code.goal === 'script'
        ? (own.apply(body, undefined, [
            instance.face,
            instance.probes,
            ...this.links.imports.of(instance.code),
          ]) as typeof body)
        : body;
  }

  private probesOf(code: ModuleCode): Probes {
    const { reporter, place, waits } = this.reports;
    const cells = this.engine.cells(code.unit, code.owners.length);
    reporter.counts.add(code.unit, cells);
    const noted = (at: number, value: unknown): void => waits.note(code, at, value);
    return this.observed.withStops(code, makeProbes(reporter, place, cells, code, noted));
  }

  /** See {@link execute}. */
  execute(instance: Instance): unknown {
    return execute(instance, this.engine, this.links.imports);
  }

  /**
   * The code of a local file that the engine's loader is about to load; undefined where it is not the person's, or is
   * to be loaded as it stands.
   */
  codeFor(file: string): ModuleCode | undefined {
    if (!this.instances.has(file)) this.add(this.engine.resolveSync(file, file).modules);
    return this.instances.get(file)?.code;
  }

  /** Where a name leads by the rules of the project. */
  linkOf(specifier: string, from: string): ModuleLink {
    const code = this.instances.get(from)?.code;
    if (code && own.getDescriptor(code.dynamic, specifier)) return code.dynamic[specifier]!;
    const { link, modules } = this.engine.resolveSync(specifier, from);
    this.add(modules);
    return link;
  }

  /** Runs a script in the scope that the engine's loader has made for it: each time that one loads it. */
  script(file: string, scope: ScriptScope): void {
    const instance = this.instances.get(file)!;
    this.prepareBody(instance);
    own.apply(instance.body!, scope.exports, [scope.exports, scope.require, scope.module, file, scope.dirname]);
  }

  /**
   * What `require` gives for a local ES module.
   *
   * @throws Error `ERR_REQUIRE_CYCLE_MODULE`, `ERR_REQUIRE_ASYNC_MODULE` as the engine does; whatever the module throws
   */
  requireModule(file: string): unknown {
    const instance = this.instances.get(file)!;
    checkRequired(instance, (target) => this.instances.get(target)!);
    void this.evaluate(file);
    return this.engine.required?.(instance.bindings.namespace) ?? instance.bindings.namespace;
  }

  /** What `require` gives for a module of the runtime's own, or in the place of one; undefined for all others. */
  requireGiven(specifier: string, from: string): { value: unknown } | undefined {
    const replaced = this.replacing.required(specifier, from);
    if (replaced) return replaced;
    const code = this.instances.get(from)?.code;
    const link = code && own.getDescriptor(code.dynamic, specifier) ? code.dynamic[specifier]! : undefined;
    if (link?.mapped) return { value: this.engine.scripts!.requireFrom(from, link.target) };
    if (link?.kind !== 'tests' && link?.kind !== 'pad' && link?.kind !== 'live') return undefined;
    const given = this.links.imports.given(link, from);
    return { value: specifier === 'node:test' ? given.default : given };
  }

  private moduleExports(instance: Instance): Record<string, unknown> {
    const { code, bindings } = instance;
    return {
      ...this.patches.moduleExports(code.file, bindings.names),
      meta: metaOf(code, this.engine, code.file === this.program.first, this.program.metaEnv),
      exports: (getters: Record<string, () => unknown>): void => bindings.register(getters),
      star: (index: number): void => {
        const link = code.links[index]!;
        if (link.kind === 'local') bindings.star(this.instances.get(link.target)!.bindings);
        else bindings.starOf(this.links.imports.of(instance.code)[index] as Record<string, unknown>, link.specifier);
      },
      /** The namespace object behind an import. */
      ns: (index: number): unknown => {
        const link = code.links[index]!;
        return link.kind === 'local'
          ? this.instances.get(link.target)!.bindings.namespace
          : this.links.imports.shown(link, instance.code, index);
      },
      relink: (take: (imports: unknown[]) => void): void => {
        instance.relink = take;
      },
      sync: <T>(value: T): T => {
        bindings.sync();
        return value;
      },
      require: (specifier: string): unknown => this.engine.scripts!.requireFrom(code.file, specifier),
      ...scriptFace(),
      script: () => padScope(instance, this.engine),
      import: (specifier: unknown) => this.links.later.dynamic(instance.code, own.StringCopy(specifier)),
      named(fn: object): void {
        own.defineProperty(fn, 'name', { value: 'default', configurable: true });
      },
    };
  }
}
