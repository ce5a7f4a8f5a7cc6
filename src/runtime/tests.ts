/**
 * The runner behind `node:test` in a pad. Names, outcomes, order of hooks and
 * subtests are those of the platform's own runner (its documentation, and a
 * differential test over files that cover it); the reports are ours.
 */
import * as own from './originals.js';
import type { ErrorReader } from './errors.js';
import type { ConsolePlace } from './probes.js';
import type { Reporter } from './reporter.js';
import type { Stacks } from './stacks.js';
import type { RawError, RawFrame, RawTest } from '../wire/reports.js';

/** What only the engine around a target has. */
export interface TestEngine {
  now(): number;
  /** The value that code runs under, also after its `await`s and in its timers. */
  scope?: { run<T>(value: object, work: () => T): T; get(): object | undefined };
  /** Calls back after `ms` without keeping the program alive; the result cancels. */
  timeout?(ms: number, callback: () => void): () => void;
  /** A module of the platform. */
  builtin?(name: string): Record<string, unknown>;
}

type Done = (error?: unknown) => void;
type Fn = (this: unknown, ...args: unknown[]) => unknown;
type HookKind = 'before' | 'after' | 'beforeEach' | 'afterEach';

interface Options {
  skip?: boolean | string;
  todo?: boolean | string;
  only?: boolean;
  timeout?: number;
  concurrency?: number | boolean | null;
  signal?: own.AbortSignalLike;
  plan?: number;
}

/** Why a test failed: its code, a hook, its time, its subtests, or that it was ended from outside. */
export type Failure = NonNullable<RawTest['failure']>;

class TestFailure {
  constructor(
    readonly failure: Failure,
    readonly message: string,
    /** What was thrown, where something was. */
    readonly thrown?: { value: unknown },
  ) {}
}

interface Hook {
  kind: HookKind;
  fn: Fn;
  timeout: number | undefined;
  ran: Promise<void> | undefined;
}

let ids = 0;

class Node {
  readonly id = ++ids;
  readonly children: Node[] = [];
  readonly pending: { node: Node; resolve: () => void }[] = [];
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
    readonly parent: Node | undefined,
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

const nothing: Fn = () => undefined;

export class TestRunner {
  private readonly root: Node = new Node('', undefined, true, nothing, {});
  private allowed = false;
  private opening = false;
  private rootOver: Promise<void> | undefined;
  private waiters: (() => void)[] = [];
  private suiteNow: Node | undefined;
  /** Some test asks to run alone. */
  private anyOnly = false;
  /** The one test that a person asked for, by its names from the outermost in; the others are skipped. */
  private alone: readonly string[] | undefined;
  /** Results that still hold, by program-wide site. */
  private readonly reuse = own.safeMap<number, readonly RawTest[]>();
  private declared = false;

  constructor(
    private readonly reporter: Reporter,
    private readonly stacks: Stacks,
    private readonly errors: ErrorReader,
    private readonly place: ConsolePlace,
    private readonly engine: TestEngine,
  ) {}

  /** What is asked of the tests of this run, before it begins. */
  order(asked: { reuse: { site: number; tests: RawTest[] }[]; alone?: string[] }): void {
    for (let i = 0; i < asked.reuse.length; i++) this.reuse.set(asked.reuse[i]!.site, asked.reuse[i]!.tests);
    this.alone = asked.alone;
  }

  /** The module that a pad gets for `node:test`. */
  face(): Record<string, unknown> {
    const verb = (suite: boolean): Record<string, unknown> => {
      const declare =
        (preset: Options) =>
        (...args: unknown[]): Promise<void> =>
          this.declare(suite, args, preset);
      return Object.assign(declare({}), {
        skip: declare({ skip: true }),
        todo: declare({ todo: true }),
        only: declare({ only: true }),
      }) as unknown as Record<string, unknown>;
    };
    const hook = (kind: HookKind) => (fn: Fn, options?: Options) => {
      this.addHook(this.currentNode(), kind, fn, options);
    };
    const test = verb(false);
    const suite = verb(true);
    const face: Record<string, unknown> = {
      test,
      it: test,
      describe: suite,
      suite,
      before: hook('before'),
      after: hook('after'),
      beforeEach: hook('beforeEach'),
      afterEach: hook('afterEach'),
    };
    const { engine } = this;
    for (const target of [test, face])
      for (const name of ['mock', 'run'])
        own.defineProperty(target, name, {
          get: () => engine.builtin?.('node:test')[name],
          enumerable: true,
          configurable: true,
        });
    for (const name of own.keys(face))
      if (name !== 'mock' && name !== 'run')
        own.defineProperty(test, name, { value: face[name], writable: true, enumerable: true, configurable: true });
    own.defineProperty(face, 'default', { value: test, enumerable: true });
    return face;
  }

