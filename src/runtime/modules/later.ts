/** Modules that are imported while the program runs. */
import type { Resolved } from '../../wire/messages.js';
import type { ModuleCode, ModuleLink, Observe } from '../../wire/modules.js';
import * as own from '../originals.js';
import type { PatchTable } from '../patches/table.js';
import type { Stacks } from '../stacks.js';
import type { ModuleEngine } from './engine.js';
import { evaluate } from './evaluation.js';
import { brokenError } from './execution.js';
import type { Imports } from './imports.js';
import type { Instance } from './instance.js';
import type { ReplacedModules } from './replaced.js';

/** What it needs of the registry. */
interface Modules {
  engine: ModuleEngine;
  imports: Imports;
  patches: PatchTable;
  stacks: Stacks;
  replaced: ReplacedModules;
  add(modules: readonly ModuleCode[]): void;
  instanceOf(file: string): Instance;
  evaluate(file: string): Promise<void> | undefined;
  /** The file of a module gets a new one, and what looks for that file finds it. */
  renew(code: ModuleCode): void;
  observe(asked: Observe): void;
}

export class LaterImports {
  /** Namespaces of modules that have a query in their address. */
  private readonly byAddress = own.safeMap<string, Promise<unknown>>();

  constructor(private readonly modules: Modules) {}

  /**
   * Loads a module that a live one imports only now, and puts it where patched code looks for it.
   *
   * @throws whatever the module throws while it is evaluated, or Error when it lacks the name
   */
  async prepare(file: string, name: string, link: ModuleLink, modules: readonly ModuleCode[]): Promise<void> {
    const { imports, patches, add, instanceOf } = this.modules;
    add(modules);
    const late = patches.lateOf(file);
    let namespace: unknown;
    if (link.kind === 'missing') throw Object.assign(new own.ErrorCopy(link.target), { code: 'ERR_MODULE_NOT_FOUND' });
    const leaf = imports.leaf(link, file);
    if (leaf) {
      const done = evaluate(leaf);
      if (done) await done;
      namespace = leaf.namespace;
      imports.checkNames(link, leaf);
    } else if (link.kind !== 'local') namespace = imports.given(link, file);
    else {
      const done = this.modules.evaluate(link.target);
      if (done) await done;
      namespace = instanceOf(link.target).bindings.names;
    }
    own.defineProperty(late, name, { value: namespace, writable: true, enumerable: true, configurable: true });
  }

  /** `import()`. */
  async dynamic(code: ModuleCode, specifier: string): Promise<unknown> {
    // Never at once: whoever asks may be in the middle of a graph that is being evaluated.
    await undefined;
    const ahead = own.getDescriptor(code.dynamic, specifier) ? code.dynamic[specifier]! : undefined;
    // Which module an address with a query gets, the session is to know.
    const isKnown = ahead !== undefined && ahead.query === undefined;
    const answer: Resolved = isKnown
      ? { link: ahead, modules: [] }
      : await this.modules.engine.resolve(specifier, code.file);
    const { link } = answer;
    if (link.query !== undefined) return this.byQuery(answer, code.file);
    this.add(answer);
    const replaced = this.modules.replaced.of(link);
    if (!replaced) return this.load(link, code.file);
    const done = evaluate(replaced);
    if (done) await done;
    return replaced.namespace;
  }

  private add({ modules, observe }: Resolved): void {
    this.modules.add(modules);
    if (observe) this.modules.observe(observe);
  }

  /** A module that has the code of another, and a query of its own in its address. */
  private byQuery(answer: Resolved, from: string): Promise<unknown> {
    const { link, modules } = answer;
    const address = link.target + link.query!;
    const known = this.byAddress.get(address);
    if (known) return known;
    this.modules.add(modules);
    const old = this.modules.instanceOf(link.target);
    let { code } = old;
    for (let i = 0; i < modules.length; i++) if (modules[i]!.file === link.target) code = modules[i]!;
    // Scripts are kept by their files alone.
    if (old.instantiated && code.goal === 'module') this.modules.renew(code);
    this.add(answer);
    const loaded = this.load(link, from);
    this.byAddress.set(address, loaded);
    return loaded;
  }

  /** The namespace of the module that a link leads to, whatever stands in its place. */
  async load(link: ModuleLink, from: string): Promise<unknown> {
    const { engine, imports, stacks, instanceOf } = this.modules;
    if (link.kind === 'missing')
      return engine.tellsMissing ? engine.load(link.specifier, from) : imports.given(link, from);
    const leaf = imports.leaf(link, from);
    if (leaf) {
      const { specifier, target, base = from } = link;
      return imports.seen(
        link,
        leaf.namespace ?? (await engine.load(link.kind === 'package' ? target : specifier, base)),
      );
    }
    if (link.kind !== 'local') return imports.given(link, from);
    const instance = instanceOf(link.target);
    if (instance.code.broken && instance.code.broken.how !== 'names') {
      // The engine's own words, where it reads the same text.
      if (engine.tellsMissing)
        await engine.load(engine.urlOf(link.target), from).catch((error: unknown) => {
          if (error instanceof SyntaxError) stacks.place(error, instance.code);
          throw error;
        });
      throw brokenError(instance.code, stacks);
    }
    const done = this.modules.evaluate(link.target);
    if (done) await done;
    return instance.bindings.namespace;
  }
}
