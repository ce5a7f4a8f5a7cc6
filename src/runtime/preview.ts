/**
 * Previews: what a value was at its moment, within a budget. Reading never
 * runs the person's code: getters are shown as getters, proxies are not
 * entered, neither `toString` nor `toJSON` is called.
 */
import type { Identities } from './identities.js';
import * as own from './originals.js';
import type { PlatformFacts } from './platform-objects.js';
import type { Entry, Value } from '../wire/value.js';

/** What only the engine can tell; given by the host. */
export interface Introspection {
  isProxy(value: object): boolean;
  /** State and result of a promise, without waiting. */
  promise?(value: object): { state: 'pending' | 'fulfilled' | 'rejected'; result?: unknown } | undefined;
  /** The result of a settled promise, which only the engine's debugger can read. */
  settled?(value: object): { result: unknown } | undefined;
  /** Private fields, where the engine lets us read them. */
  privates?(value: object): { key: string; value: unknown }[];
  /** Tag by internal slots: `Map`, `Set`, `Date`, `RegExp`, `Error`, `Promise`, … */
  brand(value: object): string | undefined;
  /** The markup of an element of a document; undefined for all else, and where there is no document. */
  element?: ((value: object) => string | undefined) | undefined;
  /** What an object of the platform holds behind its accessors; undefined for all others. */
  platform?(value: object): PlatformFacts | undefined;
}

export interface Budget {
  depth: number;
  /** Entries per level. */
  entries: number;
  /** Characters of a string. */
  text: number;
  /** Values in all. */
  values: number;
}

export const SHALLOW: Budget = { depth: 2, entries: 8, text: 120, values: 40 };
/** For the samples of a program that has reported thousands of objects already. */
export const SMALL: Budget = { depth: 1, entries: 6, text: 120, values: 8 };
/** Enough of a value for a table or a plot. */
export const WIDE: Budget = { depth: 3, entries: 2_000, text: 4_000, values: 20_000 };
export const CONSOLE: Budget = { depth: 5, entries: 100, text: 10_000, values: 400 };
export const DEEP: Budget = { depth: 6, entries: 100, text: 2_000, values: 1_000 };

/** Fields of a person on an object of the platform that are shown. */
const MOST_ADDED = 100;

export class Previewer {
  /** Set where objects are to be recognised. */
  identities: Identities | undefined;
  private left = 0;
  private seen: object[] = [];

  constructor(private readonly introspection: Introspection) {}

  /** Takes the preview of any value; never throws. */
  take(value: unknown, budget: Budget = SHALLOW): Value {
    this.left = budget.values;
    this.seen = [];
    try {
      return this.read(value, budget, budget.depth);
    } catch {
      return { type: typeof value === 'function' ? 'function' : 'object', text: 'cannot be read' };
    }
  }

  private read(value: unknown, budget: Budget, depth: number): Value {
    this.left--;
    switch (typeof value) {
      case 'undefined':
        return { type: 'undefined' };
      case 'boolean':
        return { type: 'boolean', text: value ? 'true' : 'false' };
      case 'number':
        return { type: 'number', text: numberText(value) };
      case 'bigint':
        return { type: 'bigint', text: own.StringCopy(value) };
      case 'string':
        return value.length <= budget.text
          ? { type: 'string', text: value }
          : { type: 'string', text: own.slice(value, 0, budget.text), size: value.length };
      case 'symbol':
        return { type: 'symbol', text: own.symbolText(value) };
      case 'function':
        return this.identified(value as object, this.callable(value as object));
      default:
        if (value === null) return { type: 'null' };
        return this.identified(value as object, this.object(value as object, budget, depth));
    }
  }

  private identified(object: object, value: Value): Value {
    if (this.identities) value.identity = this.identities.of(object);
    return value;
  }

  private callable(value: object): Value {
    if (this.introspection.isProxy(value)) return { type: 'function', form: 'proxy', text: '' };
    const name = own.getDescriptor(value, 'name');
    const prototype = own.getDescriptor(value, 'prototype');
    const result: Value = { type: 'function', text: name && typeof name.value === 'string' ? name.value : '' };
    if (prototype && prototype.writable === false) result.form = 'class';
    return result;
  }

