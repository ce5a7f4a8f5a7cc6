/**
 * Objects that were reported before: where one still holds what it held, it is told by its number alone. A program that
 * reports every value passes the same few objects around. What is compared are the members that a preview shows; what
 * was written to them by code that reports is known from there.
 */
import * as own from '../originals.js';
import type { Value } from '../../wire/value.js';

interface Known {
  identity: number;
  /** Undefined for a function, whose preview does not change. */
  members: { keys: (string | number)[]; values: unknown[]; length: number } | undefined;
}

/** Stands for what is read by code. */
const ACCESSOR = {};
/** Objects that are known at most: the reader keeps one preview of each. */
const MOST = 20_000;

export class KnownObjects {
  private known = own.safeWeakMap<object, Known>();
  private count = 0;
  private forgot = false;

  /** @returns the object's number where what was told of it last still holds; 0 where it is to be told */
  sameAs(object: object): number {
    const known = this.known.get(object);
    if (known === undefined) return 0;
    const { members, identity } = known;
    if (members === undefined) return identity;
    const { keys, values, length } = members;
    if (length >= 0 && (object as unknown[]).length !== length) return 0;
    for (let i = 0; i < keys.length; i++) {
      const descriptor = own.getDescriptor(object, keys[i]!);
      if (descriptor === undefined) return 0;
      const value: unknown = descriptor.get || descriptor.set ? ACCESSOR : descriptor.value;
      if (value !== values[i] && !own.is(value, values[i])) return 0;
    }
    return identity;
  }

  /** Notes what was told of an object. Only plain objects, instances, lists and functions are known. */
  told(object: object, { type, form, identity, entries, text }: Value): void {
    if (identity === undefined || text === 'cannot be read') return;
    if (type === 'function') {
      if (form !== 'proxy') this.set(object, { identity, members: undefined });
      return;
    }
    const list = form === 'array';
    if ((form !== undefined && !list) || entries === undefined) return;
    const keys: (string | number)[] = [];
    const values: unknown[] = [];
    for (let i = 0; i < entries.length; i++) {
      const key = list ? i : entries[i]!.key!;
      const descriptor = own.getDescriptor(object, key);
      // A gap in a list, or a symbol, which stands as text here.
      if (descriptor === undefined) return;
      own.append(keys, key);
      own.append(values, descriptor.get || descriptor.set ? ACCESSOR : descriptor.value);
    }
    this.set(object, { identity, members: { keys, values, length: list ? (object as unknown[]).length : -1 } });
  }

  /** A member was assigned by code that has reported it. */
  wrote(object: object, key: string, value: unknown): void {
    const members = this.known.get(object)?.members;
    if (members === undefined) return;
    const { keys, values } = members;
    if (members.length >= 0) members.length = (object as unknown[]).length;
    for (let i = 0; i < keys.length; i++)
      if (keys[i] === key || (typeof keys[i] === 'number' && own.StringCopy(keys[i]) === key)) {
        values[i] = value;
        return;
      }
  }

  /** True once after all was forgotten: the reader is to forget as well. */
  takeForgot(): boolean {
    const { forgot } = this;
    this.forgot = false;
    return forgot;
  }

  private set(object: object, known: Known): void {
    if (++this.count > MOST) {
      this.known = own.safeWeakMap<object, Known>();
      this.count = 0;
      this.forgot = true;
    }
    this.known.set(object, known);
  }
}
