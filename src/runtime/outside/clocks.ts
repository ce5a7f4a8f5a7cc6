/** The clocks and the random numbers of a program come out of its journal, or go into it. */
import { Taken } from '../../wire/taken.js';
import * as own from '../originals.js';
import type { Journal } from './journal.js';

export type Disguise = (made: object, original: object) => void;

/** @param target the global object of the program */
export function installClocks(target: Record<string, unknown>, journal: Journal, disguise: Disguise): void {
  installDate(target, journal, disguise);
  replace(
    target.Math as object,
    'random',
    disguise,
    (original) => () => journal.take(Taken.Random, original as () => number),
  );
  const performance = target.performance as object | undefined;
  const holder = performance && holderOf(performance, 'now');
  if (holder)
    replace(
      holder,
      'now',
      disguise,
      (original) =>
        function now(this: unknown): number {
          return journal.take(Taken.Clock, () => own.apply(original as () => number, this, []) as number);
        },
    );
}

/** Random bytes of a program, and what is made of them. @param made gives new ones */
export function givenRandom(
  journal: Journal,
  made: (size: number) => Uint8Array,
): { bytes(size: number): Uint8Array; uuid(): string; fill(view: ArrayBufferView): ArrayBufferView } {
  const bytes = (size: number): Uint8Array => journal.takeBytes(() => made(size));
  return {
    bytes,
    uuid() {
      const from = bytes(16);
      from[6] = (from[6]! & 0x0f) | 0x40;
      from[8] = (from[8]! & 0x3f) | 0x80;
      let text = '';
      for (let i = 0; i < 16; i++) {
        const dash = i === 4 || i === 6 || i === 8 || i === 10 ? '-' : '';
        text += `${dash}${from[i]! < 16 ? '0' : ''}${from[i]!.toString(16)}`;
      }
      return text;
    },
    fill(view) {
      own.setNumbers(own.bytesOf(view), bytes(view.byteLength), 0);
      return view;
    },
  };
}

/** Replaces a method by one that looks the same. @param make given the method as it is */
export function replace(
  holder: object,
  name: string,
  disguise: Disguise,
  make: (original: (...args: never[]) => unknown) => (...args: never[]) => unknown,
): void {
  const descriptor = own.getDescriptor(holder, name);
  if (!descriptor || typeof descriptor.value !== 'function' || descriptor.configurable === false) return;
  const original = descriptor.value as (...args: never[]) => unknown;
  const made = make(original);
  const keys = own.ownKeys(original);
  for (let i = 0; i < keys.length; i++)
    if (keys[i] !== 'prototype') own.defineProperty(made, keys[i]!, own.getDescriptor(original, keys[i]!)!);
  disguise(made, original);
  own.defineProperty(holder, name, { ...descriptor, value: made });
}

function holderOf(object: object, name: string): object | undefined {
  for (let at: object | null = object; at !== null; at = own.getPrototype(at) as object | null)
    if (own.getDescriptor(at, name)) return at;
  return undefined;
}

function installDate(target: Record<string, unknown>, journal: Journal, disguise: Disguise): void {
  const Original = target.Date as DateConstructor;
  const { now } = Original;
  const read = (): number => journal.take(Taken.Date, now);
  const made = function Date(...args: unknown[]): unknown {
    if (new.target === undefined) return own.dateText(own.construct(Original, [read()]));
    const from = new.target === made ? Original : new.target;
    return own.construct(Original, args.length === 0 ? [read()] : args, from);
  } as unknown as DateConstructor;
  const keys = own.ownKeys(Original);
  for (let i = 0; i < keys.length; i++) own.defineProperty(made, keys[i]!, own.getDescriptor(Original, keys[i]!)!);
  own.defineProperty(made, 'now', { ...own.getDescriptor(Original, 'now'), value: now });
  replace(made, 'now', disguise, () => read);
  own.defineProperty(Original.prototype, 'constructor', {
    ...own.getDescriptor(Original.prototype, 'constructor'),
    value: made,
  });
  disguise(made, Original);
  own.defineProperty(target, 'Date', { ...own.getDescriptor(target, 'Date'), value: made });
}
