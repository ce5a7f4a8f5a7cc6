/** A small live program inside this process: modules from texts, held state, and saves. */
import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { withImporters } from '#dist/patch/importers.js';
import { liveModule, type LiveModule } from '#dist/patch/live-module.js';
import { planText } from '#dist/patch/notes.js';
import { planChanges, type Plan } from '#dist/patch/plan.js';
import { planObservation } from '#dist/patch/observe.js';
import { Target } from '#dist/runtime/target.js';
import type { TargetEngine } from '#dist/runtime/target-engine.js';
import type { ModuleCode } from '#dist/wire/modules.js';
import { Linker } from '#dist/session/linker.js';
import type { Linked } from '#dist/session/linked.js';
import type { Files, Language, Resolution } from '#dist/session/host.js';
import { outlineOf, type Outline } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';
import { createRequire } from 'node:module';

const native = createRequire('/canal/');

/** Files that exist in memory alone. */
export class TextFiles implements Files {
  constructor(readonly texts: Map<string, string>) {}

  read(file: string): string {
    const text = this.texts.get(file);
    if (text === undefined) throw new Error(`no ${file}`);
    return text;
  }

  resolve(specifier: string, from: string): Resolution {
    if (specifier.startsWith('node:')) return { kind: 'builtin' };
    const file = new URL(specifier, `file://${from}`).pathname;
    return this.texts.has(file) ? { kind: 'local', file } : { kind: 'missing', message: `${specifier} is not there` };
  }

  packageType(file: string): 'module' | 'commonjs' {
    return file.endsWith('.cjs') ? 'commonjs' : 'module';
  }

  settings(): undefined {
    return undefined;
  }

  scriptNames(): string[] {
    return [];
  }

  beside(_file: string, name: string): string {
    return name;
  }

  stamp(file: string): string {
    return this.texts.get(file) ?? '';
  }

  nameOf(file: string, goal: 'module' | 'script' | 'json'): string {
    return goal === 'module' ? `file://${file}` : file;
  }
}

export const textLanguage: Language = { translator: nodeTranslator, recover: (_file, _text, first) => [...first] };

export function outlineText(file: string, text: string): Outline {
  const parsed = parse(text, { file, packageType: file.endsWith('.cjs') ? 'commonjs' : 'module' });
  if (parsed.problems.length > 0) throw new Error(`${file}: ${parsed.problems[0]!.message}`);
  return outlineOf(parsed);
}

const introspection: TargetEngine['introspection'] = {
  isProxy: () => false,
  brand: (value) => (value instanceof Error ? 'Error' : undefined),
};

export class Stage {
  private readonly texts: Map<string, string>;
  private readonly linker: Linker;
  private readonly target: Target;
  private readonly modules = new Map<string, LiveModule>();
  private readonly scripts = new Map<string, { exports: unknown }>();
  readonly errors: unknown[] = [];
  private linked: Linked | undefined;
  held: unknown;

  constructor(
    files: Record<string, string>,
    readonly entry = '/canal/main.ts',
  ) {
    this.texts = new Map(Object.entries(files).map(([name, text]) => [`/canal/${name}`, text]));
    this.linker = new Linker(new TextFiles(this.texts), textLanguage, { depth: 'off', patchable: true });
    const engine: TargetEngine = {
      introspection,
      now: () => performance.now(),
      later: (callback) => void setImmediate(callback),
      send: (batch) => void this.errors.push(...(batch.errors ?? [])),
      isOwnFile: () => false,
      console: undefined,
      compile: (code) => (0, eval)(code) as () => unknown,
      load: (specifier) => import(specifier) as Promise<Record<string, unknown>>,
      cells: (_unit, count) => new Float64Array(count),
      resolve: () => Promise.reject(new Error('not here')),
      resolveSync: () => {
        throw new Error('not here');
      },
      urlOf: (file) => `file://${file}`,
      dirname: () => '/canal',
    };
    this.target = new Target(engine);
    const load = (file: string): unknown => {
      const known = this.scripts.get(file);
      if (known) return known.exports;
      const module = { exports: {} as unknown };
      this.scripts.set(file, module);
      const require = (specifier: string): unknown =>
        specifier.startsWith('.') ? load(new URL(specifier, `file://${file}`).pathname) : native(specifier);
      this.target.parts.registry.script(file, { exports: module.exports, require, module, dirname: '/canal' });
      return module.exports;
    };
    engine.scripts = {
      load,
      requireFrom: (_file, specifier) => native(specifier) as unknown,
      ownName: undefined,
      forget: () => () => undefined,
      scopeOf: () => undefined as never,
    };
  }

