/**
 * Opens values that a target holds: what they are, and what is in them, page
 * by page. Reads own data only; a getter is run when a person asks for it.
 */
import { PAGE } from '../wire/constants.js';
import type { LookAnswer, LookRequest, Member, NameFound, Opened } from '../wire/looking.js';
import type { Value } from '../wire/value.js';
import type { RetainedValues } from './retained-values.js';
import {
  count,
  describe,
  fact,
  isIndex,
  isNative,
  itemCount,
  keyText,
  lower,
  objectOf,
  signatureOf,
  stepOf,
  stepPart,
} from './opener-text.js';
import * as own from './originals.js';
import type { Budget, Introspection, Previewer } from './preview.js';
import { valueText } from './text.js';

/** What only host and registry can tell of an object. */
export interface OpenerEngine {
  introspection: Introspection;
  now(): number;
  /** Where the person wrote a function, and its own text. */
  sourceOf(value: object): { file: string; line: number; character: number; text: string } | undefined;
  /** Own text of any function. */
  textOf(value: object): string;
}

const CHILD: Budget = { depth: 1, entries: 6, text: 400, values: 14 };

const ROOT: Budget = { depth: 2, entries: 8, text: 400, values: 40 };

const BRIEF: Budget = { depth: 1, entries: 3, text: 40, values: 6 };

/** Names that are told at once. */
const MOST_NAMES = 1_000;

/** Milliseconds that a filter may take. */
const FILTER_MS = 150;

/** Own names of longer lists are not looked for besides their items. */
const LONG = 20_000;

const TEXT_LIMIT = 2_000_000;

const JSON_LIMIT = 4_000_000;

interface OpenNode {
  target: unknown;
  /** What `this` is when a getter runs: the object that inherits it. */
  receiver: unknown;
}

export class Opener {
  private readonly nodes: OpenNode[] = [];
  private readonly numbers = own.safeWeakMap<object, number>();
  /** Names of the node that was paged through last. */
  private names: { node: number; list: (string | symbol)[] } | undefined;

  constructor(
    private readonly holder: RetainedValues,
    private readonly previewer: Previewer,
    private readonly engine: OpenerEngine,
  ) {}

  /** Names of what is reached along data properties; no getter and no trap of a proxy is run. */
  reached(root: unknown, path: readonly string[], prefix: string): LookAnswer {
    const names: NameFound[] = [];
    const found = own.createObject(null) as Record<string, true>;
    const { introspection } = this.engine;
    let value = root;
    for (const key of path) {
      const descriptor = describe(value, key, introspection);
      if (!descriptor || !('value' in descriptor)) return { is: 'names', names };
      value = descriptor.value;
    }
    let depth = 0;
    for (let at = objectOf(value); at && names.length < MOST_NAMES; at = own.getPrototype(at), depth++) {
      if (introspection.isProxy(at)) break;
      const constructed = depth === 0 ? undefined : own.getDescriptor(at, 'constructor');
      const from =
        constructed && typeof constructed.value === 'function'
          ? String(own.getDescriptor(constructed.value as object, 'name')?.value ?? '')
          : '';
      const keys = own.ownKeys(at);
      for (let i = 0; i < keys.length && names.length < MOST_NAMES; i++) {
        const key = keys[i]!;
        if (
          typeof key !== 'string' ||
          own.slice(key, 0, prefix.length) !== prefix ||
          isIndex(key, 2 ** 32) ||
          found[key]
        )
          continue;
        found[key] = true;
        const descriptor = own.getDescriptor(at, key)!;
        const accessor = !('value' in descriptor);
        const given = descriptor.value as unknown;
        const isClass = typeof given === 'function' && own.slice(this.engine.textOf(given), 0, 5) === 'class';
        own.append(names, {
          name: key,
          kind: accessor ? 'accessor' : isClass ? 'class' : typeof given === 'function' ? 'function' : 'value',
          text: accessor ? '' : valueText(this.previewer.take(given, BRIEF), 60),
          ...(depth > 0 ? { from: from || 'its prototype' } : {}),
        });
      }
    }
    return { is: 'names', names };
  }

