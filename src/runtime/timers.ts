/** The timers of a program: listed with their places, and stopped on request. */
import * as own from './originals.js';
import type { Stacks } from './stacks.js';
import type { RawTimer } from '../wire/reports.js';

interface Entry {
  raw: RawTimer;
  handle: unknown;
}

type Start = (callback: unknown, delay?: number, ...rest: unknown[]) => unknown;

/** Timers that are looked at; a program with more of them has only these listed. */
const MOST = 500;

export class Timers {
  private readonly entries = own.safeMap<number, Entry>();
  private ids = 0;
  private clear: ((handle: unknown) => void) | undefined;

  constructor(
    private readonly stacks: Stacks,
    private readonly now: () => number,
    /**
     * The timer is over although nobody told: cleared, or its engine has let it go. Absent where an engine does not tell:
     * there it is noted when one is cleared.
     */
    private readonly isOver: ((handle: unknown) => boolean) | undefined,
    /** Gives a function the text of the one it stands for. */
    private readonly disguise: (made: object, original: object) => void,
  ) {}

  /** Replaces the global timers by ones that are listed. */
  install(target: Record<string, unknown>, begin: () => number): void {
    const clear = target.clearTimeout as (handle: unknown) => void;
    this.clear = (handle) => clear(handle);
    if (!this.isOver) this.noteCleared(target);
    for (const name of ['setTimeout', 'setInterval'] as const) {
      const original = target[name];
      if (typeof original !== 'function') continue;
      const start = original as Start;
      const timers = this;
      const made = {
        [name](this: unknown, callback: unknown, delay?: number, ...rest: unknown[]): unknown {
          // A program that starts thousands has only its first looked at: each costs a stack.
          if (typeof callback !== 'function' || timers.entries.size >= MOST || timers.ids >= MOST * 4)
            return own.apply(start, this, [callback, delay, ...rest]);
          return timers.begin(
            name === 'setInterval',
            callback as (...args: unknown[]) => unknown,
            delay,
            begin(),
            (run) => own.apply(start, this, [run, delay, ...rest]),
          );
        },
      }[name]!;
      this.replace(target, name, made, original);
    }
  }

  private replace(target: Record<string, unknown>, name: string, made: object, original: object): void {
    const keys = own.ownKeys(original);
    for (let i = 0; i < keys.length; i++)
      if (keys[i] !== 'prototype') own.defineProperty(made, keys[i]!, own.getDescriptor(original, keys[i]!)!);
    this.disguise(made, original);
    target[name] = made;
  }

  /** A page takes either function for a timer of either kind, and its number as text, too. */
  private noteCleared(target: Record<string, unknown>): void {
    const { entries } = this;
    for (const name of ['clearTimeout', 'clearInterval'] as const) {
      const original = target[name];
      if (typeof original !== 'function') continue;
      const made = {
        [name](this: unknown, handle?: unknown): unknown {
          const number = typeof handle === 'string' ? own.NumberCopy(handle) : handle;
          entries.forEach((entry, id) => {
            if (entry.handle === number) entries.delete(id);
          });
          return own.apply(original as Start, this, [handle]);
        },
      }[name]!;
      this.replace(target, name, made, original);
    }
  }

  private begin(
    repeats: boolean,
    callback: (...args: unknown[]) => unknown,
    delay: unknown,
    begin: number,
    start: (run: (...args: unknown[]) => unknown) => unknown,
  ): unknown {
    const frame = this.stacks.here(12).find((one) => one.local);
    // What the platform or a package starts for itself is not the person's to stop.
    if (!frame) return start(callback);
    const raw: RawTimer = {
      id: ++this.ids,
      repeats,
      delay: typeof delay === 'number' && delay >= 1 ? delay : 1,
      fired: 0,
      since: this.now() - begin,
      frame,
    };
    const timers = this;
    const entry: Entry = { raw, handle: undefined };
    entry.handle = start(function (this: unknown, ...args: unknown[]): unknown {
      raw.fired++;
      if (!repeats) timers.entries.delete(raw.id);
      return own.apply(callback, this, args);
    });
    this.entries.set(raw.id, entry);
    return entry.handle;
  }

  /** The timers that will fire, in the order in which they were made. */
  active(): RawTimer[] {
    const found: RawTimer[] = [];
    const over: number[] = [];
    this.entries.forEach(({ raw, handle }) => {
      if (this.isOver?.(handle)) own.append(over, raw.id);
      else own.append(found, { ...raw });
    });
    for (let i = 0; i < over.length; i++) this.entries.delete(over[i]!);
    return found;
  }

  /** Ends a timer; false when there is none of that number. */
  stop(id: number): boolean {
    const entry = this.entries.get(id);
    if (!entry) return false;
    this.entries.delete(id);
    this.clear?.(entry.handle);
    return true;
  }
}