  /** Waits until every test that was declared has ended. */
  async finish(): Promise<void> {
    while (!this.idle) await new own.PromiseCopy<void>((resolve) => own.append(this.waiters, resolve));
    if (!this.declared && (this.root.hooks.before.length > 0 || this.root.hooks.after.length > 0)) await this.endRoot();
    await this.rootOver;
  }

  private get idle(): boolean {
    return this.root.active === 0 && this.root.pending.length === 0 && !this.opening;
  }

  /**
   * Nothing is left that could go on, and tests have not ended: they never
   * will. Returns false when there was none.
   */
  drain(): boolean {
    if (this.idle) return false;
    const why = new TestFailure('cancelled', 'it never ended: it waits for something that cannot come any more');
    this.closeChildren(this.root, why);
    this.root.active = 0;
    this.wake();
    return true;
  }

  /** The program is about to end: what has begun is reported as it is. */
  abandon(): void {
    const visit = (node: Node): void => {
      for (let i = 0; i < node.children.length; i++) visit(node.children[i]!);
      if (node !== this.root && !node.finished) this.report(node, 'running');
    };
    visit(this.root);
  }

  /** An error nobody took: true when it belongs to a test that runs, which then fails of it. */
  caught(error: unknown): boolean {
    const node = this.engine.scope?.get();
    if (!(node instanceof Node) || node === this.root || node.finished) return false;
    node.fail(new TestFailure('code', '', { value: error }));
    node.end();
    return true;
  }

  builtin(name: string): Record<string, unknown> {
    return this.engine.builtin?.(name) ?? {};
  }

  private currentNode(): Node {
    if (this.suiteNow) return this.suiteNow;
    const node = this.engine.scope?.get();
    return node instanceof Node ? node : this.root;
  }

  // ---- declaring ---------------------------------------------------------

  private declare(suite: boolean, args: unknown[], preset: Options): Promise<void> {
    const parent = this.currentNode();
    const node = this.create(parent, suite, args, preset);
    // A test with `only` may stand behind the first: the first begins when the code around it has run.
    if (parent.suite && parent !== this.root) return own.PromiseCopy.resolve();
    return this.begin(node);
  }

  private async begin(node: Node): Promise<void> {
    if (!this.allowed && !this.opening) {
      this.opening = true;
      own.promiseThen(own.PromiseCopy.resolve(), () => {
        this.opening = false;
        this.allowed = true;
        void this.nextOf(this.root);
        this.wake();
      });
    }
    await this.start(node);
  }

  private create(parent: Node, suite: boolean, args: unknown[], preset: Options): Node {
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
    const late = parent.finished || parent.buildOver;
    const under = late ? this.root : parent;
    const node = new Node(text, under, suite, body, { ...(options as Options), ...preset });
    this.declared = true;
    if (node.options.only) this.anyOnly = true;
    node.site = this.place.test ?? -1;
    this.place.test = -1;
    if (node.site < 0) node.frame = this.stacks.here(20).find((frame) => frame.local);
    if (late) node.fail(new TestFailure('parent-ended', 'it could not begin: the test around it had ended'));
    own.append(under.children, node);
    const { signal } = node.options;
    if (signal) {
      if (signal.aborted) this.aborted(node);
      else signal.addEventListener('abort', () => this.aborted(node), { once: true });
    }
    if (suite) this.build(node);
    return node;
  }

  private aborted(node: Node): void {
    const reason: unknown = node.options.signal?.aborted ? node.options.signal.reason : undefined;
    node.cancel(new TestFailure('cancelled', 'it was aborted', reason === undefined ? undefined : { value: reason }));
  }

