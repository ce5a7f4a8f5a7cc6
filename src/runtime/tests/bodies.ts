/** Calls the bodies of tests and their hooks, each within its time. */
import * as own from '../originals.js';
import type { TestEngine } from './engine.js';
import type { Hook, TestNode } from './node.js';
import { isPromise, nothing, TestFailure, type Done, type Fn, type HookKind } from './options.js';

export interface Limit {
  promise: Promise<void>;
  end(): void;
}

export class Bodies {
  constructor(private readonly engine: TestEngine) {}

  /** Does a work under a test, to which what it sets off belongs. */
  within<T>(node: TestNode, work: () => T): T {
    const { scope } = this.engine;
    return scope ? scope.run(node, work) : work();
  }

  /** Calls a body or hook under its test; one that takes two parameters is given a callback. */
  invoke(fn: Fn, node: TestNode, context: object): unknown {
    if (fn.length !== 2) return this.within(node, () => own.apply(fn, context, [context]));
    return new own.PromiseCopy<void>((resolve, reject) => {
      let calls = 0;
      const done: Done = (error) => {
        calls++;
        if (calls > 2) return;
        if (calls === 2) throw new own.ErrorCopy('callback invoked multiple times');
        if (error) reject(error as Error);
        else resolve();
      };
      const result = this.within(node, () => own.apply(fn, context, [context, done]));
      if (isPromise(result)) {
        node.fail(
          new TestFailure('code', 'it takes a callback and also returns a promise: it can only do one of them'),
        );
        own.promiseThen(result, () => resolve(), reject);
      }
    });
  }

  /** @throws TestFailure of the first hook that fails; those behind it do not run */
  async runHooks(holder: TestNode, kind: HookKind, node: TestNode, context: object): Promise<void> {
    const hooks = holder.hooks[kind];
    try {
      for (let i = 0; i < hooks.length; i++) await this.runHook(hooks[i]!, node, context);
    } catch (error) {
      throw hookFailure(kind, error);
    }
  }

  runHook(hook: Hook, node: TestNode, context: object): Promise<void> {
    if (hook.kind === 'before' || hook.kind === 'after') return (hook.ran ??= this.callHook(hook, node, context));
    return this.callHook(hook, node, context);
  }

  private async callHook(hook: Hook, node: TestNode, context: object): Promise<void> {
    const result = this.invoke(hook.fn, node, context);
    if (!isPromise(result)) return;
    if (hook.timeout === undefined || hook.timeout === Infinity) {
      await result;
      return;
    }
    const limit = this.limit(undefined, hook.timeout);
    try {
      await own.PromiseCopy.race([result, limit.promise]);
    } finally {
      limit.end();
    }
  }

  /** Ends with the test's abort, or fails after its time. */
  limit(node: TestNode | undefined, ms: number | undefined): Limit {
    let cancel: (() => void) | undefined;
    let settle: () => void = nothing as () => void;
    const promise = new own.PromiseCopy<void>((resolve, reject) => {
      settle = resolve;
      if (node) {
        if (node.ending.over) resolve();
        else node.ending.onAbort = () => resolve();
      }
      if (ms !== undefined && ms !== Infinity)
        cancel = this.engine.timeout?.(ms, () =>
          reject(new TestFailure('timeout', `it did not end within ${ms} ms`) as unknown as Error),
        );
    });
    own.promiseThen(promise, undefined, () => undefined);
    return {
      promise,
      end: () => {
        cancel?.();
        settle();
      },
    };
  }
}

export function hookFailure(kind: HookKind, error: unknown): TestFailure {
  const thrown = error instanceof TestFailure ? (error.thrown ?? { value: error.message }) : { value: error };
  return new TestFailure('hook', `its ${kind} hook failed`, thrown);
}

/**
 * Waits until a test's body has ended or its limit has come, and takes as many
 * turns as the platform's own runner does: an assertion that comes in the turn
 * after the body still counts for its plan, and an error thrown there is its own.
 */
export function settled(result: unknown, limit: Promise<void>): Promise<unknown> {
  const body = isPromise(result) ? result : own.promiseResolve(result);
  const hop = new own.PromiseCopy((resolve, reject) => own.promiseThen(body, resolve, reject));
  return new own.PromiseCopy((resolve, reject) => own.promiseThen(own.PromiseCopy.race([hop, limit]), resolve, reject));
}

/** Waits for subtests that nobody waits for; one may begin others. */
export async function subtestsOf({ running: { subtests } }: TestNode, limit: Promise<void>): Promise<void> {
  for (let i = 0; i < subtests.length; i++) await settled(subtests[i], limit);
}
