/** Copies of what a value holds, for a person who takes them away: as JSON, or its bytes. */
import type { LookAnswer } from '../wire/looking.js';
import { itemCount } from './opener-text.js';
import * as own from './originals.js';
import type { Introspection } from './preview.js';

/** Characters of JSON that are written at most. */
const JSON_LIMIT = 4_000_000;

/** Own data as JSON; what JSON has no word for is left out or written as text. */
export function jsonOf(value: unknown, introspection: Introspection): LookAnswer {
  let room = JSON_LIMIT;
  let cut = false;
  const path: unknown[] = [];
  const write = (item: unknown, indent: string): string | undefined => {
    if (room <= 0) {
      cut = true;
      return 'null';
    }
    switch (typeof item) {
      case 'string':
        room -= item.length + 2;
        return own.jsonText(item);
      case 'number':
        room -= 8;
        return item === item && item !== Infinity && item !== -Infinity ? `${item}` : 'null';
      case 'boolean':
        room -= 5;
        return item ? 'true' : 'false';
      case 'bigint':
        room -= 8;
        return `"${own.StringCopy(item)}"`;
      case 'object':
        break;
      default:
        return undefined;
    }
    if (item === null) return 'null';
    if (introspection.isProxy(item)) return '"(proxy)"';
    for (let i = 0; i < path.length; i++) if (path[i] === item) return '"(circular)"';
    const brand = introspection.brand(item);
    if (brand === 'Date') {
      const time = own.dateTime(item as Date);
      return time === time ? `"${own.dateISO(item as Date)}"` : 'null';
    }
    own.append(path, item);
    const inner = `${indent}  `;
    const parts: string[] = [];
    let open = '[';
    let close = ']';
    if (itemCount(item) >= 0) {
      const length = itemCount(item);
      for (let i = 0; i < length && room > 0; i++) {
        const descriptor = own.getDescriptor(item, i);
        own.append(parts, (descriptor && 'value' in descriptor ? write(descriptor.value, inner) : undefined) ?? 'null');
      }
      if (parts.length < length) cut = true;
    } else if (brand === 'Map') {
      const cursor = own.mapEntries(item as Map<unknown, unknown>);
      for (let step = own.mapNext(cursor); !step.done && room > 0; step = own.mapNext(cursor))
        own.append(parts, `[${write(step.value[0], inner) ?? 'null'}, ${write(step.value[1], inner) ?? 'null'}]`);
    } else if (brand === 'Set') {
      const cursor = own.setValues(item as Set<unknown>);
      for (let step = own.setNext(cursor); !step.done && room > 0; step = own.setNext(cursor))
        own.append(parts, write(step.value, inner) ?? 'null');
    } else {
      open = '{';
      close = '}';
      const keys = own.keys(item);
      for (let i = 0; i < keys.length && room > 0; i++) {
        const descriptor = own.getDescriptor(item, keys[i]!);
        const text = descriptor && 'value' in descriptor ? write(descriptor.value, inner) : undefined;
        if (text === undefined) continue;
        room -= keys[i]!.length + 4;
        own.append(parts, `${own.jsonText(keys[i]!)}: ${text}`);
      }
    }
    path.length--;
    return parts.length === 0 ? open + close : `${open}\n${inner}${own.join(parts, `,\n${inner}`)}\n${indent}${close}`;
  };
  return { is: 'json', text: write(value, '') ?? 'null', cut };
}

/**
 * The bytes of a typed array, or of what holds one as `data` with `width` and `height`.
 *
 * @param limit most bytes that are copied; `size` tells how many there are
 */
export function bytesOf(value: unknown, limit: number, introspection: Introspection): LookAnswer {
  if (typeof value !== 'object' || value === null || introspection.isProxy(value))
    return { is: 'gone', why: 'This value has no bytes.' };
  const read = (source: object): { bytes: Uint8Array; size: number } | undefined => {
    const brand = introspection.brand(source);
    if (brand !== 'Typed') return undefined;
    const all = own.bytesOf(source as ArrayBufferView);
    // A copy: the original stays the program's own, and a message must not take it away.
    const size = own.typedLength(all);
    const copy = new own.Uint8ArrayOwn(Math.min(size, limit));
    for (let i = 0; i < Math.min(size, limit); i++) copy[i] = all[i]!;
    return { bytes: copy, size };
  };
  const direct = read(value);
  if (direct) return { is: 'bytes', ...direct };
  const data = own.getDescriptor(value, 'data')?.value as unknown;
  const width = own.getDescriptor(value, 'width')?.value as unknown;
  const height = own.getDescriptor(value, 'height')?.value as unknown;
  if (
    typeof data === 'object' &&
    data !== null &&
    !introspection.isProxy(data) &&
    typeof width === 'number' &&
    typeof height === 'number'
  ) {
    const inner = read(data);
    if (inner) return { is: 'bytes', ...inner, width, height };
  }
  return { is: 'gone', why: 'This value has no bytes.' };
}
