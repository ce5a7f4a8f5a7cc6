/** What is known of the modules of a live program: their slots, hooks, late names and objects. */
import type { Step } from '../../wire/steps.js';
import * as own from '../originals.js';

export type FunctionStep = Extract<Step, { kind: 'function' }>;

export type Evaluate = (code: string) => unknown;
export type Callable = (...args: unknown[]) => unknown;

/** What a class gives when it is made. */
export interface ClassHook {
  self: object;
  evaluate: Evaluate;
}

export interface Field {
  key: string;
  symbol?: string;
  sets?: boolean;
  fresh?: boolean;
  removed?: boolean;
}

export interface FieldPlan {
  make: Record<string, Callable>;
  fields: Field[];
}

export interface ModulePatches {
  /** The slots it started with: one object each. */
  slots: Record<string, unknown>[];
  /** Those that came later. */
  table: unknown[];
  evaluate: Evaluate | undefined;
  /** Classes by slot; those that functions make are held weakly, the newest last. */
  classes: Map<number, WeakRef<ClassHook>[]>;
  /** Classes of the module are held for good. */
  lasting: ClassHook[];
  /** Names that came after the module had started; code that uses them is compiled to look here. */
  late: Record<string, unknown>;
  namespace: object | undefined;
  /** What functions show as their source since they were changed, by slot. */
  texts: Map<number, string>;
  /** Live objects of the classes that ask for it. */
  instances: Map<number, WeakRef<object>[]>;
  /** Slots that hold a version which reports, and what they hold when nobody observes. */
  observed: Map<number, { version: unknown; base: unknown }>;
  /** Versions that report as soon as they can be made: the module, or their class, is not there yet. */
  early: FunctionStep[];
}

/** Takes back what was done. */
export type Undo = () => void;

export class PatchedModules {
  private readonly modules = own.safeMap<string, ModulePatches>();
  private readonly classHooks = own.safeWeakMap<object, ClassHook>();

  /** A module that is known, or becomes so. */
  of(file: string): ModulePatches {
    let found = this.modules.get(file);
    if (!found) {
      found = {
        slots: [],
        table: [],
        evaluate: undefined,
        classes: own.safeMap(),
        lasting: [],
        late: own.createObject(null) as Record<string, unknown>,
        namespace: undefined,
        texts: own.safeMap(),
        instances: own.safeMap(),
        observed: own.safeMap(),
        early: [],
      };
      this.modules.set(file, found);
    }
    return found;
  }

  get(file: string): ModulePatches | undefined {
    return this.modules.get(file);
  }

  set(file: string, module: ModulePatches): void {
    this.modules.set(file, module);
  }

  forget(file: string): void {
    this.modules.delete(file);
  }

  each(visit: (module: ModulePatches) => void): void {
    this.modules.forEach(visit);
  }

  /** A class of a module is made: gives its hook. */
  classMade(module: ModulePatches, slot: number, self: object, evaluate: Evaluate): ClassHook {
    const hook: ClassHook = { self, evaluate };
    let list = module.classes.get(slot);
    if (!list) module.classes.set(slot, (list = []));
    if (list.length === 0) own.append(module.lasting, hook);
    else if (list.length > 16) {
      let kept = 0;
      for (const entry of list) if (entry.deref() !== undefined) list[kept++] = entry;
      list.length = kept;
    }
    own.append(list, new own.WeakRefCopy(hook));
    // As long as the class lives, its hook does.
    this.classHooks.set(self, hook);
    return hook;
  }
}

/** Classes of a slot that live, the newest last. */
export function hooksOf(module: ModulePatches, slot: number): ClassHook[] {
  const found: ClassHook[] = [];
  for (const entry of module.classes.get(slot) ?? []) {
    const hook = entry.deref();
    if (hook) own.append(found, hook);
  }
  return found;
}

export function newestHook(module: ModulePatches, slot: number): ClassHook | undefined {
  const hooks = hooksOf(module, slot);
  return hooks[hooks.length - 1];
}

/** What the patch point of a slot finds. */
export function versionAt({ slots, table }: ModulePatches, slot: number): unknown {
  return slot < slots.length ? slots[slot]![own.keys(slots[slot]!)[0]!] : table[slot];
}

export function setVersion({ slots, table }: ModulePatches, slot: number, version: unknown): void {
  if (slot < slots.length) {
    putConstant(slots[slot]!, version);
    return;
  }
  for (let i = table.length; i < slot; i++) table[i] = undefined;
  table[slot] = version;
}

/**
 * Puts a value into the one property of an object so that the engine takes it
 * for a constant, as it does with what the object was made with. A property that
 * has been assigned counts as variable for good, in all objects of its hidden
 * class: code that looks at it would stay slower when what it held is back. So
 * the object is made a table, and then laid out anew, in a hidden class of its
 * own: the engine does that with objects from which others inherit.
 */
function putConstant(slot: Record<string, unknown>, value: unknown): void {
  const name = own.keys(slot)[0]!;
  delete slot[name];
  // To take away a property that is not the newest makes it a table.
  slot.older = undefined;
  slot.newer = undefined;
  delete slot.older;
  delete slot.newer;
  slot[name] = value;
  const Heir = function (): void {};
  Heir.prototype = slot;
  new (Heir as unknown as new () => object)();
}

/** Takes a version that reports away. */
export function stopReporting(module: ModulePatches, slot: number): void {
  const observed = module.observed.get(slot);
  if (!observed) return;
  module.observed.delete(slot);
  setVersion(module, slot, observed.base);
}

/** Puts a later version where the patch point looks. What reports there does not any more. */
export function putVersion(module: ModulePatches, slot: number, version: unknown): Undo {
  stopReporting(module, slot);
  const previous = versionAt(module, slot);
  setVersion(module, slot, version);
  return () => {
    module.observed.delete(slot);
    setVersion(module, slot, previous);
  };
}

/** Defines a property. */
export function putProperty(target: object, key: PropertyKey, descriptor: PropertyDescriptor): Undo {
  const before = own.getDescriptor(target, key);
  own.defineProperty(target, key, descriptor);
  return () => {
    if (before) own.defineProperty(target, key, before);
    else delete (target as Record<PropertyKey, unknown>)[key];
  };
}

/** Takes a list back, the last first. */
export function undoAll(undo: readonly Undo[]): void {
  for (let i = undo.length - 1; i >= 0; i--) undo[i]!();
}

export function isObject(value: unknown): value is object {
  return (typeof value === 'object' && value !== null) || typeof value === 'function';
}
