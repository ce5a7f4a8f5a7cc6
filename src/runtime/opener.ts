/**
 * Opens values that a target holds: what they are, and what is in them, page
 * by page. Reads own data only; a getter is run when a person asks for it.
 */
import { PAGE } from '../wire/constants.js';
import type { LookAnswer, LookRequest, Member, Opened } from '../wire/looking.js';
import type { Value } from '../wire/value.js';
import type { RetainedValues } from './retained-values.js';
import { bytesOf, jsonOf } from './opener-copies.js';
import { namesReached, type OpenerEngine } from './opener-names.js';
import {
  count,
  fact,
  isIndex,
  isNative,
  itemCount,
  keyText,
  lower,
  signatureOf,
  stepOf,
  stepPart,
} from './opener-text.js';
import * as own from './originals.js';
import type { Budget, Previewer } from './preview.js';
import { valueText } from './text.js';

const CHILD: Budget = { depth: 1, entries: 6, text: 400, values: 14 };

const ROOT: Budget = { depth: 2, entries: 8, text: 400, values: 40 };

/** Milliseconds that a filter may take. */
const FILTER_MS = 150;

/** Own names of longer lists are not looked for besides their items. */
const LONG = 20_000;

const TEXT_LIMIT = 2_000_000;

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

  /** See {@link namesReached}. */
  reached(root: unknown, path: readonly string[], prefix: string): LookAnswer {
    return namesReached(root, path, prefix, this.engine, this.previewer);
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
        return jsonOf(this.target(request.node), this.engine.introspection);
      case 'wide':
        return { is: 'wide', value: this.previewer.take(this.target(request.node), request.budget) };
      case 'bytes':
        return bytesOf(this.target(request.node), request.limit, this.engine.introspection);
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
    const fields = introspection.brand(value) === undefined ? introspection.platform?.(value)?.fields : undefined;
    for (let i = 0; fields && i < fields.length; i++) {
      const { key, value: held } = fields[i]!;
      own.append(list, () => this.member('internal', key, undefined, held));
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
}
