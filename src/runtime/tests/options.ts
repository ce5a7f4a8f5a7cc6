/** What tests, suites and hooks are declared with. */
import type { RawTest } from '../../wire/reports.js';
import * as own from '../originals.js';

export type Done = (error?: unknown) => void;
export type Fn = (this: unknown, ...args: unknown[]) => unknown;
export type HookKind = 'before' | 'after' | 'beforeEach' | 'afterEach';

export interface Options {
  skip?: boolean | string;
  todo?: boolean | string;
  only?: boolean;
  timeout?: number;
  concurrency?: number | boolean | null;
  signal?: own.AbortSignalLike;
  plan?: number;
}

/** A body that does nothing. */
export const nothing: Fn = () => undefined;

/** Why a test failed: its code, a hook, its time, its subtests, or that it was ended from outside. */
export type Failure = NonNullable<RawTest['failure']>;

export class TestFailure {
  constructor(
    readonly failure: Failure,
    readonly message: string,
    /** What was thrown, where something was. */
    readonly thrown?: { value: unknown },
  ) {}
}

export function invalid(name: string, wanted: string, given: unknown): Error {
  return Object.assign(new own.TypeErrorCopy(`The "${name}" property must be ${wanted}. Received ${typeof given}`), {
    code: 'ERR_INVALID_ARG_TYPE',
  });
}

export function isPromise(value: unknown): value is Promise<unknown> {
  return typeof value === 'object' && value !== null && typeof (value as { then?: unknown }).then === 'function';
}

/** Name, body and options of a test, from the arguments it was declared with in any of the ways that are allowed. */
export function declarationOf(args: readonly unknown[]): { text: string; body: Fn; options: Options } {
  const name = args[0];
  let [, options, fn] = args;
  if (typeof name === 'function') fn = name;
  else if (name !== null && typeof name === 'object') {
    fn = options;
    options = name;
  } else if (typeof options === 'function') fn = options;
  if (options === null || typeof options !== 'object') options = {};
  const body = typeof fn === 'function' ? (fn as Fn) : nothing;
  const text = typeof name === 'string' && name !== '' ? name : (body !== nothing && body.name) || '<anonymous>';
  return { text, body, options: options as Options };
}
