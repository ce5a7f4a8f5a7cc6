/**
 * What objects held, moment by moment: each preview of one, wherever it was reported, and each write to it since. So a
 * variable that holds an object shows what is in it at a step, and it can be asked who set a property.
 */
import type { Entry, Value } from '../../wire/value.js';
import { type PadRecord, valueAt } from '../record.js';
import type { Steps } from '../step-rows.js';
import { after } from './step-index.js';

interface State {
  moment: number;
  value: Value;
}

interface Write {
  moment: number;
  /** Empty where more than one property may have changed. */
  key: string;
  /** The new value, where one property was written. */
  value?: Value;
}

/** Values in values that are put together. */
const DEEPEST = 4;

export class Objects {
  /** By identity, in the order of moments. */
  private readonly states = new Map<number, State[]>();
  private readonly writes = new Map<number, Write[]>();
  /** By identity: when it was told in full last, as a sample and not in one. */
  private readonly alone = new Map<number, State>();

  constructor(
    private readonly record: Pick<PadRecord, 'samples'>,
    steps: Steps,
  ) {
    const { samples } = record;
    const { writes = [], until = 0 } = steps.folded ?? {};
    for (const { value, moment } of writes) this.note(value, Math.max(moment, until - 1));
    for (let row = 0; row < samples.length; row++) {
      const value = samples.tag[row] === 1 ? samples.rest[samples.number[row]!] : undefined;
      if (typeof value !== 'object') continue;
      const moment = samples.moment[row]!;
      // Told by its number: it holds what it held, and what was written since.
      if (value.identity !== undefined && this.alone.get(value.identity)?.value === value) continue;
      this.note(value, moment);
      if (value.identity !== undefined) this.alone.set(value.identity, { value, moment });
    }
    for (const states of this.states.values()) states.sort((a, b) => a.moment - b.moment);
    const { wrote, keys } = steps;
    for (let i = 0; i < wrote.length; i++) {
      const moment = wrote.moment[i]!;
      const key = keys[wrote.key[i]!] ?? '';
      const value = key === '' ? undefined : this.valueBehind(moment);
      push(this.writes, wrote.object[i]!, { moment, key, ...(value ? { value } : {}) });
    }
  }

  /**
   * A value with what its objects held just before a moment.
   *
   * @param made of the same moment, by identity: each object is put together once
   */
  asOf(value: Value, moment: number, depth = 0, made?: Map<number, Value>): Value {
    if (value.identity === undefined || depth > DEEPEST || value.failed) return value;
    const known = made?.get(value.identity);
    if (known) return known;
    const state = lastBefore(this.states.get(value.identity) ?? [], moment);
    const from = state?.value ?? value;
    // What holds itself is met again inside of itself.
    made?.set(value.identity, from);
    const entries = from.entries && [...from.entries];
    let { size, more } = from;
    if (entries)
      for (const { key, value: set } of this.writesBetween(value.identity, (state?.moment ?? 0) - 1, moment)) {
        if (set === undefined) continue;
        const added = put(from, entries, key, set, size ?? 0);
        if (added) size = (size ?? 0) + added;
      }
    if (entries && size !== undefined && more !== undefined) more = Math.max(more, size - entries.length);
    const result = {
      ...from,
      ...(size === undefined ? {} : { size }),
      ...(more === undefined ? {} : { more }),
      ...(entries
        ? { entries: entries.map((entry) => ({ ...entry, value: this.asOf(entry.value, moment, depth + 1, made) })) }
        : {}),
    };
    made?.set(value.identity, result);
    return result;
  }

  /** A value as it is told, where nothing was written to its objects before a moment; else as {@link asOf}. */
  written(value: Value, moment: number, made: Map<number, Value>): Value {
    if (this.writes.size === 0) return value;
    for (const identity of identitiesIn(value)) {
      const first = this.writes.get(identity)?.[0];
      if (first && first.moment < moment) return this.asOf(value, moment, 0, made);
    }
    return value;
  }