  private object(value: object, budget: Budget, depth: number): Value {
    const { introspection } = this;
    if (introspection.isProxy(value)) return { type: 'object', form: 'proxy' };
    for (let i = 0; i < this.seen.length; i++) if (this.seen[i] === value) return { type: 'object', text: 'circular' };
    const brand = introspection.brand(value);
    const result: Value = { type: 'object' };
    const name = this.className(value);
    if (name !== 'Object') result.class = name;
    if (own.isArray(value)) {
      result.form = 'array';
      result.size = value.length;
      if (name === 'Array') delete result.class;
      this.within(value, () => this.elements(result, value, value.length, budget, depth));
      return result;
    }
    switch (brand) {
      case 'Map':
        result.form = 'map';
        result.size = own.mapSize(value as Map<unknown, unknown>);
        this.within(value, () => this.mapEntries(result, value as Map<unknown, unknown>, budget, depth));
        return result;
      case 'Set':
        result.form = 'set';
        result.size = own.setSize(value as Set<unknown>);
        this.within(value, () => {
          const cursor = own.setValues(value as Set<unknown>);
          this.fill(result, result.size!, budget, depth, () => {
            const step = own.setNext(cursor);
            return step.done ? undefined : { value: this.read(step.value, budget, depth - 1) };
          });
        });
        return result;
      case 'Date': {
        const time = own.dateTime(value as Date);
        return { ...result, form: 'date', text: time === time ? own.dateISO(value as Date) : 'Invalid Date' };
      }
      case 'RegExp':
        return { ...result, form: 'regexp', text: own.regexpText(value as RegExp) };
      case 'Error': {
        const message = own.getDescriptor(value, 'message');
        result.form = 'error';
        const facts = message ? undefined : introspection.platform?.(value);
        if (facts?.error) this.platformError(result, facts.error);
        else if (message && typeof message.value === 'string')
          result.text = message.value.length > budget.text ? own.slice(message.value, 0, budget.text) : message.value;
        else if (message?.get) result.text = 'message is a getter';
        else result.text = '';
        const cause = own.getDescriptor(value, 'cause');
        if (cause && 'value' in cause && depth > 0)
          this.within(
            value,
            () => (result.entries = [{ key: 'cause', value: this.read(cause.value, budget, depth - 1) }]),
          );
        return result;
      }
      case 'Promise': {
        result.form = 'promise';
        const details = introspection.promise?.(value);
        if (details) {
          result.state = details.state;
          if (details.state !== 'pending' && 'result' in details && depth > 0)
            this.within(value, () => (result.entries = [{ value: this.read(details.result, budget, depth - 1) }]));
        }
        return result;
      }
      case 'Typed': {
        result.form = 'typed';
        const length = own.typedLength(value);
        result.size = length;
        this.within(value, () => {
          let i = 0;
          this.fill(result, length, budget, depth, () =>
            i < length ? { value: this.read((value as Uint8Array)[i++], budget, 0) } : undefined,
          );
        });
        return result;
      }
      case 'Buffer':
        return { ...result, form: 'buffer', size: own.bufferLength(value) };
      case 'Weak':
        return { ...result, form: 'weak' };
      case 'Iterator':
        return { ...result, class: tagOf(value, introspection) ?? name, form: 'iterator' };
      case 'Boxed': {
        const inner = unbox(value);
        return { ...result, form: 'boxed', text: this.read(inner, budget, 0).text ?? '' };
      }
      case undefined: {
        const known = this.ofPlatform(result, value, budget, depth);
        if (known) return known;
        break;
      }
      case 'Module':
        result.form = 'module';
        result.class = 'Module';
        break;
    }
    this.within(value, () => this.properties(result, value, budget, depth));
    return result;
  }

  /** An object of the platform, or an iterator; undefined for all others. */
  private ofPlatform(result: Value, value: object, budget: Budget, depth: number): Value | undefined {
    const { introspection } = this;
    const markup = introspection.element?.(value);
    if (markup !== undefined) return { ...result, form: 'element', text: markup };
    const facts = introspection.platform?.(value);
    if (facts?.error) return this.platformError(result, facts.error);
    if (facts?.length !== undefined) {
      result.form = 'array';
      result.size = facts.length;
      this.within(value, () => this.elements(result, value as never, facts.length!, budget, depth));
      return result;
    }
    if (facts) {
      this.within(value, () => this.facts(result, value, facts, budget, depth));
      return result;
    }
    const isNamed = result.class !== undefined && result.class !== 'Iterator';
    const tag = isNamed ? undefined : tagOf(value, introspection);
    return tag !== undefined && own.test(/(?:Iterator|Generator|Iterator Helper)$/, tag)
      ? { ...result, class: tag, form: 'iterator' }
      : undefined;
  }

  private mapEntries(result: Value, map: Map<unknown, unknown>, budget: Budget, depth: number): void {
    const cursor = own.mapEntries(map);
    this.fill(result, result.size!, budget, depth, () => {
      const step = own.mapNext(cursor);
      if (step.done) return undefined;
      const key = this.read(step.value[0], { ...budget, text: 40 }, 0);
      return {
        key: key.type === 'string' ? `'${key.text}'` : (key.text ?? key.class ?? key.type),
        value: this.read(step.value[1], budget, depth - 1),
      };
    });
  }

  private within(value: object, read: () => void): void {
    own.append(this.seen, value);
    read();
    this.seen.length--;
  }

