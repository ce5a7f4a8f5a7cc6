/** What the functions of tests and suites get. */
import * as own from '../originals.js';
import { fullNameOf, type TestNode } from './node.js';
import { invalid, type Fn, type HookKind, type Options } from './options.js';

/** What a test can ask of the runner. */
export interface ContextActions {
  subtest(parent: TestNode, args: unknown[]): Promise<void>;
  addHook(node: TestNode, kind: HookKind, fn: Fn, options?: Options): void;
  /** A module of the platform. */
  builtin(name: string): Record<string, unknown>;
}

const ASSERTIONS = (
  'deepEqual deepStrictEqual doesNotMatch doesNotReject doesNotThrow equal fail ifError match notDeepEqual ' +
  'notDeepStrictEqual notEqual notStrictEqual ok partialDeepStrictEqual rejects strictEqual throws'
).split(' ');

/** What a suite's function gets. */
export class SuiteContext {
  readonly #node: TestNode;

  constructor(node: TestNode) {
    this.#node = node;
  }

  get name(): string {
    return this.#node.name;
  }

  get fullName(): string {
    return fullNameOf(this.#node);
  }

  get signal(): own.AbortSignalLike {
    return this.#node.ending.signal;
  }
}

/** What a test's function gets. */
export class TestContext extends SuiteContext {
  readonly #runner: ContextActions;
  readonly #node: TestNode;
  #assert: Record<string, unknown> | undefined;

  constructor(runner: ContextActions, node: TestNode) {
    super(node);
    this.#runner = runner;
    this.#node = node;
  }

  get error(): unknown {
    const { failure } = this.#node.state;
    return failure ? (failure.thrown ? failure.thrown.value : new own.ErrorCopy(failure.message)) : null;
  }

  get passed(): boolean {
    return this.#node.state.passed;
  }

  get assert(): Record<string, unknown> {
    const node = this.#node;
    if (!this.#assert) {
      const made = own.createObject(null) as Record<string, unknown>;
      const all = this.#runner.builtin('node:assert');
      for (const name of ASSERTIONS) {
        const method = all[name] as Fn | undefined;
        if (typeof method === 'function')
          made[name] = (...args: unknown[]) => {
            if (node.state.plan) node.state.plan.actual++;
            return own.apply(method, made, args);
          };
      }
      this.#assert = made;
    }
    return this.#assert;
  }

  get mock(): unknown {
    const node = this.#node;
    if (!node.running.mock) {
      const shared = this.#runner.builtin('node:test').mock as { constructor: new () => { reset(): void } };
      node.running.mock = new shared.constructor();
    }
    return node.running.mock;
  }

  /** @throws Error when a plan stands already; TypeError `ERR_INVALID_ARG_TYPE` when it is no whole number */
  plan(count: number): void {
    if (this.#node.state.plan) throw new own.ErrorCopy('cannot set plan more than once');
    if (typeof count !== 'number' || !(count >= 0) || own.floor(count) !== count)
      throw invalid('count', 'a whole number', count);
    this.#node.state.plan = { expected: count, actual: 0 };
  }

  diagnostic(message: unknown): void {
    own.append(this.#node.reported.notes, own.StringCopy(message));
  }

  runOnly(value: unknown): void {
    this.#node.running.onlyChildren = Boolean(value);
  }

  skip(message?: string): void {
    this.#node.state.skipped = true;
    this.#node.state.reason = message;
  }

  todo(message?: string): void {
    this.#node.state.todo = true;
    this.#node.state.reason = message;
  }

  test(...args: unknown[]): Promise<void> {
    return this.#runner.subtest(this.#node, args);
  }

  before(fn: Fn, options?: Options): void {
    this.#runner.addHook(this.#node, 'before', fn, options);
  }

  after(fn: Fn, options?: Options): void {
    this.#runner.addHook(this.#node, 'after', fn, options);
  }

  beforeEach(fn: Fn, options?: Options): void {
    this.#runner.addHook(this.#node, 'beforeEach', fn, options);
  }

  afterEach(fn: Fn, options?: Options): void {
    this.#runner.addHook(this.#node, 'afterEach', fn, options);
  }
}