  private build(node: Node): void {
    const outer = this.suiteNow;
    this.suiteNow = node;
    const context = new SuiteContext(node);
    const over = (): void => {
      node.buildOver = true;
    };
    const broke = (error: unknown): void => node.fail(new TestFailure('code', '', { value: error }));
    try {
      const result = this.within(node, () => own.apply(node.fn, context, [context]));
      if (isPromise(result))
        node.built = own.promiseThen(own.promiseThen(result, undefined, broke), over, over) as Promise<void>;
      else own.promiseThen(own.PromiseCopy.resolve(), over);
    } catch (error) {
      broke(error);
      over();
    } finally {
      this.suiteNow = outer;
    }
    node.fn = nothing;
  }

  addHook(node: Node, kind: HookKind, fn: Fn, options: Options = {}): void {
    const hook: Hook = { kind, fn: typeof fn === 'function' ? fn : nothing, timeout: options.timeout, ran: undefined };
    if (kind === 'before' && node.started === node.started) {
      const context = node.suite ? new SuiteContext(node) : new TestContext(this, node);
      void own.promiseThen(this.runHook(hook, node, context), undefined, (error: unknown) =>
        node.fail(hookFailure(kind, error)),
      );
    }
    if (kind === 'afterEach') node.hooks.afterEach.splice(node.ownAfterEach++, 0, hook);
    else own.append(node.hooks[kind], hook);
  }

  // ---- running -----------------------------------------------------------

  private within<T>(node: Node, work: () => T): T {
    const { scope } = this.engine;
    return scope ? scope.run(node, work) : work();
  }

  start(node: Node): Promise<void> {
    const parent = node.parent!;
    if (!this.allowed || !parent.hasRoom)
      return new own.PromiseCopy<void>((resolve) => own.append(parent.pending, { node, resolve }));
    return this.run(node);
  }

  /** A subtest of a test that runs. */
  subtest(parent: Node, args: unknown[], preset: Options = {}): Promise<void> {
    if (parent.plan) parent.plan.actual++;
    return this.start(this.create(parent, false, args, preset));
  }

  private async nextOf(node: Node): Promise<void> {
    while (node.pending.length > 0 && node.hasRoom) {
      const next = node.pending.shift()!;
      await this.run(next.node);
      next.resolve();
    }
    if (node === this.root && this.idle) {
      void this.endRoot();
      this.wake();
    }
  }

  private run(node: Node): Promise<void> {
    const parent = node.parent!;
    const known = parent === this.root && !this.alone ? this.reuse.get(node.site) : undefined;
    if (known) return this.repeat(node, known);
    if ((this.anyOnly && !this.chosen(node)) || (this.alone && !this.isAlone(node))) {
      node.skipped = true;
      node.reason ??= this.alone ? 'another test runs alone' : 'another test is marked with only';
      node.fn = nothing;
    }
    return node.suite ? this.runSuite(node) : this.runTest(node);
  }

  /** With `only` somewhere: what is marked, what holds something marked, and what is inside of either and not told apart there. */
  private chosen(node: Node): boolean {
    if (node.options.only === true || hasOnly(node)) return true;
    const parent = node.parent!;
    if (!parent.suite) return !parent.onlyChildren;
    return parent !== this.root && !hasOnly(parent) && this.chosen(parent);
  }

  private isAlone(node: Node): boolean {
    const path = pathOf(node, this.root);
    const { alone } = this;
    for (let i = 0; i < path.length && i < alone!.length; i++) if (path[i] !== alone![i]) return false;
    return true;
  }

  /** Gives the results of an earlier run once more: nothing that they come from has changed. */
  private repeat(node: Node, known: readonly RawTest[]): Promise<void> {
    const moment = ++this.reporter.clock;
    const shift = ids;
    for (let i = 0; i < known.length; i++) {
      const one = known[i]!;
      this.reporter.addTest({
        ...one,
        moment,
        id: shift + i + 1,
        parent: one.parent < 0 ? -1 : shift + one.parent + 1,
        reused: true,
      });
    }
    ids += known.length;
    node.finished = true;
    node.passed = true;
    return own.PromiseCopy.resolve();
  }

