/**
 * Where two values differ: a list of places with what stands there in each,
 * found on the values themselves, so that it is right however large they are.
 * Reads own data only; neither getters nor proxies run.
 */
import type { Difference, Differences } from '../wire/reports.js';
import * as own from './originals.js';
import type { Introspection, Previewer } from './preview.js';
import { keyText, quote } from './text.js';
import type { Value } from '../wire/value.js';

const { isView } = ArrayBuffer;

/** One place where two values differ. */
const LISTED = 40;
const STEPS = 300_000;
/** Longest middle part of two lists that is aligned by what is equal, and not by position. */
const ALIGNED = 60;

interface Pass {
  list: Difference[] | undefined;
  found: number;
  compared: number;
  steps: number;
  pairs: { a: object; b: object }[];
}

/** How two values are compared. */
export interface ComparedAs {
  /** Leaves are compared as `==` does. */
  loose?: boolean;
  /** They come from two loads of one program: classes are the same by their names, and functions are not told apart. */
  apart?: boolean;
}

export function differencesOf(
  received: unknown,
  expected: unknown,
  how: ComparedAs,
  previewer: Previewer,
  introspection: Introspection,
): Differences {
  const pass: Pass = { list: [], found: 0, compared: 0, steps: 0, pairs: [] };
  new Comparison(how, previewer, introspection).compare(received, expected, 'it', pass);
  return {
    list: pass.list!,
    more: pass.found - pass.list!.length,
    compared: pass.compared,
    ...(pass.steps > STEPS ? { partial: true as const } : {}),
  };
}

class Comparison {
  constructor(
    private readonly how: ComparedAs,
    private readonly previewer: Previewer,
    private readonly introspection: Introspection,
  ) {}

