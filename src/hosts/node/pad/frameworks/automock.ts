/**
 * A copy of a module in which functions do nothing and are watched: arrays are empty, objects and classes are copied
 * with what is in them, other values stay.
 */
import type { Fn, Loose } from './parts.js';

/** Makes what stands for a function; `original` is called by it, where there is one. */
export type MakeFunction = (original: Fn | undefined) => Fn;

/** @param spied functions do what they did, and are watched */
export function automocked(module: Loose, make: MakeFunction, spied: boolean): Loose {
  const seen = new Map<object, object>();
  const copy = (value: unknown): unknown => {
    if (typeof value === 'function') return copyFunction(value as Fn);
    if (typeof value !== 'object' || value === null) return value;
    if (Array.isArray(value)) return spied ? value : [];
    const tag = Object.prototype.toString.call(value);
    if (tag !== '[object Object]' && tag !== '[object Module]') return value;
    const known = seen.get(value);
    if (known) return known;
    const made = Object.create(Object.getPrototypeOf(value) as object | null) as Loose;
    seen.set(value, made);
    fill(made, value);
    for (let at = Object.getPrototypeOf(value) as object | null; at && at !== Object.prototype; at = above(at))
      fillMethods(made, at);
    return made;
  };
  const copyFunction = (original: Fn): unknown => {
    const known = seen.get(original);
    if (known) return known;
    const made = make(spied ? original : undefined);
    seen.set(original, made);
    Object.defineProperty(made, 'name', { value: original.name, configurable: true });
    fill(made as unknown as Loose, original);
    const { prototype } = original as { prototype?: object };
    if (prototype)
      for (let at: object | null = prototype; at && at !== Object.prototype; at = above(at))
        fillMethods((made as unknown as { prototype: Loose }).prototype, at);
    return made;
  };
  const fill = (into: Loose, from: object): void => {
    for (const name of Reflect.ownKeys(from)) {
      if (['length', 'name', 'prototype', 'caller', 'arguments'].includes(name as string) && typeof from === 'function')
        continue;
      const { value, get } = Object.getOwnPropertyDescriptor(from, name)!;
      if (get && typeof from !== 'object') continue;
      define(into, name, copy(get ? (from as Loose)[name as string] : value));
    }
  };
  const fillMethods = (into: Loose, from: object): void => {
    for (const name of Reflect.ownKeys(from)) {
      const { value } = Object.getOwnPropertyDescriptor(from, name)!;
      if (name !== 'constructor' && typeof value === 'function' && !Object.hasOwn(into, name))
        define(into, name, make(spied ? (value as Fn) : undefined));
    }
  };
  const made: Loose = {};
  for (const name of Object.keys(module)) define(made, name, copy(module[name]));
  return made;
}

function above(prototype: object): object | null {
  return Object.getPrototypeOf(prototype) as object | null;
}

function define(into: object, name: PropertyKey, value: unknown): void {
  Object.defineProperty(into, name, { value, writable: true, enumerable: true, configurable: true });
}
