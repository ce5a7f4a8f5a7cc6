/** What stands for the imports of a module: packages, modules of the person, and those that the runtime gives. */
import type { ModuleCode, ModuleLink } from '../../wire/modules.js';
import type { Carrier } from '../carry.js';
import * as own from '../originals.js';
import type { ModuleEngine } from './engine.js';
import type { Evaluated } from './evaluation.js';
import { type Instance, Package } from './instance.js';
import type { ReplacedModules } from './replaced.js';

interface Sources {
  engine: ModuleEngine;
  carrier: Carrier;
  instanceOf(file: string): Instance;
  /** What stands for a module that tests are imported from. */
  tests(specifier: string): Record<string, unknown>;
  /** Names of `usher-anvil/pad`. */
  padExports: Record<string, unknown>;
  replaced: ReplacedModules;
}

/** A module whose namespace comes with its evaluation. */
interface Leaf extends Evaluated {
  readonly namespace: Record<string, unknown> | undefined;
  /** Modules that have to be linked anew when it is there. */
  readonly users: Instance[];
}

export class Imports {
  private readonly packages = own.safeMap<string, Package>();

  constructor(private readonly sources: Sources) {}

  /** The leaf for a link to a package, a builtin, or what stands in the place of a module; undefined for others. */
  leaf(link: ModuleLink, from: string): Leaf | undefined {
    const { engine, replaced } = this.sources;
    if (link.kind === 'replaced') return replaced.of(link);
    if (link.kind !== 'package' && link.kind !== 'builtin') return undefined;
    const base = link.base ?? from;
    const key = link.kind === 'builtin' ? link.specifier : `${link.target}\n${engine.dirname(base)}`;
    let leaf = this.packages.get(key);
    if (!leaf)
      this.packages.set(
        key,
        (leaf = new Package(link.kind === 'builtin' ? link.specifier : link.target, base, engine, (users) =>
          this.relink(users),
        )),
      );
    return leaf;
  }

  /** Gives modules of cycles their imports anew. */
  relink(users: readonly Instance[]): void {
    for (let i = 0; i < users.length; i++) users[i]!.relink?.(this.of(users[i]!.code));
  }

  /** @throws SyntaxError for a name that a package does not export */
  checkNames(link: ModuleLink, leaf: Leaf): void {
    for (const name of link.names)
      if (name !== '*' && !(name in leaf.namespace!))
        throw new SyntaxError(`The requested module '${link.specifier}' does not provide an export named '${name}'`);
  }

  /** What stands for the imports of a module in its code. A package that is not there yet is undefined. */
  of(code: ModuleCode): unknown[] {
    const list: unknown[] = [];
    for (const link of code.links)
      own.append(
        list,
        link.kind === 'local'
          ? this.sources.instanceOf(link.target).bindings.names
          : link.kind === 'package' || link.kind === 'builtin' || link.kind === 'replaced'
            ? this.leaf(link, code.file)!.namespace
            : this.given(link, code.file),
      );
    return list;
  }

  /** The namespace object behind an import of what is no local module. */
  shown(link: ModuleLink, code: ModuleCode, index: number): unknown {
    return this.seen(link, this.of(code)[index]);
  }

  /** What a program sees of a package. */
  seen({ kind }: ModuleLink, namespace: unknown): unknown {
    const { packageNamespace } = this.sources.engine;
    return packageNamespace && namespace !== undefined && (kind === 'package' || kind === 'builtin')
      ? packageNamespace(namespace as Record<string, unknown>)
      : namespace;
  }

  /**
   * A module that the runtime itself gives.
   *
   * @throws Error `ERR_MODULE_NOT_FOUND` for a link that leads nowhere
   */
  given(link: ModuleLink, from: string): Record<string, unknown> {
    switch (link.kind) {
      case 'tests':
        return this.sources.tests(link.specifier);
      case 'pad':
        for (const name of link.names)
          if (name !== '*' && !(name in this.sources.padExports))
            throw new SyntaxError(`The requested module 'usher-anvil/pad' does not provide an export named '${name}'`);
        return this.sources.padExports;
      case 'live':
        return this.sources.carrier.moduleExports(from);
      default:
        throw Object.assign(new own.ErrorCopy(link.target), { code: 'ERR_MODULE_NOT_FOUND' });
    }
  }

  /** Modules that are evaluated before one, in the order of its imports. */
  requested(code: ModuleCode): readonly Evaluated[] {
    const list: Evaluated[] = [];
    for (const link of code.links) {
      if (link.kind === 'local') own.append(list, this.sources.instanceOf(link.target));
      else {
        const leaf = this.leaf(link, code.file);
        if (leaf) own.append(list, leaf);
      }
    }
    return list;
  }
}