  /** True when nothing differs; stops early where no list is wanted. */
  compare(a: unknown, b: unknown, path: string, pass: Pass): boolean {
    if (++pass.steps > STEPS) return true;
    if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) {
      pass.compared++;
      if (own.is(a, b) || (this.how.loose && alike(a, b))) return true;
      if (this.how.apart && typeof a === 'function' && typeof b === 'function') return true;
      return this.differ(pass, () => ({
        path,
        ...this.sides(a, b),
        ...(typeof a === 'string' && typeof b === 'string' ? textPart(a, b) : {}),
      }));
    }
    if (a === b) {
      pass.compared++;
      return true;
    }
    for (let i = 0; i < pass.pairs.length; i++) if (pass.pairs[i]!.a === a && pass.pairs[i]!.b === b) return true;
    if (this.introspection.isProxy(a) || this.introspection.isProxy(b))
      return this.differ(pass, () => ({ path, ...this.sides(a, b), note: 'a proxy is not looked into' }));
    const brand = this.introspection.brand(a);
    const isList = own.isArray(a);
    if (brand !== this.introspection.brand(b) || isList !== own.isArray(b))
      return this.differ(pass, () => ({ path, ...this.sides(a, b), note: 'of another kind' }));
    const [one, other] = this.classesOf(a, b);
    if (one !== undefined && other !== undefined) {
      this.differ(pass, () => ({
        path,
        ...this.sides(a, b),
        note: one === other ? `two classes named ${one}` : `received ${article(one)}, expected ${article(other)}`,
      }));
      if (!pass.list) return false;
    }
    own.append(pass.pairs, { a, b });
    const before = pass.found;
    this.inside(a, b, brand, isList, path, pass);
    pass.pairs.length--;
    return pass.found === before;
  }

  /** Their classes, where those differ. */
  private classesOf(a: object, b: object): [string, string] | [] {
    if (this.how.loose || own.getPrototype(a) === own.getPrototype(b)) return [];
    const [one, other] = [this.previewer.take(a).class ?? 'Object', this.previewer.take(b).class ?? 'Object'];
    return this.how.apart && one === other ? [] : [one, other];
  }

  private inside(a: object, b: object, brand: string | undefined, isList: boolean, path: string, pass: Pass): void {
    switch (brand) {
      case 'Date': {
        const [one, other] = [own.dateTime(a as Date), own.dateTime(b as Date)];
        pass.compared++;
        if (!own.is(one, other)) this.differ(pass, () => ({ path, ...this.sides(a, b) }));
        return;
      }
      case 'RegExp':
        pass.compared++;
        if (own.regexpText(a as RegExp) !== own.regexpText(b as RegExp))
          this.differ(pass, () => ({ path, ...this.sides(a, b) }));
        return;
      case 'Boxed':
        pass.compared++;
        if (this.previewer.take(a).text !== this.previewer.take(b).text)
          this.differ(pass, () => ({ path, ...this.sides(a, b) }));
        return;
      case 'Map':
        this.maps(a as Map<unknown, unknown>, b as Map<unknown, unknown>, path, pass);
        return;
      case 'Set':
        this.sets(a as Set<unknown>, b as Set<unknown>, path, pass);
        return;
      case 'Typed':
        this.typed(a, b, path, pass);
        return;
      case 'Buffer':
        this.typed(new own.Uint8ArrayOwn(a as ArrayBuffer), new own.Uint8ArrayOwn(b as ArrayBuffer), path, pass);
        return;
      case undefined:
        // Of views only those of bytes alone have no kind of their own.
        if (isView(a) && isView(b))
          this.typed(own.bytesOfView(a as DataView), own.bytesOfView(b as DataView), path, pass);
        break;
      case 'Error':
        for (const key of ['name', 'message', 'cause']) this.property(a, b, key, path, pass);
        break;
    }
    if (isList)
      this.lists(a as unknown[], b as unknown[], (a as unknown[]).length, (b as unknown[]).length, path, pass);
    const names = namesOf(a, isList);
    const others = namesOf(b, isList);
    for (let i = 0; i < names.length; i++) {
      if (done(pass)) return;
      this.property(a, b, names[i]!, path, pass);
    }
    for (let i = 0; i < others.length; i++) {
      if (done(pass)) return;
      if (!own.getDescriptor(a, others[i]!)) this.property(a, b, others[i]!, path, pass);
    }
  }

  private typed(a: object, b: object, path: string, pass: Pass): void {
    this.lists(
      a as unknown as unknown[],
      b as unknown as unknown[],
      own.typedLength(a),
      own.typedLength(b),
      path,
      pass,
    );
  }

  private property(a: object, b: object, key: string | symbol, path: string, pass: Pass): void {
    const [one, other] = [own.getDescriptor(a, key), own.getDescriptor(b, key)];
    if (!one && !other) return;
    const place = `${path}${typeof key === 'symbol' ? `[${own.symbolText(key)}]` : memberText(key)}`;
    if (!one || !other) {
      pass.compared++;
      this.differ(pass, () => ({
        path: place,
        ...(one ? { received: this.previewer.take(one.value) } : {}),
        ...(other ? { expected: this.previewer.take(other.value) } : {}),
      }));
    } else if ('value' in one && 'value' in other) this.compare(one.value, other.value, place, pass);
    else if (one.get !== other.get) this.differ(pass, () => ({ path: place, note: 'a getter, which is not run' }));
  }

  private lists(
    a: readonly unknown[],
    b: readonly unknown[],
    lengthA: number,
    lengthB: number,
    path: string,
    pass: Pass,
  ): void {
    const same = (i: number, k: number): boolean => {
      const quick: Pass = { list: undefined, found: 0, compared: 0, steps: pass.steps, pairs: pass.pairs };
      const equal = this.compare(item(a, i), item(b, k), '', quick);
      pass.steps = quick.steps;
      return equal;
    };
    let start = 0;
    while (start < lengthA && start < lengthB && !over(pass) && same(start, start)) start++;
    let endA = lengthA;
    let endB = lengthB;
    while (endA > start && endB > start && !over(pass) && same(endA - 1, endB - 1)) {
      endA--;
      endB--;
    }
    pass.compared += start + lengthA - endA;
    if (endA === start && endB === start) return;
    if (!pass.list) {
      pass.found++;
      return;
    }
    const rows = endA - start;
    const columns = endB - start;
    if (rows > ALIGNED || columns > ALIGNED) {
      for (let i = 0; i < rows || i < columns; i++) {
        if (done(pass)) return;
        const place = `${path}[${start + i}]`;
        if (i >= columns) this.only(pass, place, item(a, start + i), true);
        else if (i >= rows) this.only(pass, place, item(b, start + i), false);
        else this.compare(item(a, start + i), item(b, start + i), place, pass);
      }
      return;
    }
    // Longest common subsequence of the middle parts (dynamic programming): what is left over was put in, left out or
    // changed.
    const best: number[][] = [];
    for (let i = rows; i >= 0; i--) {
      best[i] = [];
      for (let k = columns; k >= 0; k--)
        best[i]![k] =
          i === rows || k === columns
            ? 0
            : same(start + i, start + k)
              ? best[i + 1]![k + 1]! + 1
              : Math.max(best[i + 1]![k]!, best[i]![k + 1]!);
    }
    for (let i = 0, k = 0; (i < rows || k < columns) && !done(pass);) {
      if (i < rows && k < columns && best[i]![k] === best[i + 1]![k + 1]! + 1 && same(start + i, start + k)) {
        i++;
        k++;
        pass.compared++;
      } else if (i < rows && k < columns && best[i]![k] === best[i + 1]![k + 1]) {
        this.compare(item(a, start + i), item(b, start + k), `${path}[${start + i}]`, pass);
        i++;
        k++;
      } else if (k >= columns || (i < rows && best[i + 1]![k]! >= best[i]![k + 1]!))
        this.only(pass, `${path}[${start + i}]`, item(a, start + i++), true);
      else this.only(pass, `${path}[${start + k}]`, item(b, start + k++), false);
    }
  }

  private maps(a: Map<unknown, unknown>, b: Map<unknown, unknown>, path: string, pass: Pass): void {
    const cursor = own.mapEntries(a);
    for (let step = own.mapNext(cursor); !step.done && !done(pass); step = own.mapNext(cursor)) {
      const [key, value] = step.value;
      const place = `${path}.get(${this.short(key)})`;
      if (own.mapHas(b, key)) this.compare(value, own.mapGet(b, key), place, pass);
      else this.only(pass, place, value, true);
    }
    const others = own.mapEntries(b);
    for (let step = own.mapNext(others); !step.done && !done(pass); step = own.mapNext(others))
      if (!own.mapHas(a, step.value[0]))
        this.only(pass, `${path}.get(${this.short(step.value[0])})`, step.value[1], false);
  }

  private sets(a: Set<unknown>, b: Set<unknown>, path: string, pass: Pass): void {
    const left = this.rest(a, b);
    const right = this.rest(b, a);
    pass.compared += own.setSize(a) - left.length;
    for (let i = 0; i < left.length && !done(pass); i++) {
      let twin = -1;
      for (let k = 0; k < right.length && k < ALIGNED * 4 && twin < 0; k++) {
        const quick: Pass = { list: undefined, found: 0, compared: 0, steps: pass.steps, pairs: pass.pairs };
        if (this.compare(left[i], right[k], '', quick)) twin = k;
        pass.steps = quick.steps;
      }
      if (twin >= 0) {
        right.splice(twin, 1);
        pass.compared++;
      } else this.only(pass, `a member of ${path}`, left[i], true);
    }
    for (let i = 0; i < right.length && !done(pass); i++) this.only(pass, `a member of ${path}`, right[i], false);
  }

  /** Members of a set that another has not. */
  private rest(set: Set<unknown>, other: Set<unknown>): unknown[] {
    const found: unknown[] = [];
    const cursor = own.setValues(set);
    for (let step = own.setNext(cursor); !step.done; step = own.setNext(cursor))
      if (!own.setHas(other, step.value)) own.append(found, step.value);
    return found;
  }

  private only(pass: Pass, path: string, value: unknown, received: boolean): void {
    pass.compared++;
    this.differ(pass, () => ({
      path,
      ...(received ? { received: this.previewer.take(value) } : { expected: this.previewer.take(value) }),
    }));
  }

  private differ(pass: Pass, make: () => Difference): false {
    pass.found++;
    if (pass.list && pass.list.length < LISTED) own.append(pass.list, make());
    return false;
  }

  private sides(a: unknown, b: unknown): { received: Value; expected: Value } {
    return { received: this.previewer.take(a), expected: this.previewer.take(b) };
  }

  private short(key: unknown): string {
    return typeof key === 'string'
      ? quote(key.length > 40 ? `${own.slice(key, 0, 39)}…` : key)
      : (this.previewer.take(key).text ?? 'an object');
  }
}

