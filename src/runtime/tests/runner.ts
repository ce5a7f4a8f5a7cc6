/**
 * The runner behind `node:test` in a pad. Names, outcomes, order of hooks and
 * subtests are those of the platform's own runner (its documentation, and a
 * differential test over files that cover it); the reports are ours.
 */
import type { RawTest } from '../../wire/reports.js';
import type { ErrorReader } from '../errors.js';
import * as own from '../originals.js';
import type { ConsolePlace } from '../probes.js';
import type { Reporter } from '../reports/reporter.js';
import type { Stacks } from '../stacks.js';
import { Bodies, hookFailure, settled, subtestsOf, type Limit } from './bodies.js';
import { Choice, LEFT_OUT } from './choice.js';
import { SuiteContext, TestContext, type ContextActions } from './contexts.js';
import type { TestEngine } from './engine.js';
import type { Declarations } from './module.js';
import { TestNode, type Hook } from './node.js';
import { declarationOf, isPromise, nothing, TestFailure, type Fn, type HookKind, type Options } from './options.js';
import { TestReport } from './report.js';

export class TestRunner implements ContextActions, Declarations {
  private readonly root: TestNode = new TestNode('', undefined, true, nothing, {});
  /** The file's own life, around its tests. */
  private readonly file: {
    allowed: boolean;
    opening: boolean;
    rootOver: Promise<void> | undefined;
    declared: boolean;
  } = { allowed: false, opening: false, rootOver: undefined, declared: false };
  private waiters: (() => void)[] = [];
  private suiteNow: TestNode | undefined;
  private readonly choice = new Choice(this.root);
  private readonly reports: TestReport;
  private readonly bodies: Bodies;

  constructor(
    reporter: Reporter,
    private readonly stacks: Stacks,
    errors: ErrorReader,
    private readonly place: ConsolePlace,
    private readonly engine: TestEngine,
  ) {
    this.reports = new TestReport(reporter, errors, this.root);
    this.bodies = new Bodies(engine);
  }

  /** What is asked of the tests of this run, before it begins. */
  order(asked: { reuse: { site: number; tests: RawTest[] }[]; alone?: string[] }): void {
    this.choice.order(asked);
  }

  /** Waits until every test that was declared has ended. */
  async finish(): Promise<void> {
    while (!this.idle) await new own.PromiseCopy<void>((resolve) => own.append(this.waiters, resolve));
    if (!this.file.declared && (this.root.hooks.before.length > 0 || this.root.hooks.after.length > 0))
      await this.endRoot();
    await this.file.rootOver;
  }

  private get idle(): boolean {
    return this.root.running.active === 0 && this.root.running.pending.length === 0 && !this.file.opening;
  }

  /**
   * Nothing is left that could go on, and tests have not ended: they never
   * will. Returns false when there was none.
   */
  drain(): boolean {
    if (this.idle) return false;
    const why = new TestFailure('cancelled', 'it never ended: it waits for something that cannot come any more');
    this.closeChildren(this.root, why);
    this.root.running.active = 0;
    this.wake();
    return true;
  }

  /** The program is about to end: what has begun is reported as it is. */
  abandon(): void {
    const visit = (node: TestNode): void => {
      for (let i = 0; i < node.children.length; i++) visit(node.children[i]!);
      if (node !== this.root && !node.state.finished) this.reports.report(node, 'running');
    };
    visit(this.root);
  }

  /** An error nobody took: true when it belongs to a test that runs, which then fails of it. */
  caught(error: unknown): boolean {
    const node = this.engine.scope?.get();
    if (!(node instanceof TestNode) || node === this.root || node.state.finished) return false;
    node.fail(new TestFailure('code', '', { value: error }));
    node.ending.end();
    return true;
  }

  builtin(name: string): Record<string, unknown> {
    return this.engine.builtin?.(name) ?? {};
  }

  private currentNode(): TestNode {
    if (this.suiteNow) return this.suiteNow;
    const node = this.engine.scope?.get();
    return node instanceof TestNode ? node : this.root;
  }

  // ---- declaring ---------------------------------------------------------

  declare(suite: boolean, args: unknown[], preset: Options): Promise<void> {
    const parent = this.currentNode();
    const node = this.create(parent, suite, args, preset);
    // A test with `only` may stand behind the first: the first begins when the code around it has run.
    if (parent.suite && parent !== this.root) return own.PromiseCopy.resolve();
    return this.begin(node);
  }

