/** New values of names that live. */
import type { Step, ValueAt } from '../../wire/steps.js';
import * as own from '../originals.js';
import { isObject, putProperty, undoAll, type Evaluate, type Undo } from './modules.js';

type ValueStep = Extract<Step, { kind: 'value' }>;

/** Gives a name its new value: assigned, or put into the array or object that it holds. */
export function takeValue(step: ValueStep, evaluate: Evaluate): Undo {
  const access = evaluate(step.access) as { get: () => unknown; set: (value: unknown) => void };
  let live: unknown;
  try {
    live = access.get();
  } catch {
    // Not yet reached by the module.
  }
  if (step.how === 'items') {
    const next = evaluate(step.code) as unknown[];
    if (own.isArray(live) && own.isArray(next)) {
      const array = live;
      const before = own.copyArray(array);
      refill(array, next);
      return () => refill(array, before);
    }
    access.set(next);
    return () => access.set(live);
  }
  if (step.how === 'properties' && isObject(live)) {
    const object = live;
    const undo = (step.at ?? []).flatMap((entry) => setProperties(object, entry, evaluate));
    return () => undoAll(undo);
  }
  access.set(evaluate(step.code));
  return () => access.set(live);
}

/** Sets and removes properties at one place inside an object. */
function setProperties(object: object, entry: ValueAt, evaluate: Evaluate): Undo[] {
  const undo: Undo[] = [];
  let target: unknown = object;
  for (const key of entry.path) target = isObject(target) ? (target as Record<string, unknown>)[key] : undefined;
  if (!isObject(target)) return [];
  const place = target;
  const given = entry.code === undefined ? undefined : (evaluate(entry.code) as object);
  const wanted = entry.remove?.[0] === '*' ? own.keys(place as Record<string, unknown>) : (entry.remove ?? []);
  for (const key of wanted) {
    if (given && own.getDescriptor(given, key)) continue;
    const before = own.getDescriptor(place, key);
    if (!before) continue;
    delete (place as Record<string, unknown>)[key];
    own.append(undo, () => own.defineProperty(place, key, before));
  }
  if (given)
    for (const key of own.ownKeys(given)) {
      const next = own.getDescriptor(given, key)!;
      const before = own.getDescriptor(place, key);
      if (before && 'value' in before && 'value' in next && before.writable)
        own.append(undo, putProperty(place, key, { ...before, value: next.value as unknown }));
      else if ('value' in next) own.append(undo, putProperty(place, key, next));
      else
        own.append(
          undo,
          putProperty(place, key, { ...next, get: next.get ?? before?.get, set: next.set ?? before?.set }),
        );
    }
  return undo;
}

function refill(array: unknown[], next: readonly unknown[]): void {
  array.length = 0;
  for (let i = 0; i < next.length; i++) array[i] = next[i];
}
