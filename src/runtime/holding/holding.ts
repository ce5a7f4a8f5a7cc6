/**
 * Holds calls that fail where they leave the person's code, until they are mended: the promise of an async function
 * waits, and what was called with nobody waiting for its result is put aside. What is caught and handled inside is no
 * business of ours.
 */
import type { HeldFunction, HoldAnswer, HoldNews, HoldRequest, RawHeld } from '../../wire/holding.js';
import type { RawFrame } from '../../wire/reports.js';
import type { Value } from '../../wire/value.js';
import type { ErrorReader } from '../errors.js';
import * as own from '../originals.js';
import { CONSOLE } from '../preview.js';
import type { Callable } from '../patches/modules.js';
import type { Reporter } from '../reports/reporter.js';
import type { Stacks } from '../stacks.js';
import { callerOf, type Caller } from './callers.js';
import type { HoldEngine, Waiter } from './engine.js';
import type { Snapshots } from './snapshots.js';

/** A call that may have to be held. */
export interface Call {
  fn: HeldFunction & { file: string };
  self: unknown;
  args: unknown[];
  /** Calls the newest version of the function. */
  again(self: unknown, args: unknown[]): unknown;
}

interface Held {
  id: number;
  call: Call;
  error: unknown;
  how: RawHeld['how'];
  waiters: Waiter[];
  settle: { resolve(value: unknown): void; reject(error: unknown): void } | undefined;
  stopLimit(): void;
}

/** What holding calls reports to, and is given. */
export interface HoldingParts {
  engine: HoldEngine | undefined;
  reporter: Reporter;
  stacks: Stacks;
  errors: ErrorReader;
  snapshots: Snapshots;
  evaluate(file: string, code: string): unknown;
  tell(news: HoldNews): void;
}

export class Holding {
  isOn = false;
  private limitMs = 0;
  private last = 0;
  private readonly list = own.safeMap<number, Held>();
  /** Errors that were let fail. */
  private readonly forgiven = own.safeWeakMap<object, true>();
  /** The outermost call that an error came through so far. */
  private readonly passed = own.safeWeakMap<object, Call>();
  private lastPassed: { error: unknown; call: Call } | undefined;

  constructor(private readonly parts: HoldingParts) {}

  /**
   * A function whose calls are held where they fail.
   *
   * @param made the version that runs
   * @param again calls the newest version
   */
  wrap(made: Callable, fn: Call['fn'], again: Call['again']): Callable {
    const holding = this;
    if (fn.isAsync)
      return function (this: unknown, ...args) {
        const stack = holding.stack();
        return holding.awaited(own.apply(made, this, args) as Promise<unknown>, { fn, self: this, args, again }, stack);
      };
    return function (this: unknown, ...args) {
      try {
        return own.apply(made, this, args);
      } catch (error) {
        return holding.failed(error, { fn, self: this, args, again });
      }
    };
  }

  /** Called while a call of the person's is on its way: nothing is read of it until it fails. */
  private stack(): object {
    return this.parts.stacks.take(STACK);
  }

  private callerBelow(stack: object): Caller {
    const frames = this.parts.stacks.of(stack);
    // The first of the person's frames is that of the function itself, at its patch point.
    let at = 0;
    while (at < frames.length && (!frames[at]!.local || frames[at]!.isAsync)) at++;
    const below: RawFrame[] = [];
    for (let i = at + 1; i < frames.length; i++) own.append(below, frames[i]!);
    return callerOf(below);
  }

  /** A promise that is settled as the call's, or waits where that fails and no code of the person's has called. */
  private awaited(promise: Promise<unknown>, call: Call, stack: object): Promise<unknown> {
    return own.promiseThen(promise, undefined, (error: unknown) => {
      if (this.leaves(error) && this.callerBelow(stack) !== 'own') return this.promised(call, error);
      this.passOn(error, call);
      throw error;
    });
  }

  private promised(call: Call, error: unknown): Promise<unknown> {
    return new own.PromiseCopy((resolve, reject) => this.hold(call, error, 'promise', { resolve, reject }));
  }

  /** A call that gives its result at once has failed: gives what its caller gets in the meantime. */
  private failed(error: unknown, call: Call): unknown {
    const caller = this.leaves(error) ? this.callerBelow(this.stack()) : 'own';
    if (caller === 'nobody') return this.promised(call, error);
    if (caller === 'event' || (caller === 'package' && call.fn.givesNothing)) {
      this.hold(call, error, 'aside', undefined);
      return undefined;
    }
    this.passOn(error, call);
    throw error;
  }

  /** False for errors that were let fail once. */
  private leaves(error: unknown): boolean {
    return this.isOn && !(isObject(error) && this.forgiven.has(error));
  }

  private passOn(error: unknown, call: Call): void {
    if (!this.isOn) return;
    if (isObject(error)) this.passed.set(error, call);
    else this.lastPassed = { error, call };
  }