  private async runTest(node: Node): Promise<void> {
    const parent = node.parent!;
    parent.active++;
    node.started = this.engine.now();
    if (node.aborted) {
      this.end(node);
      return;
    }
    this.report(node, 'running');
    const context = new TestContext(this, node);
    let afterEachRan = false;
    const afterEach = async (): Promise<void> => {
      if (afterEachRan) return;
      afterEachRan = true;
      if (parent.hooks.afterEach.length > 0 && !node.skipped) await this.runHooks(parent, 'afterEach', node, context);
    };
    const after = async (): Promise<void> => {
      if (node.hooks.after.length > 0) await this.runHooks(node, 'after', node, context);
    };
    let limit: Limit | undefined;
    try {
      if (node.options.plan) context.plan(node.options.plan);
      if (parent.hooks.before.length > 0)
        await this.runHooks(
          parent,
          'before',
          parent,
          parent.suite ? new SuiteContext(parent) : new TestContext(this, parent),
        );
      if (parent.hooks.beforeEach.length > 0 && !node.skipped) await this.runHooks(parent, 'beforeEach', node, context);
      limit = this.limit(node, node.timeout);
      const result = this.invoke(node.fn, node, context);
      await settled(result, limit.promise);
      const { plan } = node;
      if (plan && plan.actual !== plan.expected)
        throw new TestFailure(
          'plan',
          `it planned ${plan.expected} ${plan.expected === 1 ? 'assertion' : 'assertions'} and made ${plan.actual}`,
        );
      node.pass();
      await afterEach();
      await after();
    } catch (error) {
      const failure = error instanceof TestFailure ? error : new TestFailure('code', '', { value: error });
      if (failure.failure === 'timeout') node.cancel(failure);
      else node.fail(failure);
      try {
        await afterEach();
      } catch {
        // The test has failed already.
      }
      try {
        await after();
      } catch {
        // The same.
      }
    } finally {
      limit?.end();
    }
    node.end();
    this.end(node);
  }

  private async runSuite(node: Node): Promise<void> {
    const parent = node.parent!;
    parent.active++;
    const context = new SuiteContext(node);
    let limit: Limit | undefined;
    let afterRan = false;
    const after = async (): Promise<void> => {
      if (afterRan) return;
      afterRan = true;
      await this.runHooks(node, 'after', node, context);
    };
    try {
      if (node.built) await node.built;
      node.started = this.engine.now();
      if (node.aborted) {
        node.children.length = 0;
        this.end(node);
        return;
      }
      this.report(node, 'running');
      if (parent.hooks.before.length > 0)
        await this.runHooks(
          parent,
          'before',
          parent,
          parent.suite ? new SuiteContext(parent) : new TestContext(this, parent),
        );
      await this.runHooks(node, 'before', node, context);
      limit = this.limit(node, node.timeout);
      const runs: Promise<void>[] = [];
      if (!node.skipped && !node.failure)
        for (let i = 0; i < node.children.length; i++) own.append(runs, this.start(node.children[i]!));
      await own.PromiseCopy.race([own.PromiseCopy.all(runs), limit.promise]);
      await after();
      node.pass();
    } catch (error) {
      try {
        await after();
      } catch {
        // The suite has failed already.
      }
      node.fail(error instanceof TestFailure ? error : new TestFailure('code', '', { value: error }));
    } finally {
      limit?.end();
    }
    this.end(node);
  }

