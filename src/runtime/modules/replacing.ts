/** What a test framework does to the modules of the program it runs in. */
import type { ModuleCode, ModuleLink } from '../../wire/modules.js';
import * as own from '../originals.js';
import type { ModuleEngine } from './engine.js';
import type { Instance } from './instance.js';
import type { LaterImports } from './later.js';
import type { Replacement, ReplacedModules } from './replaced.js';

interface Modules {
  engine: ModuleEngine;
  instances: Map<string, Instance>;
  later: LaterImports;
  replaced: ReplacedModules;
  linkOf(specifier: string, from: string): ModuleLink;
  /** The module of a file, not evaluated yet. */
  fresh(code: ModuleCode, old: Instance): Instance;
}

export class Replacing {
  constructor(private readonly modules: Modules) {}

  /** A package has got something in place of a module. */
  get reachedPackages(): boolean {
    return this.modules.replaced.reachedPackages;
  }

  /** Puts something in the place of the module that a name leads to, for all that ask for it from now on. */
  replace(specifier: string, from: string, replacement: Replacement): void {
    this.modules.replaced.put(this.modules.linkOf(specifier, from), replacement);
    this.lead();
  }

  /** The module itself is there again. */
  restore(specifier: string, from: string): void {
    this.modules.replaced.remove(this.modules.linkOf(specifier, from));
    this.lead();
  }

  private lead(): void {
    const { instances, replaced } = this.modules;
    instances.forEach(({ code }) => replaced.lead(code.links));
  }

  /** What `require` gives in the place of a module; undefined where nothing stands there. */
  required(specifier: string, from: string): { value: unknown } | undefined {
    const { replaced, linkOf } = this.modules;
    return replaced.isEmpty ? undefined : replaced.required(linkOf(specifier, from));
  }

  /** The same for scripts of packages, by what names it everywhere. */
  ofPackages(specifier: string): { value: unknown } | undefined {
    const { replaced } = this.modules;
    if (replaced.isEmpty || /^[./]/.test(specifier)) return undefined;
    const found = replaced.required({ specifier, kind: 'builtin', target: '', names: [] });
    const given = found ?? replaced.required({ specifier, kind: 'package', target: '', names: [] });
    if (given) replaced.reachedPackages = true;
    return given;
  }

  /** What `require` gives for the module itself. */
  actual(specifier: string, from: string): unknown {
    const { replaced, engine, linkOf } = this.modules;
    return replaced.actual(linkOf(specifier, from), () => engine.scripts!.requireFrom(from, specifier));
  }

  /** The namespace of the module itself. */
  load(specifier: string, from: string): Promise<unknown> {
    return this.modules.later.load(this.modules.linkOf(specifier, from), from);
  }

  /**
   * The file that people have written to stand in the place of a module: of its name in a folder `__mocks__`, beside a
   * local one, or beside the folder of packages.
   */
  written(specifier: string, from: string): string | undefined {
    const { linkOf, engine } = this.modules;
    const link = linkOf(specifier, from);
    if (link.kind === 'local') {
      const name = link.target.slice(engine.dirname(link.target).length + 1);
      const beside = linkOf(`./__mocks__/${name}`, link.target);
      return beside.kind === 'local' ? beside.target : undefined;
    }
    const name = specifier.replace(/^node:/, '');
    for (let at = engine.dirname(from); ; at = engine.dirname(at)) {
      const beside = linkOf(`${at === '/' ? '' : at}/__mocks__/${name}`, from);
      if (beside.kind === 'local') return beside.target;
      if (engine.dirname(at) === at) return undefined;
    }
  }

  /**
   * Modules that are asked for from now on are evaluated anew.
   *
   * @param entries modules that stay
   * @param withReplaced what stands in the place of others is made anew, too
   * @returns brings them back as they were
   */
  forget(entries: readonly string[], withReplaced: boolean): () => void {
    const { instances, engine, replaced, fresh } = this.modules;
    const before: [string, Instance][] = [];
    instances.forEach((instance, file) => {
      if (instance.state.status !== 'evaluating' && !entries.includes(file)) own.append(before, [file, instance]);
    });
    for (const [file, old] of before) instances.set(file, fresh(old.code, old));
    const bringScripts = engine.scripts?.forget(before.map(([file]) => file));
    if (withReplaced) replaced.forget();
    return () => {
      for (const [file, old] of before) instances.set(file, old);
      bringScripts?.();
    };
  }
}
