/**
 * Whether two ways give the same: both are called with equal inputs, and what each gives, throws, and leaves of its
 * arguments is compared.
 */
import { CONSOLE, type Introspection, type Previewer } from '../runtime/preview.js';
import type { Differences } from '../wire/reports.js';
import type { Value } from '../wire/value.js';
import { smallest } from './inputs.js';
import { differencesApart } from './sameness.js';
import { randomFrom } from './statistics.js';

/** One of the ways; called with one input. */
export type Way = (input: unknown) => unknown;

/** What differs: what is given, what is thrown, or what is left of the input. */
export type DifferingPart = 'result' | 'error' | 'input';

/** An input for which two ways differ. */
export interface Differing {
  part: DifferingPart;
  /** The smallest that was found. */
  input: Value;
  /** `expected` is what the first way gives, `received` what the second does. */
  differences: Differences;
}

export interface Equality {
  /** Inputs that both were called with. */
  tried: number;
  /** Of those, how many they differ for. */
  differing: number;
  smallest?: Differing;
}

export interface Inputs {
  /** Those that are given: each makes its input afresh. */
  given: readonly (() => unknown)[];
  /** Makes one from random numbers between 0 and 1. */
  generate?: (random: () => number) => unknown;
  /** How many are generated at most. */
  most: number;
}

export interface EqualityParts {
  previewer: Previewer;
  introspection: Introspection;
  /** A deep copy of what holds no functions and no instances of classes. */
  copy(value: unknown): unknown;
  /** Milliseconds from anywhere. */
  now(): number;
  /** How long inputs are generated at most. */
  patienceMs: number;
}

interface Outcome {
  threw: boolean;
  value: unknown;
  input: unknown;
}

/** Calls both ways with each input. */
export async function equalityOf(
  baseline: Way,
  candidate: Way,
  inputs: Inputs,
  { previewer, introspection, copy, now, patienceMs }: EqualityParts,
): Promise<Equality> {
  const found: Equality = { tried: 0, differing: 0 };
  let first: (Pick<Differing, 'part' | 'differences'> & { make: () => unknown }) | undefined;
  const compare = async (
    make: () => unknown,
  ): Promise<{ part: DifferingPart; differences: Differences } | undefined> => {
    // Each has an input of its own, for either may change it. What is made anew may be another one: a copy is not.
    const input = make();
    const isPlain = canCopy(input);
    const again = (): unknown => (isPlain ? copy(input) : make());
    const a = await outcomeOf(baseline, again());
    const b = await outcomeOf(candidate, again());
    return differing(a, b, previewer, introspection);
  };
  const tryOut = async (make: () => unknown): Promise<void> => {
    found.tried++;
    const differs = await compare(make);
    if (!differs) return;
    found.differing++;
    first ??= { ...differs, make };
  };
  for (const make of inputs.given) await tryOut(make);
  const { generate } = inputs;
  const end = now() + patienceMs;
  for (let number = 1; generate && number <= inputs.most && now() < end; number++)
    await tryOut(() => generate(randomFrom(number)));
  if (!first) return found;
  const { make, part, differences } = first;
  const shown = make();
  if (!canCopy(shown)) {
    found.smallest = { part, differences, input: previewer.take(shown, CONSOLE) };
    return found;
  }
  const isOver = (): boolean => now() > end + patienceMs;
  const input = await smallest(shown, async (smaller) => (await compare(() => smaller))?.part === part, isOver);
  const differs = await compare(() => input);
  found.smallest = { part, differences: differs?.differences ?? differences, input: previewer.take(input, CONSOLE) };
  return found;
}

async function outcomeOf(way: Way, input: unknown): Promise<Outcome> {
  try {
    return { threw: false, value: await way(input), input };
  } catch (error) {
    return { threw: true, value: error, input };
  }
}

function differing(
  a: Outcome,
  b: Outcome,
  previewer: Previewer,
  introspection: Introspection,
): { part: DifferingPart; differences: Differences } | undefined {
  if (a.threw !== b.threw) {
    const note = `${a.threw ? 'the first' : 'the second'} throws, the other does not`;
    const sides = { expected: previewer.take(a.value), received: previewer.take(b.value) };
    return { part: 'error', differences: { list: [{ path: 'it', ...sides, note }], more: 0, compared: 1 } };
  }
  const between = (one: unknown, other: unknown): Differences => differencesApart(one, other, previewer, introspection);
  const given = between(a.value, b.value);
  if (given.list.length > 0) return { part: a.threw ? 'error' : 'result', differences: given };
  const left = between(a.input, b.input);
  return left.list.length > 0 ? { part: 'input', differences: left } : undefined;
}

/** Objects that are looked at before an input is copied. */
const MOST_LOOKED = 200_000;

/** A copy of it is as good as itself: it holds no functions, and no instances of the program's own classes. */
function canCopy(input: unknown): boolean {
  const seen = new Set<unknown>();
  const queue: unknown[] = [input];
  for (const value of queue) {
    if (typeof value === 'function' || typeof value === 'symbol') return false;
    if (typeof value !== 'object' || value === null || seen.has(value)) continue;
    seen.add(value);
    if (seen.size > MOST_LOOKED) return false;
    if (value instanceof Map) queue.push(...value.keys(), ...value.values());
    else if (value instanceof Set) queue.push(...value);
    else if (!(value instanceof Date || value instanceof RegExp || value instanceof ArrayBuffer)) {
      const prototype = Object.getPrototypeOf(value) as object | null;
      if (ArrayBuffer.isView(value)) continue;
      if (prototype !== Object.prototype && prototype !== null && prototype !== Array.prototype) return false;
      for (const key of Object.keys(value)) {
        const descriptor = Object.getOwnPropertyDescriptor(value, key)!;
        if (!('value' in descriptor)) return false;
        queue.push(descriptor.value);
      }
    }
  }
  return true;
}
