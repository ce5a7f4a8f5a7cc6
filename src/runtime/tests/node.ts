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

/** What became of a test. */
export interface TestState {
  passed: boolean;
  failure: TestFailure | undefined;
  cancelled: boolean;
  finished: boolean;
  skipped: boolean;
  todo: boolean;
  /** Why it is skipped, or still to do. */
  reason: string | undefined;
  /** Why it was left out of this run, if it was. */
  leftOut: RawTest['leftOut'];
  plan: { expected: number; actual: number } | undefined;
  /** Milliseconds of the engine's clock; NaN before. */
  started: number;
  ended: number;
}

/** How a test and its subtests run. */
export interface TestRunning {
  /** Subtests that wait for room. */
  readonly pending: { node: TestNode; resolve: () => void }[];
  active: number;
  concurrency: number;
  /** Milliseconds; undefined for as long as it takes. */
  timeout: number | undefined;
  /** The suite's body has run. */
  built: Promise<void> | undefined;
  buildOver: boolean;
  /** Set by the test itself: of its subtests only those marked so run. */
  onlyChildren: boolean;
  /** Hooks after each that the test has itself, before those from around it. */
  ownAfterEach: number;
  mock: { reset(): void } | undefined;
  /** Subtests that have begun, or wait for room. */
  readonly subtests: Promise<void>[];
}

/** What the record is told of a test. */
export interface TestReported {
  readonly notes: string[];
  site: number;
  frame: RawFrame | undefined;
  raw: RawTest | undefined;
  /** How often the reporter had sent when it was told last. */
  flushes: number;
}

/** The signal of a test, made when it is first asked for: thousands of tests never do. */
class Ending {
  private controller: own.AbortControllerLike | undefined;
  over = false;
  /** Called when the test ends, for what waits for its body. */
  onAbort: (() => void) | undefined;

  get signal(): own.AbortSignalLike {
    this.controller ??= new own.AbortControllerCopy();
    if (this.over) this.controller.abort();
    return this.controller.signal;
  }

  end(): void {
    this.over = true;
    this.onAbort?.();
    this.controller?.abort();
  }
}

/** A test or suite that was declared. */
export class TestNode {
  readonly id = ++ids;
  readonly children: TestNode[] = [];
  readonly hooks: Record<HookKind, Hook[]>;
  readonly state: TestState = {
    passed: false,
    failure: undefined,
    cancelled: false,
    finished: false,
    skipped: false,
    todo: false,
    reason: undefined,
    leftOut: undefined,
    plan: undefined,
    started: NaN,
    ended: NaN,
  };
  readonly running: TestRunning = {
    pending: [],
    active: 0,
    concurrency: 1,
    timeout: undefined,
    built: undefined,
    buildOver: false,
    onlyChildren: false,
    ownAfterEach: 0,
    mock: undefined,
    subtests: [],
  };
  readonly reported: TestReported = { notes: [], site: -1, frame: undefined, raw: undefined, flushes: -1 };
  readonly ending = new Ending();

  constructor(
    readonly name: string,
    readonly parent: TestNode | undefined,
    readonly suite: boolean,
    public fn: Fn,
    readonly options: Options,
  ) {
    this.running.concurrency = parent?.running.concurrency ?? 1;
    this.running.timeout = parent?.running.timeout;
    this.hooks = {
      before: [],
      after: [],
      beforeEach: parent ? copyOf(parent.hooks.beforeEach) : [],
      afterEach: parent ? copyOf(parent.hooks.afterEach) : [],
    };
    const { concurrency, timeout, skip, todo } = options;
    if (typeof concurrency === 'number') this.running.concurrency = concurrency;
    else if (typeof concurrency === 'boolean') this.running.concurrency = concurrency ? Infinity : 1;
    else if (concurrency !== undefined && concurrency !== null)
      throw invalid('options.concurrency', 'of type boolean or number', concurrency);
    if (timeout !== undefined && timeout !== null && timeout !== Infinity) {
      if (typeof timeout !== 'number') throw invalid('options.timeout', 'of type number', timeout);
      this.running.timeout = timeout;
    }
    this.state.skipped = skip !== undefined && skip !== false;
    this.state.todo = todo !== undefined && todo !== false;
    this.state.reason = typeof skip === 'string' ? skip : typeof todo === 'string' ? todo : undefined;
    if (this.state.skipped) this.fn = nothing;
  }

  fail(failure: TestFailure): void {
    if (this.state.failure) return;
    this.state.passed = false;
    this.state.failure = failure;
  }

  pass(): void {
    if (!this.state.failure) this.state.passed = true;
  }

  cancel(
    failure = new TestFailure('cancelled', 'it did not end before the test around it, and was ended with it'),
  ): void {
    if (this.state.ended === this.state.ended || this.state.failure) return;
    this.fail(failure);
    this.state.cancelled = true;
    this.ending.end();
  }

  get hasRoom(): boolean {
    return this.running.concurrency > this.running.active;
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