  /** What the entry exports. */
  get m(): Record<string, unknown> {
    const script = this.scripts.get(this.entry);
    if (script) return { ...(script.exports as object), default: script.exports };
    return this.target.parts.registry.namespaceOf(this.entry)!;
  }

  async start(): Promise<void> {
    const linked = (this.linked = this.linker.link(this.entry));
    if (linked.problems.length > 0) throw new Error(linked.problems[0]!.problem.message);
    for (const { file } of linked.program.files) this.modules.set(file, liveModule(this.linker.unit(file).outline!));
    await this.target.parts.registry.run.call(
      (this.target.parts.registry.add(linked.modules), this.target.parts.registry),
      this.entry,
    );
  }

  /** Evaluates an expression that knows the module as `m` and what is held as `held`. */
  evaluate(code: string): unknown {
    return ((0, eval)(`(m, held) => (${code}\n)`) as (m: unknown, held: unknown) => unknown)(this.m, this.held);
  }

  /** What the last save was answered with, note by note. */
  notes: Plan['notes'] = [];

  plan(files: Record<string, string>): Plan[] {
    const plans = Object.entries(files).map(([name, text]) => {
      const file = `/canal/${name}`;
      return planChanges(this.modules.get(file)!, outlineText(file, text), nodeTranslator);
    });
    return withImporters(
      this.modules,
      plans,
      nodeTranslator,
      (specifier, from) => new URL(specifier, `file://${from}`).pathname,
    );
  }

  /** Saves files; returns what the plan says, or the failure. */
  async save(files: Record<string, string>): Promise<string> {
    for (const [name, text] of Object.entries(files)) this.texts.set(`/canal/${name}`, text);
    const known = Object.fromEntries(Object.entries(files).filter(([name]) => this.modules.has(`/canal/${name}`)));
    const plans = this.plan(known);
    this.notes = plans.flatMap((plan) => plan.notes);
    const steps = plans.flatMap((plan) => plan.steps);
    const modules: ModuleCode[] = [];
    for (const step of steps) {
      if (step.kind !== 'link') continue;
      const { link, modules: more, program } = this.linker.extend(this.linked!, step.specifier, step.file);
      modules.push(...more);
      for (const { file } of program.files)
        if (!this.modules.has(file)) this.modules.set(file, liveModule(this.linker.unit(file).outline!));
      await this.target.parts.registry.prepare(step.file, step.name, link, more);
    }
    const { failed } = await this.target.parts.changes.change({ do: 'patch', steps, links: [], modules: [] });
    if (failed) return `failed: ${failed.error.message}`;
    for (const plan of plans) this.modules.set(plan.file, plan.next);
    if (this.observedDepth) this.observe(this.observedDepth);
    return plans.map(planText).join(' / ');
  }

  /** Most versions that are remembered of one function of a file. */
  generations(name: string): number {
    return Math.max(...this.modules.get(`/canal/${name}`)!.functions.map((list) => list.length));
  }

  /** How long patched code may hold the thread. */
  patience(ms: number): void {
    this.target.parts.registry.patches.patience = ms;
  }

  private units = 0;
  private observedDepth: 'counts' | 'values' | undefined;
  readonly unobserved: string[] = [];

  /** Everything reports from now on, also what comes by later changes. */
  observe(depth: 'counts' | 'values'): void {
    this.observedDepth = depth;
    for (const [file, module] of this.modules) {
      const unit = ++this.units;
      const plan = planObservation(
        module,
        new Map(module.outline.functions.map((_, index) => [index, depth])),
        unit,
        nodeTranslator,
      );
      const { sites } = plan;
      const column = (key: 'owner' | 'reach' | 'plus'): Int32Array => Int32Array.from(sites, (site) => site[key]);
      const { failed } = this.target.parts.registry.observed.observe({
        units: [
          {
            unit,
            base: unit * 1e6,
            owners: column('owner'),
            reach: column('reach'),
            plus: column('plus'),
            functions: module.outline.functions.length,
          },
        ],
        steps: plan.steps,
        release: [],
        gone: [],
      });
      for (const { step, error } of failed)
        this.unobserved.push(`${plan.steps[step]!.name}: ${(error as Error).message}`);
      this.modules.set(file, plan.next);
    }
  }

  undo(): boolean {
    return this.target.parts.registry.patches.undo();
  }
}
