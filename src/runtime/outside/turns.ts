/**
 * The turns of a program's event loop: timers and immediates in the order in which they fired. In a repetition each
 * waits until it is its turn and the program is as far as it was, however long that takes; none waits for the clock.
 */
import type { Answer } from '../../wire/taken.js';
import * as own from '../originals.js';
import { type Disguise, replace } from './clocks.js';
import type { Journal, Upcoming } from './journal.js';

/** Milliseconds without a step after which a repetition that waits for its next turn goes on without its journal. */
const STUCK_MS = 6_000;
/** Milliseconds between two looks. */
const LOOK_MS = 20;

interface Waiting {
  run: () => void;
  repeats: boolean;
  handle: unknown;
  /** It would have fired by the clock. */
  due: boolean;
}

export interface TurnEngine {
  /** Steps of the program so far. */
  steps(): number;
  /** Code of the program is on the stack, and has not called for a request. */
  isProgram(): boolean;
  now(): number;
  /** Calls back in a turn of its own. */
  later(callback: () => void): void;
  /** Calls back again and again, without keeping the program from its end. */
  every(ms: number, callback: () => void): () => void;
  /** A timer was cleared. */
  isOver(handle: unknown): boolean;
}

type Start = (callback: (...args: unknown[]) => void, ...rest: unknown[]) => unknown;

export class Turns {
  private last = 0;
  private requests = 0;
  private readonly waiting = own.safeMap<number, Waiting>();
  private readonly numbers = own.safeWeakMap<object, number>();
  private readonly asked = own.safeMap<number, { resolve: (answer: Answer) => void; begin: () => void }>();
  private scheduled = false;
  /** Turns come as they come. */
  private isFree: boolean;
  private readonly progress = { steps: -1, at: 0 };
  private endLooking: (() => void) | undefined;

  constructor(
    private readonly journal: Journal,
    private readonly engine: TurnEngine,
  ) {
    this.isFree = !journal.gives;
  }

  install(target: Record<string, unknown>, disguise: Disguise): void {
    for (const name of ['setTimeout', 'setInterval', 'setImmediate'])
      replace(target, name, disguise, (original) => {
        const turns = this;
        const start = original as unknown as Start;
        return {
          [name](this: unknown, callback: unknown, ...rest: unknown[]): unknown {
            // What the platform starts for itself is not done again where its answer is given.
            if (typeof callback !== 'function' || !turns.engine.isProgram())
              return own.apply(start, this, [callback, ...rest] as never);
            return turns.begin(name, callback as (...args: unknown[]) => unknown, rest, (run) =>
              own.apply(start, this, [run, ...rest] as never),
            );
          },
        }[name]! as never;
      });
    replace(target, 'clearImmediate', disguise, (original) => {
      const turns = this;
      return function clearImmediate(this: unknown, handle: unknown): void {
        turns.forget(handle);
        own.apply(original as never, this, [handle] as never);
      } as never;
    });
  }

  /** A request of the program. @param now makes it, and gives its answer @returns the answer */
  request(now: () => Promise<Answer>): Promise<Answer> {
    const number = ++this.requests;
    // Behind its last turn a request of the first run had no answer any more.
    if (this.journal.gives)
      return new own.PromiseCopy<Answer>((resolve, reject) => {
        this.asked.set(number, { resolve, begin: () => void own.promiseThen(now(), resolve, reject) });
        this.pump();
      });
    const written = (answer: unknown): Answer => {
      const made = { ...(answer as Answer), request: number };
      this.journal.answered(made);
      return made;
    };
    return own.promiseThen(now(), written) as Promise<Answer>;
  }

  private begin(
    name: string,
    callback: (...args: unknown[]) => unknown,
    rest: unknown[],
    start: (run: (...args: unknown[]) => void) => unknown,
  ): unknown {
    const number = ++this.last;
    const { journal, waiting } = this;
    const repeats = name === 'setInterval';
    if (this.isFree)
      return start(function (this: unknown, ...args: unknown[]): void {
        journal.fired(number);
        own.apply(callback, this, args);
      });
    const given: unknown[] = [];
    for (let i = name === 'setImmediate' ? 0 : 1; i < rest.length; i++) own.append(given, rest[i]);
    const one: Waiting = {
      run: () => own.apply(callback, one.handle, given as never),
      repeats,
      handle: undefined,
      due: false,
    };
    one.handle = start(() => {
      one.due = true;
      if (this.isFree && waiting.has(number)) this.fire(number, one);
    });
    waiting.set(number, one);
    if (own.isObject(one.handle)) this.numbers.set(one.handle, number);
    this.pump();
    return one.handle;
  }

  private forget(handle: unknown): void {
    const number = own.isObject(handle) ? this.numbers.get(handle) : undefined;
    if (number !== undefined) this.waiting.delete(number);
  }

  private fire(number: number, one: Waiting): void {
    if (!one.repeats) this.waiting.delete(number);
    one.run();
  }

  /** Lets the next turn begin, once the program is as far as it was then. */
  private pump(): void {
    if (this.scheduled) return;
    this.scheduled = true;
    this.engine.later(() => {
      this.scheduled = false;
      this.look();
    });
  }

  private look(): void {
    const { journal, engine, progress } = this;
    const steps = engine.steps();
    const turn = journal.upcoming;
    if (turn && steps === turn.steps) {
      const begin = this.beginning(turn);
      if (begin) {
        journal.pass();
        this.pump();
        begin();
        return;
      }
    }
    if (!turn) {
      this.goFree();
      return;
    }
    if (steps !== progress.steps) {
      progress.steps = steps;
      progress.at = engine.now();
    } else if (engine.now() - progress.at > STUCK_MS || steps > turn.steps) {
      journal.leave();
      this.goFree();
      return;
    }
    this.endLooking ??= engine.every(LOOK_MS, () => this.pump());
  }

  private beginning({ number, answer }: Upcoming): (() => void) | undefined {
    if (answer) {
      const one = this.asked.get(number);
      if (!one) return undefined;
      this.asked.delete(number);
      return () => one.resolve(answer);
    }
    const one = this.waiting.get(number);
    return one && (() => this.fire(number, one));
  }

  /** Nothing tells the order of turns any more: timers fire by the clock, those that are due now. */
  private goFree(): void {
    this.isFree = true;
    this.endLooking?.();
    this.endLooking = undefined;
    if (!this.journal.gives)
      this.asked.forEach(({ begin }, number) => {
        this.asked.delete(number);
        begin();
      });
    this.waiting.forEach((one, number) => {
      if (!one.due) return;
      if (this.engine.isOver(one.handle) && one.repeats) this.waiting.delete(number);
      else this.engine.later(() => this.fire(number, one));
    });
  }
}