/** Equal as `==` tells it, for values that it does not have to convert by running code. */
function alike(a: unknown, b: unknown): boolean {
  if (typeof a === 'object' || typeof b === 'object' || typeof a === 'symbol' || typeof b === 'symbol') return false;
  // eslint-disable-next-line eqeqeq
  return a == b || (a !== a && b !== b);
}

function over(pass: Pass): boolean {
  return pass.steps > STEPS;
}

/** Enough is known: without a list one difference, with one the work that may be done. */
function done(pass: Pass): boolean {
  return pass.steps > STEPS || (pass.list === undefined && pass.found > 0);
}

function item(list: readonly unknown[], index: number): unknown {
  const descriptor = own.getDescriptor(list, index);
  return descriptor && 'value' in descriptor ? descriptor.value : undefined;
}

function namesOf(value: object, isList: boolean): (string | symbol)[] {
  const names: (string | symbol)[] = [];
  if (!isList) {
    const keys = own.keys(value);
    for (let i = 0; i < keys.length; i++) own.append(names, keys[i]!);
  }
  const symbols = own.symbols(value);
  for (let i = 0; i < symbols.length; i++)
    if (own.getDescriptor(value, symbols[i]!)?.enumerable) own.append(names, symbols[i]!);
  return names;
}

function memberText(key: string): string {
  const text = keyText(key);
  return text === key && !/^[[\d]/.test(key) ? `.${key}` : /^\d+$/.test(key) ? `[${key}]` : `[${quote(key)}]`;
}

function article(name: string): string {
  return `${/^[aeiou]/i.test(name) ? 'an' : 'a'} ${name}`;
}

const AROUND = 24;

/** The first place at which two texts differ, with what is around it. */
function textPart(a: string, b: string): Pick<Difference, 'text'> {
  if (a.length < 40 && b.length < 40) return {};
  let at = 0;
  while (at < a.length && at < b.length && a.charCodeAt(at) === b.charCodeAt(at)) at++;
  let line = 1;
  for (let i = own.indexOf(a, '\n'); i >= 0 && i < at; i = own.indexOf(a, '\n', i + 1)) line++;
  const around = (text: string): string => {
    const from = Math.max(0, at - AROUND);
    const to = Math.min(text.length, at + AROUND);
    return `${from > 0 ? '…' : ''}${own.slice(text, from, to)}${to < text.length ? '…' : ''}`;
  };
  return {
    text: {
      at,
      received: around(a),
      expected: around(b),
      ...(own.indexOf(a, '\n') >= 0 || own.indexOf(b, '\n') >= 0 ? { line } : {}),
    },
  };
}
