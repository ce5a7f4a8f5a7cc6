/** What stands for the imports of a module: packages, modules of the person, and those that the runtime gives. */
import type { ModuleCode, ModuleLink } from '../../wire/modules.js';
import type { Carrier } from '../carry.js';
import * as own from '../originals.js';
import type { ModuleEngine } from './engine.js';
import type { Evaluated } from './evaluation.js';
import { type Instance, Package } from './instance.js';

export class Imports {
  private readonly packages = own.safeMap<string, Package>();

  /**
   * @param tests what stands for a module that tests are imported from
   * @param padExports names of `usher-anvil/pad`
   */
  constructor(
    private readonly engine: ModuleEngine,
    private readonly carrier: Carrier,
    private readonly instanceOf: (file: string) => Instance,
    private readonly tests: (specifier: string) => Record<string, unknown>,
    private readonly padExports: Record<string, unknown>,
  ) {}

  /** The leaf for a link to a package or builtin; undefined for other links. */
  leaf(link: ModuleLink, from: string): Package | undefined {
    if (link.kind !== 'package' && link.kind !== 'builtin') return undefined;
    const base = link.base ?? from;
    const key = link.kind === 'builtin' ? link.specifier : `${link.specifier}\n${this.engine.dirname(base)}`;
    let leaf = this.packages.get(key);
    if (!leaf)
      this.packages.set(
        key,
        (leaf = new Package(link.specifier, base, this.engine, (users) => {
          for (let i = 0; i < users.length; i++) users[i]!.relink?.(this.of(users[i]!.code));
        })),
      );
    return leaf;
  }

  /** @throws SyntaxError for a name that a package does not export */
  checkNames(link: ModuleLink, leaf: Package): void {
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
          ? this.instanceOf(link.target).bindings.names
          : link.kind === 'package' || link.kind === 'builtin'
            ? this.leaf(link, code.file)!.namespace
            : this.given(link, code.file),
      );
    return list;
  }

  /**
   * A module that the runtime itself gives.
   *
   * @throws Error `ERR_MODULE_NOT_FOUND` for a link that leads nowhere
   */
  given(link: ModuleLink, from: string): Record<string, unknown> {
    switch (link.kind) {
      case 'tests':
        return this.tests(link.specifier);
      case 'pad':
        for (const name of link.names)
          if (name !== '*' && !(name in this.padExports))
            throw new SyntaxError(`The requested module 'usher-anvil/pad' does not provide an export named '${name}'`);
        return this.padExports;
      case 'live':
        return this.carrier.moduleExports(from);
      default:
        throw Object.assign(new own.ErrorCopy(link.target), { code: 'ERR_MODULE_NOT_FOUND' });
    }
  }

  /** Modules that are evaluated before one, in the order of its imports. */
  requested(code: ModuleCode): readonly Evaluated[] {
    const list: Evaluated[] = [];
    for (const link of code.links) {
      if (link.kind === 'local') own.append(list, this.instanceOf(link.target));
      else {
        const leaf = this.leaf(link, code.file);
        if (leaf) own.append(list, leaf);
      }
    }
    return list;
  }
}
