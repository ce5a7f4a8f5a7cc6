/** Fields of classes that live: what new objects get, and those that live already. */
import type { Step } from '../../wire/steps.js';
import * as own from '../originals.js';
import {
  isObject,
  newestHook,
  putProperty,
  putVersion,
  undoAll,
  type Callable,
  type Field,
  type FieldPlan,
  type ModulePatches,
  type Undo,
} from './modules.js';

export type FieldsStep = Extract<Step, { kind: 'fields' }>;

/** Where a field is: under its name, or under the symbol of a private one that came late. */
export function keyOf(field: Field, module: ModulePatches): PropertyKey {
  return field.symbol === undefined ? field.key : (module.late[field.symbol] as symbol);
}

function setField(target: object, field: Field, plan: FieldPlan, module: ModulePatches): void {
  const result = own.apply(plan.make[field.key]!, target, []);
  if (field.sets) return;
  const hidden = field.symbol !== undefined;
  own.defineProperty(target, hidden ? (module.late[field.symbol!] as symbol) : field.key, {
    value: result,
    writable: true,
    enumerable: !hidden,
    configurable: true,
  });
}

/**
 * Takes what the fields of a class have become.
 *
 * @returns takes it back
 * @throws Error when the class was never made, or a field cannot be defined
 */
export function takeFields(step: FieldsStep, module: ModulePatches): Undo {
  const hook = newestHook(module, step.owner);
  if (!hook) throw new own.ErrorCopy('its class was never made');
  const target = step.isStatic ? hook.self : (hook.self as { prototype: object }).prototype;
  const make = hook.evaluate(step.code) as Record<string, Callable>;
  own.setPrototype(make, own.getPrototype(target));
  const plan: FieldPlan = { make, fields: step.fields };
  const undo: (() => void)[] = [];
  if (step.isStatic) {
    for (const field of step.fields) {
      const key = keyOf(field, module);
      const before = field.sets ? undefined : own.getDescriptor(target, key);
      setField(target, field, plan, module);
      if (!field.sets)
        own.append(undo, () =>
          before ? own.defineProperty(target, key, before) : delete (target as Record<PropertyKey, unknown>)[key],
        );
    }
  } else {
    own.append(
      undo,
      putVersion(module, step.owner, function (this: object): void {
        for (const field of step.fields) {
          if (field.removed) delete (this as Record<string, unknown>)[field.key];
          else setField(this, field, plan, module);
        }
      }),
    );
    for (const field of step.fields)
      if (field.fresh && !field.sets) own.append(undo, lazily(target, field, plan, module));
  }
  return () => undoAll(undo);
}

/**
 * Objects that live have no such field yet. Those that cannot be found get
 * it when it is first touched: an accessor on the prototype makes it then.
 */
function lazily(prototype: object, field: Field, plan: FieldPlan, module: ModulePatches): Undo {
  const key = keyOf(field, module);
  if (own.getDescriptor(prototype, key)) return () => undefined;
  let making = false;
  return putProperty(prototype, key, {
    get(this: object): unknown {
      if (this === prototype || making || !isObject(this)) return undefined;
      making = true;
      try {
        setField(this, field, plan, module);
      } finally {
        making = false;
      }
      return (this as Record<PropertyKey, unknown>)[key];
    },
    set(this: object, value: unknown): void {
      own.defineProperty(this, key, {
        value,
        writable: true,
        enumerable: field.symbol === undefined,
        configurable: true,
      });
    },
    enumerable: false,
    configurable: true,
  });
}