  answer(request: LookRequest): LookAnswer {
    switch (request.do) {
      case 'open': {
        const held = this.holder.at(request.moment, request.part);
        if (!held) return { is: 'gone', why: 'The program does not hold this value any more.' };
        return { is: 'opened', opened: this.open(this.node(held.value)) };
      }
      case 'members':
        return this.members(request.node, request.from, Math.min(request.count, 1_000), request.filter);
      case 'get':
        return this.run(request.node, request.getter);
      case 'json':
        return this.json(this.target(request.node));
      case 'wide':
        return { is: 'wide', value: this.previewer.take(this.target(request.node), request.budget) };
      case 'bytes':
        return this.bytes(this.target(request.node), request.limit);
    }
  }

  /** Number under which a value can be opened; 0 for one with nothing inside. */
  private node(value: unknown, receiver: unknown = value): number {
    const isObject = (typeof value === 'object' && value !== null) || typeof value === 'function';
    if (!isObject && !(typeof value === 'string' && value.length > CHILD.text)) return 0;
    if (isObject && receiver === value) {
      const known = this.numbers.get(value as object);
      if (known !== undefined) return known;
    }
    own.append(this.nodes, { target: value, receiver });
    if (isObject && receiver === value) this.numbers.set(value as object, this.nodes.length);
    return this.nodes.length;
  }

  private target(node: number): unknown {
    return this.nodes[node - 1]?.target;
  }

  private open(node: number): Opened {
    const value = this.target(node);
    const preview = this.previewer.take(value, ROOT);
    const opened: Opened = { node, value: preview, facts: [], total: 0, first: [] };
    if (typeof value === 'string') {
      opened.text = value.length > TEXT_LIMIT ? own.slice(value, 0, TEXT_LIMIT) : value;
      fact(opened, 'characters', count(value.length));
      return opened;
    }
    if (this.engine.introspection.isProxy(value as object)) {
      fact(opened, 'note', 'a proxy: reading it would run its traps, so it stays closed');
      return opened;
    }
    opened.total = this.total(node, value as object);
    opened.first = this.slice(node, value as object, 0, PAGE);
    if (preview.class) fact(opened, 'constructor', preview.class);
    else if (preview.form === 'array') fact(opened, 'constructor', 'Array');
    if (preview.size !== undefined)
      fact(
        opened,
        preview.form === 'array' || preview.form === 'typed'
          ? 'items'
          : preview.form === 'buffer'
            ? 'bytes'
            : 'entries',
        count(preview.size),
      );
    if (preview.state) fact(opened, 'state', preview.state);
    if (typeof value === 'function') {
      const source = this.engine.sourceOf(value);
      const text = source?.text ?? this.engine.textOf(value);
      opened.text = text.length > 20_000 ? `${own.slice(text, 0, 20_000)}…` : text;
      fact(opened, 'signature', signatureOf(text));
      if (source) opened.place = { file: source.file, line: source.line, character: source.character };
    }
    if (preview.form === 'error') {
      const stack = own.getDescriptor(value as object, 'stack');
      if (stack && typeof stack.value === 'string') opened.text = stack.value;
    }
    return opened;
  }

  /** Own names of an object; those of long lists without the items. */
  private namesOf(node: number, value: object): (string | symbol)[] {
    if (this.names?.node === node) return this.names.list;
    const items = itemCount(value);
    const list: (string | symbol)[] = [];
    if (items <= LONG) {
      const keys = own.ownKeys(value);
      for (let i = 0; i < keys.length; i++) {
        const key = keys[i]!;
        // The items of a list come by number; its length is told.
        if (items >= 0 && typeof key === 'string' && (key === 'length' || isIndex(key, items))) continue;
        own.append(list, key);
      }
    }
    this.names = { node, list };
    return list;
  }

  private total(node: number, value: object): number {
    return (
      Math.max(0, itemCount(value)) +
      this.entryCount(value) +
      this.namesOf(node, value).length +
      this.tail(value).length
    );
  }

  private entryCount(value: object): number {
    const brand = this.engine.introspection.brand(value);
    if (brand === 'Map') return own.mapSize(value as Map<unknown, unknown>);
    if (brand === 'Set') return own.setSize(value as Set<unknown>);
    return 0;
  }

