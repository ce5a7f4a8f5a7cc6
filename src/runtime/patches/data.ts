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
  for (const key of own.keys(held)) put(before, key, valueOf(held, key));
  const count = Array.isArray(held) ? held.length : -1;
  own.append(undo, () => {
    for (const key of own.keys(held)) if (!own.getDescriptor(before, key)) delete held[key];
    if (count >= 0) (held as unknown as unknown[]).length = count;
    for (const key of own.keys(before)) put(held, key, valueOf(before, key));
  });
  for (const key of own.keys(held)) if (!own.getDescriptor(data, key)) delete held[key];
  if (count >= 0) (held as unknown as unknown[]).length = (data as unknown as unknown[]).length;
  for (const key of own.keys(data)) {
    const [a, b] = [valueOf(held, key), valueOf(data, key)];
    if (isContainer(a) && isContainer(b) && Array.isArray(a) === Array.isArray(b))
      merge(a as Container, b as Container, undo);
    else put(held, key, b);
  }
}

/** Of the object itself: `__proto__` is a name like any other in JSON, and leads nowhere else. */
function valueOf(object: Container, key: string): unknown {
  return own.getDescriptor(object, key)?.value;
}

function put(object: Container, key: string, value: unknown): void {
  const known = own.getDescriptor(object, key);
  if (known && known.value === value) return;
  own.defineProperty(object, key, { value, writable: true, enumerable: true, configurable: true });
}
