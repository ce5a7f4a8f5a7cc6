/** Tests and suites as they were declared, and what became of each. */
import type { RawFrame, RawTest } from '../../wire/reports.js';
import * as own from '../originals.js';
import { invalid, nothing, TestFailure, type Fn, type HookKind, type Options } from './options.js';

export interface Hook {
  kind: HookKind;
  fn: Fn;
  timeout: number | undefined;
  ran: Promise<void> | undefined;
}

let ids = 0;

/** Takes numbers for tests that ran earlier. Returns the last one taken before. */
export function takeIds(count: number): number {
  const last = ids;
  ids += count;
  return last;
}

/** A test or suite that was declared. */
export class TestNode {
  readonly id = ++ids;
  readonly children: TestNode[] = [];
  readonly pending: { node: TestNode; resolve: () => void }[] = [];
  readonly hooks: Record<HookKind, Hook[]>;
  ownAfterEach = 0;
  private controller: own.AbortControllerLike | undefined;
  private over = false;
  onAbort: (() => void) | undefined;
  passed = false;
  failure: TestFailure | undefined;
  cancelled = false;
  finished = false;
  skipped: boolean;
  todo: boolean;
  reason: string | undefined;
  /** Why it was left out of this run, if it was. */
  leftOut: RawTest['leftOut'];
  /** Set by the test itself: of its subtests only those marked so run. */
  onlyChildren = false;
  concurrency: number;
  timeout: number | undefined;
  plan: { expected: number; actual: number } | undefined;
  active = 0;
  started = NaN;
  ended = NaN;
  /** The suite's body has run. */
  built: Promise<void> | undefined;
  buildOver = false;
  mock: { reset(): void } | undefined;
  readonly notes: string[] = [];
  site = -1;
  frame: RawFrame | undefined;
  raw: RawTest | undefined;
  flushes = -1;

  constructor(
    readonly name: string,
    readonly parent: TestNode | undefined,
    readonly suite: boolean,
    public fn: Fn,
    readonly options: Options,
  ) {
    this.concurrency = parent?.concurrency ?? 1;
    this.timeout = parent?.timeout;
    this.hooks = {
      before: [],
      after: [],
      beforeEach: parent ? copyOf(parent.hooks.beforeEach) : [],
      afterEach: parent ? copyOf(parent.hooks.afterEach) : [],
    };
    const { concurrency, timeout, skip, todo } = options;
    if (typeof concurrency === 'number') this.concurrency = concurrency;
    else if (typeof concurrency === 'boolean') this.concurrency = concurrency ? Infinity : 1;
    else if (concurrency !== undefined && concurrency !== null)
      throw invalid('options.concurrency', 'of type boolean or number', concurrency);
    if (timeout !== undefined && timeout !== null && timeout !== Infinity) {
      if (typeof timeout !== 'number') throw invalid('options.timeout', 'of type number', timeout);
      this.timeout = timeout;
    }
    this.skipped = skip !== undefined && skip !== false;
    this.todo = todo !== undefined && todo !== false;
    this.reason = typeof skip === 'string' ? skip : typeof todo === 'string' ? todo : undefined;
    if (this.skipped) this.fn = nothing;
  }

  /** Made when it is first asked for: thousands of tests never do. */
  get signal(): own.AbortSignalLike {
    this.controller ??= new own.AbortControllerCopy();
    if (this.over) this.controller.abort();
    return this.controller.signal;
  }

  get aborted(): boolean {
    return this.over;
  }

  fail(failure: TestFailure): void {
    if (this.failure) return;
    this.passed = false;
    this.failure = failure;
  }

  pass(): void {
    if (!this.failure) this.passed = true;
  }

  /** Ends the wait for its body; a signal that nobody asked for is not made. */
  end(): void {
    this.over = true;
    this.onAbort?.();
    this.controller?.abort();
  }

  cancel(
    failure = new TestFailure('cancelled', 'it did not end before the test around it, and was ended with it'),
  ): void {
    if (this.ended === this.ended || this.failure) return;
    this.fail(failure);
    this.cancelled = true;
    this.end();
  }

  get hasRoom(): boolean {
    return this.concurrency > this.active;
  }
}

/** Names around a test, from the outermost in. */
export function pathOf(node: TestNode, root: TestNode): string[] {
  const path: string[] = [];
  for (let at: TestNode | undefined = node; at && at !== root; at = at.parent) path.unshift(at.name);
  return path;
}

export function fullNameOf(node: TestNode): string {
  let name = node.name;
  for (let at = node.parent; at && at.parent; at = at.parent) name = `${at.name} > ${name}`;
  return name;
}

/** True when something in it is marked with `only`. */
export function hasOnly(node: TestNode): boolean {
  for (let i = 0; i < node.children.length; i++) {
    const child = node.children[i]!;
    if (child.options.only === true || hasOnly(child)) return true;
  }
  return false;
}

export function copyOf<T>(list: readonly T[]): T[] {
  const copy: T[] = [];
  for (let i = 0; i < list.length; i++) own.append(copy, list[i]!);
  return copy;
}
