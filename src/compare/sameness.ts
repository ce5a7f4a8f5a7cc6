/**
 * Whether two results are the same for whoever gets them: deeply, in the same order, and with the same objects in the
 * same places.
 */
import { differencesOf } from '../runtime/difference.js';
import type { Introspection, Previewer } from '../runtime/preview.js';
import type { Difference, Differences } from '../wire/reports.js';

/** Objects that are looked through for their order and sharing. */
const MOST = 100_000;

/** Where two values differ that come from two loads of a program. Runs no getters and no proxies. */
export function differencesApart(
  baseline: unknown,
  candidate: unknown,
  previewer: Previewer,
  introspection: Introspection,
): Differences {
  const found = differencesOf(candidate, baseline, { apart: true }, previewer, introspection);
  if (found.list.length > 0) return found;
  const note = unlike(baseline, candidate, previewer, introspection);
  return note ? { ...found, list: [note] } : found;
}

/** The first place at which two values with equal parts have them in another order, or share them in another way. */
function unlike(
  baseline: unknown,
  candidate: unknown,
  previewer: Previewer,
  { isProxy, brand }: Introspection,
): Difference | undefined {
  const twins = new Map<object, object>();
  const back = new Map<object, object>();
  const told = (path: string, a: unknown, b: unknown, note: string): Difference => ({
    path,
    note,
    expected: previewer.take(a),
    received: previewer.take(b),
  });
  const queue: { a: unknown; b: unknown; path: string }[] = [{ a: baseline, b: candidate, path: 'it' }];
  for (const { a, b, path } of queue) {
    if (twins.size > MOST) return undefined;
    if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null || a === b) continue;
    const [known, other] = [twins.get(a), back.get(b)];
    if (known === b) continue;
    if (known !== undefined || other !== undefined)
      return told(path, a, b, `the same object as elsewhere in the ${known ? 'first' : 'second'} result alone`);
    twins.set(a, b);
    back.set(b, a);
    if (isProxy(a) || isProxy(b)) continue;
    const kind = brand(a);
    if (kind === 'Map' || kind === 'Set') {
      const [one, two] = [keysOf(a, kind), keysOf(b, kind)];
      const at = one.findIndex((key, index) => isKey(key) && !Object.is(key, two[index]));
      if (at >= 0) return told(path, a, b, 'in another order');
      if (kind === 'Map') one.forEach((key, index) => queue.push(memberOf(a, b, key, two[index], path)));
      continue;
    }
    const names = namesOf(a);
    const others = namesOf(b);
    if (names.some((name, index) => name !== others[index])) return told(path, a, b, 'its keys are in another order');
    for (const name of names) {
      const [one, two] = [Object.getOwnPropertyDescriptor(a, name), Object.getOwnPropertyDescriptor(b, name)];
      const place = Array.isArray(a) ? `${path}[${name}]` : `${path}.${name}`;
      if (one && two && 'value' in one && 'value' in two) queue.push({ a: one.value, b: two.value, path: place });
    }
  }
  return undefined;
}

function keysOf(value: object, kind: 'Map' | 'Set'): unknown[] {
  return [...(kind === 'Map' ? Map.prototype.keys.call(value) : Set.prototype.values.call(value))];
}

/** Objects as keys are not told apart by their order. */
function isKey(key: unknown): boolean {
  return (typeof key !== 'object' && typeof key !== 'function') || key === null;
}

function memberOf(
  a: object,
  b: object,
  key: unknown,
  other: unknown,
  path: string,
): { a: unknown; b: unknown; path: string } {
  const get = (of: object, at: unknown): unknown => Map.prototype.get.call(of, at);
  return { a: get(a, key), b: get(b, other), path: `${path}.get(${String(key)})` };
}

function namesOf(value: object): string[] {
  return ArrayBuffer.isView(value) ? [] : Object.keys(value);
}
