/** Members and parents of classes that live. */
import type { Step } from '../../wire/steps.js';
import * as own from '../originals.js';
import { hooksOf, putProperty, undoAll, type Evaluate, type ModulePatches, type Undo } from './modules.js';

/** A member that replaces or joins those of a class. */
export function takeMember(step: Extract<Step, { kind: 'member' }>, module: ModulePatches): Undo {
  const undo: (() => void)[] = [];
  for (const hook of hooksOf(module, step.owner)) {
    const target = step.isStatic ? hook.self : (hook.self as { prototype: object }).prototype;
    const home = hook.evaluate(step.code) as object;
    own.setPrototype(home, own.getPrototype(target));
    for (const key of own.ownKeys(home)) {
      const given = own.getDescriptor(home, key)!;
      const at = step.symbol === undefined ? key : (module.late[step.symbol] as symbol);
      const before = own.getDescriptor(target, at);
      const merged: PropertyDescriptor =
        'value' in given
          ? { value: given.value as unknown, writable: true }
          : { get: given.get ?? before?.get, set: given.set ?? before?.set };
      own.append(undo, putProperty(target, at, { ...merged, enumerable: false, configurable: true }));
    }
  }
  return () => undoAll(undo);
}

/** A class gets another parent. */
export function takeParent(step: Extract<Step, { kind: 'parent' }>, module: ModulePatches, evaluate: Evaluate): Undo {
  const parent = evaluate(step.code) as object;
  const undo: (() => void)[] = [];
  for (const { self } of hooksOf(module, step.owner)) {
    const { prototype } = self as { prototype: object };
    const before = own.getPrototype(self);
    const beforeOf = own.getPrototype(prototype);
    own.setPrototype(self, parent);
    own.setPrototype(prototype, (parent as { prototype: object }).prototype);
    own.append(undo, () => {
      own.setPrototype(self, before);
      own.setPrototype(prototype, beforeOf);
    });
  }
  return () => undoAll(undo);
}