  /**
   * When a property of an object got the value that it has just before a moment.
   *
   * @returns undefined where no write was told: it has it from when the object was made, or from code that is not ours
   */
  setAt(identity: number, key: string, moment: number): number | undefined {
    const writes = this.writes.get(identity) ?? [];
    for (let i = firstAfter(writes, moment - 1) - 1; i >= 0; i--)
      if (writes[i]!.key === key || writes[i]!.key === '') return writes[i]!.moment;
    return undefined;
  }

  /** When a property of an object was written, or may have been. */
  writesOf(identity: number, key: string): number[] {
    const writes = this.writes.get(identity) ?? [];
    return writes.filter((write) => write.key === key || write.key === '').map(({ moment }) => moment);
  }

  /** A moment at which an object was reported by itself. */
  reported(identity: number): number | undefined {
    return this.alone.get(identity)?.moment;
  }

  /** Whether an object, or one that is shown in it, was written between two moments. */
  changedSince(value: Value, since: number, moment: number): boolean {
    const { identity, entries } = value;
    const writes = identity === undefined ? undefined : this.writes.get(identity);
    if (writes && firstAfter(writes, since) < firstAfter(writes, moment - 1)) return true;
    return entries?.some((entry) => this.changedSince(entry.value, since, moment)) ?? false;
  }

  /** When an object was seen first. */
  seenFirst(identity: number): number | undefined {
    return this.states.get(identity)?.[0]?.moment;
  }

  /** Writes to an object after a moment and before another. */
  private writesBetween(identity: number, since: number, moment: number): readonly Write[] {
    const writes = this.writes.get(identity);
    return writes ? writes.slice(firstAfter(writes, since), firstAfter(writes, moment - 1)) : [];
  }

  /** The value of the sample right behind a write. */
  private valueBehind(moment: number): Value | undefined {
    const { samples } = this.record;
    const row = after(samples.moment, samples.length, moment);
    return row < samples.length && samples.moment[row] === moment + 1 ? valueAt(samples, row) : undefined;
  }

  private note(value: Value, moment: number): void {
    if (value.identity !== undefined && value.entries) push(this.states, value.identity, { moment, value });
    for (const entry of value.entries ?? []) this.note(entry.value, moment);
  }
}

const identities = new WeakMap<Value, readonly number[]>();

/** Numbers of an object and of those that are shown in it. */
function identitiesIn(value: Value): readonly number[] {
  let found = identities.get(value);
  if (found) return found;
  const all: number[] = [];
  const visit = (one: Value): void => {
    if (one.identity !== undefined) all.push(one.identity);
    for (const entry of one.entries ?? []) visit(entry.value);
  };
  visit(value);
  found = all;
  identities.set(value, found);
  return found;
}

function push<T>(lists: Map<number, T[]>, key: number, one: T): void {
  const list = lists.get(key);
  if (list) list.push(one);
  else lists.set(key, [one]);
}

/** The first of a list in the order of moments that is after one. */
function firstAfter(list: readonly { moment: number }[], moment: number): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle]!.moment <= moment) low = middle + 1;
    else high = middle;
  }
  return low;
}

function lastBefore(states: readonly State[], moment: number): State | undefined {
  return states[firstAfter(states, moment - 1) - 1];
}

/** Puts a property in its place. @returns how many entries the object has more */
function put({ form, more }: Value, entries: Entry[], key: string, value: Value, size: number): number {
  if (form === 'array' || form === 'typed') {
    const index = Number(key);
    if (!Number.isInteger(index) || index < 0) return 0;
    if (entries.some((entry) => entry.value.text === 'empty')) return 0;
    if (index < entries.length) entries[index] = { ...entries[index], value };
    else if (index === entries.length && more === undefined) entries.push({ value });
    return index >= size ? index + 1 - size : 0;
  }
  const at = entries.findIndex((entry) => entry.key === key);
  // An accessor is called by a write, and stays.
  if (at >= 0 && entries[at]!.value.form === 'getter') return 0;
  if (at >= 0) entries[at] = { key, value };
  else if (more === undefined) {
    entries.push({ key, value });
    return 1;
  }
  return 0;
}