  /** What stands behind all names: inherited accessors, private fields, results, the prototype. */
  private tail(value: object): (() => Member)[] {
    const list: (() => Member)[] = [];
    const { introspection } = this.engine;
    const privates = introspection.privates?.(value) ?? [];
    for (let i = 0; i < privates.length; i++) {
      const { key, value: inner } = privates[i]!;
      own.append(list, () => this.member('private', key, undefined, inner));
    }
    if (introspection.brand(value) === 'Promise') {
      const details = introspection.promise?.(value);
      const settled = details && details.state !== 'pending' ? introspection.settled?.(value) : undefined;
      if (settled)
        own.append(list, () =>
          this.member('internal', details!.state === 'rejected' ? 'reason' : 'result', undefined, settled.result),
        );
    }
    let at = own.getPrototype(value) as object | null;
    for (
      let level = 1;
      at !== null &&
      at !== own.ObjectPrototype &&
      at !== own.FunctionPrototype &&
      level < 20 &&
      !introspection.isProxy(at);
      level++
    ) {
      if (isNative(at)) break;
      const keys = own.ownKeys(at);
      for (let i = 0; i < keys.length; i++) {
        const key = keys[i]!;
        const descriptor = own.getDescriptor(at, key)!;
        if (!descriptor.get) continue;
        const getter = `${level}:${i}`;
        own.append(list, () => ({ ...this.accessor(key, descriptor), getter }));
      }
      at = own.getPrototype(at) as object | null;
    }
    const prototype = own.getPrototype(value) as object | null;
    if (prototype !== null)
      own.append(list, () => {
        const constructed = own.getDescriptor(prototype, 'constructor')?.value as unknown;
        const made =
          typeof constructed === 'function' && !introspection.isProxy(constructed)
            ? (own.getDescriptor(constructed, 'name')?.value as unknown)
            : undefined;
        const value: Value = { type: 'object', class: typeof made === 'string' && made !== '' ? made : 'Object' };
        const member: Member = { kind: 'prototype', key: 'prototype', value, node: this.node(prototype) };
        if (!introspection.isProxy(prototype)) member.node = this.node(prototype, value);
        return member;
      });
    return list;
  }

  private members(node: number, from: number, wanted: number, filter: string): LookAnswer {
    const value = this.target(node);
    if (typeof value === 'string' || value === undefined) return { is: 'members', members: [], total: 0, from };
    const object = value as object;
    const total = this.total(node, object);
    if (filter === '') return { is: 'members', members: this.slice(node, object, from, wanted), total, from };
    const needle = lower(filter);
    const members: Member[] = [];
    const until = this.engine.now() + FILTER_MS;
    let matched = 0;
    let seen = 0;
    while (seen < total) {
      const page = this.slice(node, object, seen, PAGE);
      if (page.length === 0) break;
      for (let i = 0; i < page.length; i++) {
        const member = page[i]!;
        if (own.indexOf(lower(member.key), needle) < 0 && own.indexOf(lower(valueText(member.value, 400)), needle) < 0)
          continue;
        if (matched >= from && members.length < wanted) own.append(members, member);
        matched++;
      }
      seen += page.length;
      if (this.engine.now() > until) break;
    }
    return { is: 'members', members, total: matched, from, ...(seen < total ? { seen } : {}) };
  }

  /** Members `from` to `from + wanted`: items, entries, names, and what stands behind them. */
  private slice(node: number, object: object, from: number, wanted: number): Member[] {
    const result: Member[] = [];
    const items = Math.max(0, itemCount(object));
    let at = from;
    const end = from + wanted;
    for (; at < Math.min(items, end); at++) {
      const descriptor = own.getDescriptor(object, at);
      const key = `${at}`;
      if (!descriptor)
        own.append(result, {
          kind: 'item',
          key,
          step: `[${key}]`,
          value: { type: 'undefined', text: 'empty', size: 1 },
          node: 0,
        });
      else if (descriptor.get || descriptor.set)
        own.append(result, { ...this.accessor(key, descriptor), step: `[${key}]`, getter: `-1:${key}` });
      else own.append(result, this.member('item', key, `[${key}]`, descriptor.value));
    }
    const entries = this.entryCount(object);
    if (at < end && at < items + entries) {
      this.entries(result, object, at - items, Math.min(entries, end - items));
      at = Math.min(end, items + entries);
    }
    const names = this.namesOf(node, object);
    for (let i = at - items - entries; i < names.length && at < end; i++, at++)
      own.append(result, this.named(object, names[i]!));
    if (at < end) {
      const tail = this.tail(object);
      for (let i = at - items - entries - names.length; i < tail.length && at < end; i++, at++)
        own.append(result, tail[i]!());
    }
    return result;
  }

