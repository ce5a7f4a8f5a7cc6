/**
 * Patch points and scope hooks of a live program. A table of later versions by
 * function number; hooks through which new code is compiled inside a scope
 * that is alive.
 */
import * as own from './originals.js';

type Evaluate = (code: string) => unknown;

interface ClassHook {
  self: object;
  evaluate: Evaluate;
}

interface ModulePatches {
  table: unknown[];
  evaluate: Evaluate | undefined;
  classes: Map<string, ClassHook>;
  /** Top-level names that came after the module had started; code that uses them is compiled to look here. */
  late: Record<string, unknown>;
  namespace: object | undefined;
}

/** One step of a plan, ready to run in the target. Code is an expression compiled through a hook. */
export type PatchStep =
  | { kind: 'declare'; file: string; name: string; code: string; exported: boolean }
  | { kind: 'function'; file: string; id: number; code: string; owner?: { path: string; isStatic: boolean } }
  | { kind: 'member'; file: string; path: string; isStatic: boolean; key: string; member: 'method' | 'getter' | 'setter'; code: string }
  | { kind: 'assign'; file: string; name: string; code: string };

export class PatchTable {
  private readonly modules = own.safeMap<string, ModulePatches>();

  private of(file: string): ModulePatches {
    let found = this.modules.get(file);
    if (!found) {
      found = { table: [], evaluate: undefined, classes: own.safeMap(), late: own.createObject(null) as Record<string, unknown>, namespace: undefined };
      this.modules.set(file, found);
    }
    return found;
  }

  tableOf(file: string): unknown[] {
    return this.of(file).table;
  }

  lateOf(file: string, namespace: object): Record<string, unknown> {
    const module = this.of(file);
    module.namespace = namespace;
    return module.late;
  }

  hook(file: string, evaluate: Evaluate): void {
    this.of(file).evaluate = evaluate;
  }

  classHook(file: string, path: string, self: object, evaluate: Evaluate): void {
    this.of(file).classes.set(path, { self, evaluate });
  }

  /**
   * Applies steps whole or not at all: everything is compiled and evaluated
   * first, then all tables are written; a step that throws undoes those before it.
   */
  apply(steps: readonly PatchStep[]): { failed?: { step: number; error: unknown } } {
    const undo: (() => void)[] = [];
    for (let i = 0; i < steps.length; i++) {
      try {
        undo.push(this.step(steps[i]!));
      } catch (error) {
        for (let k = undo.length - 1; k >= 0; k--) undo[k]!();
        return { failed: { step: i, error } };
      }
    }
    return {};
  }

  private step(step: PatchStep): () => void {
    const module = this.of(step.file);
    const evaluate = module.evaluate;
    if (!evaluate) throw new own.ErrorCopy(`${step.file} is not loaded yet`);
    switch (step.kind) {
      case 'declare': {
        const { late, namespace } = module;
        const before = own.getDescriptor(late, step.name);
        late[step.name] = evaluate(step.code);
        const exporting = step.exported && namespace !== undefined && !own.getDescriptor(namespace, step.name);
        if (exporting) own.defineProperty(namespace, step.name, { get: () => late[step.name], enumerable: true, configurable: true });
        return () => {
          if (before) own.defineProperty(late, step.name, before);
          else delete late[step.name];
          if (exporting) delete (namespace as Record<string, unknown>)[step.name];
        };
      }
      case 'assign':
        return evaluate(step.code) as () => void;
      case 'function': {
        const previous = module.table[step.id];
        const hook = step.owner ? module.classes.get(step.owner.path) : undefined;
        if (step.owner && !hook) throw new own.ErrorCopy('the class was never made');
        // Members are compiled inside their class, which alone sees its private names.
        const made = (hook ? hook.evaluate : evaluate)(step.code);
        const value = hook ? this.withHome(made as object, step.owner!.isStatic ? hook.self : (hook.self as { prototype: object }).prototype) : made;
        module.table[step.id] = value;
        return () => (module.table[step.id] = previous);
      }
      case 'member': {
        const hook = module.classes.get(step.path);
        if (!hook) throw new own.ErrorCopy('the class was never made');
        const target = step.isStatic ? hook.self : (hook.self as { prototype: object }).prototype;
        const before = own.getDescriptor(target, step.key);
        const home = hook.evaluate(step.code) as object;
        own.setPrototype(home, own.getPrototype(target) as object);
        const descriptor = own.getDescriptor(home, step.key)!;
        const merged: PropertyDescriptor =
          step.member === 'method'
            ? { value: descriptor.value as unknown, writable: true }
            : { get: descriptor.get ?? before?.get, set: descriptor.set ?? before?.set };
        own.defineProperty(target, step.key, { ...merged, enumerable: false, configurable: true });
        return () => {
          if (before) own.defineProperty(target, step.key, before);
          else delete (target as Record<string, unknown>)[step.key];
        };
      }
    }
  }

  /** `code` gave `{ home, get }`: `super` in the method looks up from the prototype of its home object. */
  private withHome(made: object, target: object): unknown {
    const { home, pick } = made as { home: object; pick: (home: object) => unknown };
    own.setPrototype(home, own.getPrototype(target) as object);
    return pick(home);
  }
}