  private elements(result: Value, list: readonly unknown[], length: number, budget: Budget, depth: number): void {
    let i = 0;
    this.fill(result, length, budget, depth, () => {
      if (i >= length) return undefined;
      const descriptor = own.getDescriptor(list, i++);
      if (descriptor === undefined) {
        let gap = 1;
        // A sparse array may be four thousand million long: look a little ahead only.
        while (i < length && gap < 1000 && own.getDescriptor(list, i) === undefined) {
          gap++;
          i++;
        }
        return { value: { type: 'undefined', text: 'empty', size: gap } };
      }
      return { value: this.slot(descriptor, budget, depth) };
    });
  }

  private properties(result: Value, value: object, budget: Budget, depth: number): void {
    const names = own.keys(value);
    const symbols = own.symbols(value);
    let i = 0;
    let size = names.length;
    const shown: PropertyKey[] = names;
    for (let k = 0; k < symbols.length; k++) {
      if (own.getDescriptor(value, symbols[k]!)?.enumerable !== true) continue;
      own.append(shown, symbols[k]!);
      size++;
    }
    result.size = size;
    this.fill(result, size, budget, depth, () => {
      if (i >= shown.length) return undefined;
      const key = shown[i++]!;
      const descriptor = own.getDescriptor(value, key)!;
      return {
        key: typeof key === 'symbol' ? `[${own.symbolText(key)}]` : own.StringCopy(key),
        value: this.slot(descriptor, budget, depth),
      };
    });
  }

  /** What the platform tells of an object, then what the person has put on it. */
  private facts(
    result: Value,
    value: object,
    { fields, isClosed }: PlatformFacts,
    budget: Budget,
    depth: number,
  ): void {
    const names = isClosed ? [] : own.keys(value);
    const added: string[] = [];
    for (let k = 0; k < names.length && added.length < MOST_ADDED; k++)
      if ('value' in own.getDescriptor(value, names[k]!)!) own.append(added, names[k]!);
    result.size = fields.length + added.length;
    let i = 0;
    this.fill(result, result.size, budget, depth, () => {
      const field = fields[i];
      const key = field ? undefined : added[i - fields.length];
      i++;
      if (field) return { key: field.key, value: this.read(field.value, budget, depth - 1) };
      return key === undefined ? undefined : { key, value: this.slot(own.getDescriptor(value, key)!, budget, depth) };
    });
  }

  private platformError(result: Value, { name, message }: { name: string; message: string }): Value {
    result.form = 'error';
    result.text = message;
    if (name !== result.class) result.entries = [{ key: 'name', value: { type: 'string', text: name } }];
    return result;
  }

  private slot(descriptor: PropertyDescriptor, budget: Budget, depth: number): Value {
    if (descriptor.get || descriptor.set)
      return { type: 'undefined', form: 'getter', text: descriptor.get ? 'getter' : 'setter' };
    return this.read(descriptor.value, budget, depth - 1);
  }

  private fill(result: Value, size: number, budget: Budget, depth: number, next: () => Entry | undefined): void {
    const entries: Entry[] = [];
    if (depth <= 0) {
      if (size > 0) result.more = size;
      return;
    }
    let covered = 0;
    while (entries.length < budget.entries && this.left > 0) {
      const entry = next();
      if (entry === undefined) break;
      covered += entry.value.type === 'undefined' && entry.value.text === 'empty' ? entry.value.size! : 1;
      own.append(entries, entry);
    }
    result.entries = entries;
    if (size > covered) result.more = size - covered;
  }

  /** Name of the constructor, read from data properties of the prototypes only. */
  private className(value: object): string {
    let at = own.getPrototype(value) as object | null;
    if (at === null) return 'null prototype';
    for (let i = 0; at !== null && i < 20; i++) {
      if (this.introspection.isProxy(at)) return 'Object';
      const descriptor = own.getDescriptor(at, 'constructor');
      if (descriptor && typeof descriptor.value === 'function') {
        if (this.introspection.isProxy(descriptor.value as object)) return 'Object';
        const name = own.getDescriptor(descriptor.value as object, 'name');
        // A class without a name goes by that of its parent.
        if (name && typeof name.value === 'string' && name.value !== '') return name.value;
      }
      at = own.getPrototype(at) as object | null;
    }
    return 'Object';
  }
}

/** A number as it is written in code; `-0` keeps its sign. */
export function numberText(value: number): string {
  return value === 0 && 1 / value < 0 ? '-0' : own.numberText(value);
}

/** What the prototypes of an object say that it is, where that is plain data. */
function tagOf(value: object, { isProxy }: Introspection): string | undefined {
  let at = own.getPrototype(value) as object | null;
  for (let i = 0; at !== null && i < 10 && !isProxy(at); i++) {
    const tag: unknown = own.getDescriptor(at, Symbol.toStringTag)?.value;
    if (typeof tag === 'string') return tag;
    at = own.getPrototype(at) as object | null;
  }
  return undefined;
}

function unbox(value: object): unknown {
  for (const read of [own.stringValue, own.numberValue, own.booleanValue, own.bigintValue, own.symbolValue] as ((
    value: never,
  ) => unknown)[]) {
    try {
      return read(value as never);
    } catch {
      // Not of this type: the next one.
    }
  }
  return undefined;
}