  private entries(result: Member[], object: object, from: number, to: number): void {
    if (this.engine.introspection.brand(object) === 'Map') {
      const cursor = own.mapEntries(object as Map<unknown, unknown>);
      for (let i = 0; i < to; i++) {
        const step = own.mapNext(cursor);
        if (step.done) return;
        if (i < from) continue;
        const [key, value] = step.value;
        const text = valueText(this.previewer.take(key, CHILD), 60);
        const simple = typeof key === 'string' || typeof key === 'number' || typeof key === 'boolean';
        const member = this.member('entry', text, simple ? `.get(${text})` : undefined, value);
        const keyNode = this.node(key);
        if (keyNode > 0) member.keyNode = keyNode;
        own.append(result, member);
      }
      return;
    }
    const cursor = own.setValues(object as Set<unknown>);
    for (let i = 0; i < to; i++) {
      const step = own.setNext(cursor);
      if (step.done) return;
      if (i >= from) own.append(result, this.member('entry', `${i}`, undefined, step.value));
    }
  }

  private named(object: object, name: string | symbol): Member {
    const descriptor = own.getDescriptor(object, name);
    if (!descriptor) return this.member('property', keyText(name), stepOf(name), undefined);
    if (descriptor.get || descriptor.set) {
      const member = this.accessor(name, descriptor);
      const keys = own.ownKeys(object);
      if (descriptor.get) for (let i = 0; i < keys.length; i++) if (keys[i] === name) member.getter = `0:${i}`;
      return member;
    }
    const member = this.member('property', keyText(name), stepOf(name), descriptor.value);
    if (!descriptor.enumerable) member.hidden = true;
    return member;
  }

  private accessor(name: string | symbol, descriptor: PropertyDescriptor): Member {
    const value: Value = { type: 'undefined', form: 'getter', text: descriptor.get ? 'getter' : 'setter' };
    return { kind: 'accessor', key: keyText(name), ...stepPart(name), value, node: 0 };
  }

  private member(kind: Member['kind'], key: string, step: string | undefined, value: unknown): Member {
    return {
      kind,
      key,
      ...(step === undefined ? {} : { step }),
      value: this.previewer.take(value, CHILD),
      node: this.node(value),
    };
  }

  private run(node: number, getter: string): LookAnswer {
    const open = this.nodes[node - 1];
    const split = own.indexOf(getter, ':');
    const level = Number(own.slice(getter, 0, split));
    const index = Number(own.slice(getter, split + 1));
    let at = open?.target as object | null;
    for (let i = 0; i < level && at; i++) at = own.getPrototype(at) as object | null;
    // -1 stands for an item by its number, 0 and more for a name of the object or of a prototype above it.
    const key = at ? (level < 0 ? `${index}` : own.ownKeys(at)[index]) : undefined;
    const get = at && key !== undefined ? own.getDescriptor(at, key)?.get : undefined;
    if (!open || !get) return { is: 'gone', why: 'This getter is not there any more.' };
    try {
      const value: unknown = own.apply(get, open.receiver, []);
      return { is: 'got', value: this.previewer.take(value, CHILD), node: this.node(value) };
    } catch (error) {
      return { is: 'got', value: this.previewer.take(error, CHILD), node: this.node(error), failed: true };
    }
  }

  /** Own data as JSON; what JSON has no word for is left out or written as text. */
  private json(value: unknown): LookAnswer {
    let room = JSON_LIMIT;
    let cut = false;
    const path: unknown[] = [];
    const { introspection } = this.engine;
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
          own.append(
            parts,
            (descriptor && 'value' in descriptor ? write(descriptor.value, inner) : undefined) ?? 'null',
          );
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
      return parts.length === 0
        ? open + close
        : `${open}\n${inner}${own.join(parts, `,\n${inner}`)}\n${indent}${close}`;
    };
    return { is: 'json', text: write(value, '') ?? 'null', cut };
  }

  private bytes(value: unknown, limit: number): LookAnswer {
    const { introspection } = this.engine;
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
}
