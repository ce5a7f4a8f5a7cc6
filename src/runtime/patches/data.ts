/** What a data file holds now goes into the objects that the program has of it: whoever holds a part sees it. */
import * as own from '../originals.js';
import { undoAll, type Undo } from './modules.js';

/**
 * @param held what the program has of the file
 * @param text the file as it is now, JSON
 * @throws where one of them is no object
 */
export function takeData(held: unknown, text: string): Undo {
  const data = JSON.parse(text) as unknown;
  if (!isContainer(held) || !isContainer(data)) throw new own.ErrorCopy('only objects and arrays are changed in place');
  const undo: Undo[] = [];
  merge(held as Container, data as Container, undo);
  return () => undoAll(undo);
}

type Container = Record<string, unknown>;

function isContainer(value: unknown): value is object {
  return typeof value === 'object' && value !== null;
}

function merge(held: Container, data: Container, undo: Undo[]): void {
  const before: Container = own.createObject(null) as Container;
  for (const key of own.keys(held)) before[key] = held[key];
  const count = Array.isArray(held) ? held.length : -1;
  own.append(undo, () => {
    for (const key of own.keys(held)) if (!(key in before)) delete held[key];
    if (count >= 0) (held as unknown as unknown[]).length = count;
    for (const key of own.keys(before)) if (held[key] !== before[key]) held[key] = before[key];
  });
  const known = own.createObject(null) as Container;
  for (const key of own.keys(data)) known[key] = true;
  for (const key of own.keys(held)) if (!(key in known)) delete held[key];
  if (count >= 0) (held as unknown as unknown[]).length = (data as unknown as unknown[]).length;
  for (const key of own.keys(data)) {
    const [a, b] = [held[key], data[key]];
    if (isContainer(a) && isContainer(b) && Array.isArray(a) === Array.isArray(b))
      merge(a as Container, b as Container, undo);
    else if (a !== b)
      // Not by assignment: `__proto__` is a name like any other in JSON.
      own.defineProperty(held, key, { value: b, writable: true, enumerable: true, configurable: true });
  }
}
