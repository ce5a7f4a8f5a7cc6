/** Live objects of classes: those that are known, those that are found, and those that go over to a class made anew. */
import { CARRIED, MIGRATE } from '../carry.js';
import * as own from '../originals.js';
import { keyOf, type FieldsStep } from './fields.js';
import { isObject, newestHook, type Callable, type ModulePatches, type PatchedModules, type Undo } from './modules.js';

/** Milliseconds that looking for live objects may take. */
const SEARCH_MS = 2;

/** An object of a class that asks for it is made. */
export function instanceMade(module: ModulePatches, slot: number, instance: object): void {
  let list = module.instances.get(slot);
  if (!list) module.instances.set(slot, (list = []));
  if (list.length > 0 && (list.length & (list.length - 1)) === 0 && list.length >= 64) {
    let kept = 0;
    for (const entry of list) if (entry.deref() !== undefined) list[kept++] = entry;
    list.length = kept;
  }
  own.append(list, new own.WeakRefCopy(instance));
}

/**
 * Objects of classes that were made anew go over to the new ones, where the
 * class asks for it. Fields that are not carried are taken off, and the class's
 * own function may set them anew.
 *
 * @param old the module as it was before it was executed again
 * @returns how many went over
 */
export function adoptInstances(old: ModulePatches, module: ModulePatches): number {
  let moved = 0;
  for (const [slot, list] of old.instances) {
    const from = newestHook(old, slot);
    if (!from) continue;
    const { name } = from.self as { name: string };
    for (const [newSlot] of module.classes) {
      const to = newestHook(module, newSlot);
      if (!to || (to.self as { name: string }).name !== name) continue;
      const carried = (to.self as Record<symbol, unknown>)[CARRIED];
      const keep = own.isArray(carried) ? own.safeSet(carried as string[]) : undefined;
      for (const entry of list) {
        const instance = entry.deref();
        if (!instance) continue;
        const dropped: string[] = [];
        if (keep)
          for (const key of own.ownKeys(instance)) {
            if (typeof key !== 'string' || keep.has(key)) continue;
            delete (instance as Record<string, unknown>)[key];
            own.append(dropped, key);
          }
        own.setPrototype(instance, (to.self as { prototype: object }).prototype);
        instanceMade(module, newSlot, instance);
        const migrate = (to.self as Record<symbol, unknown>)[MIGRATE];
        if (typeof migrate === 'function') own.apply(migrate as Callable, to.self, [instance, dropped]);
        moved++;
      }
    }
  }
  return moved;
}

/**
 * Gives new fields to the objects that live and can be found: those known, and those reached from the module's
 * variables in a short time.
 */
export function fillFields(modules: PatchedModules, step: FieldsStep, undo: Undo[], now: () => number): number {
  const module = modules.of(step.file);
  const hook = newestHook(module, step.owner);
  const fresh = step.fields.filter((field) => field.fresh && !field.sets);
  if (!hook || step.isStatic || fresh.length === 0) return 0;
  const { prototype } = hook.self as { prototype: object };
  const known = module.instances.get(step.owner);
  const found: object[] = [];
  if (known) {
    for (const entry of known) {
      const instance = entry.deref();
      if (instance) own.append(found, instance);
    }
  } else search(modules, prototype, step.roots, found, now);
  const make = (hook.self as Record<symbol, unknown>)[MIGRATE];
  let filled = 0;
  for (const instance of found) {
    const missing: string[] = [];
    for (const field of fresh) {
      const key = keyOf(field, module);
      if (own.getDescriptor(instance, key)) continue;
      // Touching it is enough: the accessor makes it.
      void (instance as Record<PropertyKey, unknown>)[key];
      own.append(missing, field.key);
      own.append(undo, () => delete (instance as Record<PropertyKey, unknown>)[key]);
    }
    if (missing.length === 0) continue;
    filled++;
    if (typeof make === 'function') own.apply(make as Callable, hook.self, [instance, missing]);
  }
  return filled;
}

/**
 * Objects whose prototype chain has `prototype`, reached from what the modules hold. Runs no code of the person:
 * accessors are not read.
 */
function search(
  modules: PatchedModules,
  prototype: object,
  roots: FieldsStep['roots'],
  found: object[],
  now: () => number,
): void {
  const start = now();
  const seen = own.safeWeakMap<object, boolean>();
  const queue: object[] = [];
  const add = (value: unknown): void => {
    if (!isObject(value) || seen.get(value)) return;
    seen.set(value, true);
    own.append(queue, value);
  };
  for (const { file, code } of roots) {
    const module = modules.get(file);
    if (!module?.evaluate) continue;
    for (const read of module.evaluate(code) as (() => unknown)[]) {
      try {
        add(read());
      } catch {
        // A variable that the module has not reached yet.
      }
    }
    add(module.late);
  }
  for (let i = 0; i < queue.length; i++) {
    if ((i & 63) === 63 && now() - start > SEARCH_MS) return;
    const value = queue[i]!;
    try {
      for (let at = own.getPrototype(value); at; at = own.getPrototype(at))
        if (at === prototype) {
          own.append(found, value);
          break;
        }
      own.eachItem(value, add);
      for (const key of own.ownKeys(value)) {
        const descriptor = own.getDescriptor(value, key);
        if (descriptor && 'value' in descriptor) add(descriptor.value);
      }
    } catch {
      // A proxy that forbids it.
    }
  }
}