  private invoke(fn: Fn, node: Node, context: object): unknown {
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

  private async runHooks(holder: Node, kind: HookKind, node: Node, context: object): Promise<void> {
    const hooks = holder.hooks[kind];
    try {
      for (let i = 0; i < hooks.length; i++) await this.runHook(hooks[i]!, node, context);
    } catch (error) {
      throw hookFailure(kind, error);
    }
  }

  private runHook(hook: Hook, node: Node, context: object): Promise<void> {
    if (hook.kind === 'before' || hook.kind === 'after') return (hook.ran ??= this.callHook(hook, node, context));
    return this.callHook(hook, node, context);
  }

  private async callHook(hook: Hook, node: Node, context: object): Promise<void> {
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
  private limit(node: Node | undefined, ms: number | undefined): Limit {
    let cancel: (() => void) | undefined;
    let settle: () => void = nothing as () => void;
    const promise = new own.PromiseCopy<void>((resolve, reject) => {
      settle = resolve;
      if (node) {
        if (node.aborted) resolve();
        else node.onAbort = () => resolve();
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

  // ---- ending ------------------------------------------------------------

  /** Ends what is unfinished below a node; returns how many of its children failed. */
  private closeChildren(node: Node, why?: TestFailure): number {
    node.pending.length = 0;
    let failed = 0;
    for (let i = 0; i < node.children.length; i++) {
      const child = node.children[i]!;
      if (!child.finished) {
        child.cancel(why);
        this.end(child, why);
      }
      if (!child.passed && !child.todo) failed++;
    }
    return failed;
  }

  private end(node: Node, why?: TestFailure): void {
    if (node.finished) return;
    node.finished = true;
    node.ended = this.engine.now();
    if (node.started !== node.started) node.started = node.ended;
    const failed = this.closeChildren(node, why);
    if (node.passed && failed > 0)
      node.fail(new TestFailure('subtests', `${failed} of ${node.children.length} in it failed`));
    node.mock?.reset();
    this.report(node, node.skipped ? 'skipped' : node.todo ? 'todo' : node.passed ? 'passed' : 'failed');
    const parent = node.parent!;
    if (parent.active > 0) parent.active--;
    void this.nextOf(parent);
    if (parent === this.root && this.idle) void this.endRoot();
  }

  private endRoot(): Promise<void> {
    if (!this.rootOver || this.root.hooks.after.some((hook) => !hook.ran)) {
      this.rootOver = (async () => {
        try {
          if (this.root.children.length === 0)
            await this.runHooks(this.root, 'before', this.root, new TestContext(this, this.root));
          await this.runHooks(this.root, 'after', this.root, new TestContext(this, this.root));
        } catch (error) {
          const { thrown } = error as TestFailure;
          this.reporter.addError(this.errors.read(thrown ? thrown.value : error, 'thrown', ++this.reporter.clock));
        }
        this.wake();
      })();
    }
    return this.rootOver;
  }

  private wake(): void {
    if (!this.idle) return;
    const { waiters } = this;
    this.waiters = [];
    for (let i = 0; i < waiters.length; i++) waiters[i]!();
  }

  private report(node: Node, state: RawTest['state']): void {
    const running = state === 'running';
    const raw: RawTest = {
      moment: ++this.reporter.clock,
      id: node.id,
      parent: node.parent === this.root ? -1 : node.parent!.id,
      name: node.name,
      path: pathOf(node.parent!, this.root),
      state,
      passed: node.passed,
      durationMs: running ? 0 : node.ended - node.started,
      suite: node.suite,
      site: node.site,
    };
    if (node.frame) raw.frame = node.frame;
    if (node.reason !== undefined) raw.reason = node.reason;
    if (node.notes.length > 0) raw.notes = copyOf(node.notes);
    if (!running && node.failure) {
      const { failure, message, thrown } = node.failure;
      raw.failure = failure;
      if (message !== '' && state === 'failed') raw.reason = message;
      if (thrown) raw.error = this.errors.read(thrown.value, 'thrown', ++this.reporter.clock);
      else if (failure !== 'subtests') raw.error = this.plain(node, message, raw.moment);
    }
    if (node.raw && node.flushes === this.reporter.flushes) Object.assign(node.raw, raw);
    else {
      node.raw = raw;
      node.flushes = this.reporter.flushes;
      this.reporter.addTest(raw);
    }
  }

  /** A failure that nobody threw. */
  private plain(node: Node, message: string, moment: number): RawError {
    return { kind: 'thrown', moment, name: '', message, frames: node.frame ? [node.frame] : [] };
  }
}

interface Limit {
  promise: Promise<void>;
  end(): void;
}

function hookFailure(kind: HookKind, error: unknown): TestFailure {
  const thrown = error instanceof TestFailure ? (error.thrown ?? { value: error.message }) : { value: error };
  return new TestFailure('hook', `its ${kind} hook failed`, thrown);
}

const ASSERTIONS =
  'deepEqual deepStrictEqual doesNotMatch doesNotReject doesNotThrow equal fail ifError match notDeepEqual notDeepStrictEqual notEqual notStrictEqual ok partialDeepStrictEqual rejects strictEqual throws'.split(
    ' ',
  );

/** What a suite's function gets. */
class SuiteContext {
  readonly #node: Node;

  constructor(node: Node) {
    this.#node = node;
  }

  get name(): string {
    return this.#node.name;
  }

  get fullName(): string {
    return fullNameOf(this.#node);
  }

  get signal(): own.AbortSignalLike {
    return this.#node.signal;
  }
}

/** What a test's function gets. */
class TestContext extends SuiteContext {
  readonly #runner: TestRunner;
  readonly #node: Node;
  #assert: Record<string, unknown> | undefined;

  constructor(runner: TestRunner, node: Node) {
    super(node);
    this.#runner = runner;
    this.#node = node;
  }

  get error(): unknown {
    const { failure } = this.#node;
    return failure ? (failure.thrown ? failure.thrown.value : new own.ErrorCopy(failure.message)) : null;
  }

  get passed(): boolean {
    return this.#node.passed;
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
            if (node.plan) node.plan.actual++;
            return own.apply(method, made, args);
          };
      }
      this.#assert = made;
    }
    return this.#assert;
  }

  get mock(): unknown {
    const node = this.#node;
    if (!node.mock) {
      const shared = this.#runner.builtin('node:test').mock as { constructor: new () => { reset(): void } };
      node.mock = new shared.constructor();
    }
    return node.mock;
  }

  plan(count: number): void {
    if (this.#node.plan) throw new own.ErrorCopy('cannot set plan more than once');
    if (typeof count !== 'number' || !(count >= 0) || own.floor(count) !== count)
      throw invalid('count', 'a whole number', count);
    this.#node.plan = { expected: count, actual: 0 };
  }

  diagnostic(message: unknown): void {
    own.append(this.#node.notes, own.StringCopy(message));
  }

  runOnly(value: unknown): void {
    this.#node.onlyChildren = Boolean(value);
  }

  skip(message?: string): void {
    this.#node.skipped = true;
    this.#node.reason = message;
  }

  todo(message?: string): void {
    this.#node.todo = true;
    this.#node.reason = message;
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

/**
 * Waits until a test's body has ended or its limit has come, and takes as many
 * turns as the platform's own runner does: an assertion that comes in the turn
 * after the body still counts for its plan, and an error thrown there is its own.
 */
function settled(result: unknown, limit: Promise<void>): Promise<unknown> {
  const body = isPromise(result) ? result : own.promiseResolve(result);
  const hop = new own.PromiseCopy((resolve, reject) => own.promiseThen(body, resolve, reject));
  return new own.PromiseCopy((resolve, reject) => own.promiseThen(own.PromiseCopy.race([hop, limit]), resolve, reject));
}

function pathOf(node: Node, root: Node): string[] {
  const path: string[] = [];
  for (let at: Node | undefined = node; at && at !== root; at = at.parent) path.unshift(at.name);
  return path;
}

function fullNameOf(node: Node): string {
  let name = node.name;
  for (let at = node.parent; at && at.parent; at = at.parent) name = `${at.name} > ${name}`;
  return name;
}

function hasOnly(node: Node): boolean {
  for (let i = 0; i < node.children.length; i++) {
    const child = node.children[i]!;
    if (child.options.only === true || hasOnly(child)) return true;
  }
  return false;
}

function copyOf<T>(list: readonly T[]): T[] {
  const copy: T[] = [];
  for (let i = 0; i < list.length; i++) own.append(copy, list[i]!);
  return copy;
}

function invalid(name: string, wanted: string, given: unknown): Error {
  return Object.assign(new own.TypeErrorCopy(`The "${name}" property must be ${wanted}. Received ${typeof given}`), {
    code: 'ERR_INVALID_ARG_TYPE',
  });
}

function isPromise(value: unknown): value is Promise<unknown> {
  return typeof value === 'object' && value !== null && typeof (value as { then?: unknown }).then === 'function';
}