  /**
   * Nobody has caught an error: nobody waits for the last call that it came through either, and that is put aside.
   *
   * @returns false where it came through none that could be called again
   */
  unhandled(error: unknown): boolean {
    if (!this.leaves(error)) return false;
    const call = isObject(error)
      ? this.passed.get(error)
      : this.lastPassed && this.lastPassed.error === error
        ? this.lastPassed.call
        : undefined;
    if (!call) return false;
    this.hold(call, error, 'aside', undefined);
    return true;
  }

  private hold(call: Call, error: unknown, how: RawHeld['how'], settle: Held['settle']): void {
    const { reporter, engine } = this.parts;
    const id = ++this.last;
    const waiters = engine?.waiters(call.args, call.self) ?? [];
    const held: Held = { id, call, error, how, waiters, settle, stopLimit: () => undefined };
    if (engine)
      held.stopLimit =
        this.limitMs > 0
          ? engine.after(this.limitMs, () => this.end(held, 'limit'))
          : engine.after(NO_LIMIT_MS, () => undefined);
    this.list.set(id, held);
    const moment = ++reporter.clock;
    const given: Value[] = [];
    for (let i = 0; i < call.args.length; i++) {
      reporter.holder.hold(moment, i, call.args[i]);
      own.append(given, reporter.previewer.take(call.args[i], CONSOLE));
    }
    reporter.holder.hold(moment, call.args.length, call.self);
    const told: RawHeld = {
      ...{ id, name: call.fn.name, file: call.fn.file, how, moment, given },
      error: this.parts.errors.read(error, 'thrown', ++reporter.clock),
      ...(call.self === undefined ? {} : { self: reporter.previewer.take(call.self, CONSOLE) }),
      frames: this.parts.snapshots.of(error),
      waits: textsOf(waiters),
      ...overOf(waiters),
    };
    reporter.flush({ counts: true });
    this.parts.tell({ is: 'held', held: told });
    for (let i = 0; i < waiters.length; i++) waiters[i]!.onGone(() => this.end(held, 'gone'));
  }

  answer(request: HoldRequest): HoldAnswer {
    if (request.do === 'hold') {
      if (this.isOn !== request.on) this.parts.engine?.switched(request.on);
      this.isOn = request.on;
      this.limitMs = request.limitMs;
      if (!request.on) this.list.forEach((held) => this.end(held, 'fail'));
      return DONE;
    }
    const held = this.list.get(request.id);
    if (!held) return { is: 'cannot', why: 'this call is held no longer' };
    switch (request.do) {
      case 'again':
      case 'give': {
        const over = overOf(held.waiters).isOver;
        if (over !== undefined) return { is: 'cannot', why: over };
        return request.do === 'again' ? this.again(held) : this.give(held, request.file, request.code);
      }
      case 'fail':
      case 'drop':
        this.end(held, request.do);
        return DONE;
    }
  }

  /** The function is called anew, with what it was called with; what it gives goes to whoever waits. */
  private again(held: Held): HoldAnswer {
    this.release(held, 'again');
    const { call, settle, waiters } = held;
    let { args } = call;
    for (let i = 0; i < waiters.length; i++) args = waiters[i]!.renewed(args);
    try {
      const given = call.again(call.self, args);
      settle?.resolve(given);
    } catch (error) {
      // It comes here only where it could not be held once more.
      if (settle) settle.reject(error);
      else this.parts.engine?.uncaught(error);
    }
    return DONE;
  }

  private give(held: Held, file: string, code: string): HoldAnswer {
    let value: unknown;
    try {
      value = this.parts.evaluate(file, code);
    } catch (error) {
      return { is: 'threw', error: this.parts.errors.read(error, 'thrown', ++this.parts.reporter.clock) };
    }
    this.release(held, 'give');
    held.settle?.resolve(value);
    return DONE;
  }

  /** It is held no longer, and fails as it would have, or is dropped. */
  private end(held: Held, how: 'fail' | 'drop' | 'limit' | 'gone'): void {
    if (!this.list.has(held.id)) return;
    this.release(held, how);
    if (how === 'drop' || how === 'gone') return;
    const { error, settle } = held;
    if (isObject(error)) this.forgiven.set(error, true);
    if (settle) settle.reject(error);
    else this.parts.engine?.uncaught(error);
  }

  private release(held: Held, how: Extract<HoldNews, { is: 'released' }>['how']): void {
    held.stopLimit();
    this.list.delete(held.id);
    this.parts.tell({ is: 'released', id: held.id, how });
  }
}

/** Frames that are looked at: a call of the person further out than that is not seen. */
const STACK = 60;
/** Milliseconds, as many as timers can take: a call that is held without a limit keeps the program as one with it. */
const NO_LIMIT_MS = 2 ** 31 - 1;
const DONE: HoldAnswer = { is: 'done' };

function textsOf(waiters: readonly Waiter[]): string[] {
  const texts: string[] = [];
  for (let i = 0; i < waiters.length; i++) own.append(texts, waiters[i]!.text);
  return texts;
}

function overOf(waiters: readonly Waiter[]): { isOver?: string } {
  for (let i = 0; i < waiters.length; i++) {
    const { isOver } = waiters[i]!;
    if (isOver !== undefined) return { isOver };
  }
  return {};
}

function isObject(value: unknown): value is object {
  return (typeof value === 'object' && value !== null) || typeof value === 'function';
}