  private async begin(node: TestNode): Promise<void> {
    if (!this.file.allowed && !this.file.opening) {
      this.file.opening = true;
      own.promiseThen(own.PromiseCopy.resolve(), () => {
        this.file.opening = false;
        this.file.allowed = true;
        void this.nextOf(this.root);
        this.wake();
      });
    }
    await this.start(node);
  }

  private create(parent: TestNode, suite: boolean, args: unknown[], preset: Options): TestNode {
    const { text, body, options } = declarationOf(args);
    const late = parent.state.finished || parent.running.buildOver;
    const under = late ? this.root : parent;
    const node = new TestNode(text, under, suite, body, { ...(options as Options), ...preset });
    if (this.engine.todoInside && under.state.todo) node.state.todo = true;
    this.file.declared = true;
    if (node.options.only) this.choice.anyOnly = true;
    node.reported.site = this.place.test ?? -1;
    this.place.test = -1;
    if (node.reported.site < 0) node.reported.frame = this.stacks.here(20).find((frame) => frame.local);
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

  private aborted(node: TestNode): void {
    const reason: unknown = node.options.signal?.aborted ? node.options.signal.reason : undefined;
    node.cancel(new TestFailure('cancelled', 'it was aborted', reason === undefined ? undefined : { value: reason }));
  }

  private build(node: TestNode): void {
    const outer = this.suiteNow;
    this.suiteNow = node;
    const context = new SuiteContext(node);
    const over = (): void => {
      node.running.buildOver = true;
    };
    const broke = (error: unknown): void => node.fail(new TestFailure('code', '', { value: error }));
    try {
      const result = this.bodies.within(node, () => own.apply(node.fn, context, [context]));
      if (isPromise(result))
        node.running.built = own.promiseThen(own.promiseThen(result, undefined, broke), over, over) as Promise<void>;
      else own.promiseThen(own.PromiseCopy.resolve(), over);
    } catch (error) {
      broke(error);
      over();
    } finally {
      this.suiteNow = outer;
    }
    node.fn = nothing;
  }

  /** A hook for what is being declared. */
  hook(kind: HookKind, fn: Fn, options?: Options): void {
    this.addHook(this.currentNode(), kind, fn, options);
  }

  addHook(node: TestNode, kind: HookKind, fn: Fn, options: Options = {}): void {
    const hook: Hook = { kind, fn: typeof fn === 'function' ? fn : nothing, timeout: options.timeout, ran: undefined };
    if (kind === 'before' && node.state.started === node.state.started) {
      const context = this.contextOf(node);
      void own.promiseThen(this.bodies.runHook(hook, node, context), undefined, (error: unknown) =>
        node.fail(hookFailure(kind, error)),
      );
    }
    if (kind === 'afterEach') node.hooks.afterEach.splice(node.running.ownAfterEach++, 0, hook);
    else own.append(node.hooks[kind], hook);
  }

  start(node: TestNode): Promise<void> {
    const parent = node.parent!;
    if (!this.file.allowed || !parent.hasRoom)
      return new own.PromiseCopy<void>((resolve) => own.append(parent.running.pending, { node, resolve }));
    return this.run(node);
  }

  /** A subtest of a test that runs. */
  subtest(parent: TestNode, args: unknown[], preset: Options = {}): Promise<void> {
    if (parent.state.plan) parent.state.plan.actual++;
    const begun = this.start(this.create(parent, false, args, preset));
    own.append(parent.running.subtests, begun);
    return begun;
  }

  private async nextOf(node: TestNode): Promise<void> {
    while (node.running.pending.length > 0 && node.hasRoom) {
      const next = node.running.pending.shift()!;
      await this.run(next.node);
      next.resolve();
    }
    if (node === this.root && this.idle) {
      void this.endRoot();
      this.wake();
    }
  }

  private run(node: TestNode): Promise<void> {
    const known = this.choice.known(node);
    if (known) return this.reports.repeat(node, known);
    const why = this.choice.whyNot(node);
    if (why !== undefined) {
      node.state.skipped = true;
      node.state.leftOut = why;
      node.state.reason ??= LEFT_OUT[why];
      node.fn = nothing;
    }
    return node.suite ? this.runSuite(node) : this.runTest(node);
  }

  private contextOf(node: TestNode): SuiteContext {
    return node.suite ? new SuiteContext(node) : new TestContext(this, node);
  }

  private async runTest(node: TestNode): Promise<void> {
    const parent = node.parent!;
    parent.running.active++;
    node.state.started = this.engine.now();
    if (node.ending.over) {
      this.end(node);
      return;
    }
    this.reports.report(node, 'running');
    const context = new TestContext(this, node);
    let afterEachRan = false;
    const afterEach = async (): Promise<void> => {
      if (afterEachRan) return;
      afterEachRan = true;
      if (parent.hooks.afterEach.length > 0 && !node.state.skipped)
        await this.bodies.runHooks(parent, 'afterEach', node, context);
    };
    const after = async (): Promise<void> => {
      if (node.hooks.after.length > 0) await this.bodies.runHooks(node, 'after', node, context);
    };
    let limit: Limit | undefined;
    try {
      if (node.options.plan) context.plan(node.options.plan);
      if (parent.hooks.before.length > 0) await this.bodies.runHooks(parent, 'before', parent, this.contextOf(parent));
      if (parent.hooks.beforeEach.length > 0 && !node.state.skipped)
        await this.bodies.runHooks(parent, 'beforeEach', node, context);
      limit = this.bodies.limit(node, node.running.timeout);
      const result = this.bodies.invoke(node.fn, node, context);
      await settled(result, limit.promise);
      if (this.engine.awaitsSubtests) await subtestsOf(node, limit.promise);
      const { plan } = node.state;
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
    node.ending.end();
    this.end(node);
  }

  private async runSuite(node: TestNode): Promise<void> {
    const parent = node.parent!;
    parent.running.active++;
    const context = new SuiteContext(node);
    let limit: Limit | undefined;
    let afterRan = false;
    const after = async (): Promise<void> => {
      if (afterRan) return;
      afterRan = true;
      await this.bodies.runHooks(node, 'after', node, context);
    };
    try {
      if (node.running.built) await node.running.built;
      node.state.started = this.engine.now();
      if (node.ending.over) {
        node.children.length = 0;
        this.end(node);
        return;
      }
      this.reports.report(node, 'running');
      if (parent.hooks.before.length > 0) await this.bodies.runHooks(parent, 'before', parent, this.contextOf(parent));
      await this.bodies.runHooks(node, 'before', node, context);
      limit = this.bodies.limit(node, node.running.timeout);
      const runs: Promise<void>[] = [];
      if (!node.state.skipped && !node.state.failure)
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

  // ---- ending ------------------------------------------------------------

  /** Ends what is unfinished below a node; returns how many of its children failed. */
  private closeChildren(node: TestNode, why?: TestFailure): number {
    node.running.pending.length = 0;
    let failed = 0;
    for (let i = 0; i < node.children.length; i++) {
      const child = node.children[i]!;
      if (!child.state.finished) {
        child.cancel(why);
        this.end(child, why);
      }
      if (!child.state.passed && !child.state.todo) failed++;
    }
    return failed;
  }

  private end(node: TestNode, why?: TestFailure): void {
    if (node.state.finished) return;
    node.state.finished = true;
    node.state.ended = this.engine.now();
    if (node.state.started !== node.state.started) node.state.started = node.state.ended;
    const failed = this.closeChildren(node, why);
    if (node.state.passed && failed > 0)
      node.fail(new TestFailure('subtests', `${failed} of ${node.children.length} in it failed`));
    node.running.mock?.reset();
    this.reports.report(
      node,
      node.state.skipped ? 'skipped' : node.state.todo ? 'todo' : node.state.passed ? 'passed' : 'failed',
    );
    const parent = node.parent!;
    if (parent.running.active > 0) parent.running.active--;
    void this.nextOf(parent);
    if (parent === this.root && this.idle) void this.endRoot();
  }

  private endRoot(): Promise<void> {
    if (!this.file.rootOver || this.root.hooks.after.some((hook) => !hook.ran)) {
      this.file.rootOver = (async () => {
        try {
          if (this.root.children.length === 0)
            await this.bodies.runHooks(this.root, 'before', this.root, new TestContext(this, this.root));
          await this.bodies.runHooks(this.root, 'after', this.root, new TestContext(this, this.root));
        } catch (error) {
          const { thrown } = error as TestFailure;
          this.reports.error(thrown ? thrown.value : error);
        }
        this.wake();
      })();
    }
    return this.file.rootOver;
  }

  private wake(): void {
    if (!this.idle) return;
    const { waiters } = this;
    this.waiters = [];
    for (let i = 0; i < waiters.length; i++) waiters[i]!();
  }
}
