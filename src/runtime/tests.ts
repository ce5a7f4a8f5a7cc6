/**
 * The runner behind `node:test` in a pad: tests run in the order in which they
 * were written, one after the other, after the code around them has run.
 */
import * as own from './originals.js';
import type { ErrorReader } from './errors.js';
import type { Reporter } from './reporter.js';
import type { Stacks } from './stacks.js';
import type { RawError, RawFrame, RawTest } from './wire.js';

type Fn = (context: unknown, done?: (error?: unknown) => void) => unknown;
interface Options {
  skip?: boolean | string;
  todo?: boolean | string;
  only?: boolean;
  timeout?: number;
}

interface Node {
  id: number;
  name: string;
  parent: Node | undefined;
  suite: boolean;
  fn: Fn | undefined;
  options: Options;
  frame: RawFrame | undefined;
  children: Node[];
  hooks: Record<'before' | 'after' | 'beforeEach' | 'afterEach', Fn[]>;
  resolve: (() => void) | undefined;
  failed: boolean;
}

export class TestRunner {
  private readonly root: Node = this.node('', undefined, true, undefined, {});
  private current: Node = this.root;
  private ids = 0;
  private queue: Promise<void> | undefined;
  private readonly started: Node[] = [];

  constructor(
    private readonly reporter: Reporter,
    private readonly stacks: Stacks,
    private readonly errors: ErrorReader,
    private readonly now: () => number,
  ) {}

  private node(name: string, parent: Node | undefined, suite: boolean, fn: Fn | undefined, options: Options): Node {
    return {
      id: this.ids++ || 0,
      name,
      parent,
      suite,
      fn,
      options,
      frame: undefined,
      children: [],
      hooks: { before: [], after: [], beforeEach: [], afterEach: [] },
      resolve: undefined,
      failed: false,
    };
  }

  /** The module that a pad gets for `node:test`. */
  face(): Record<string, unknown> {
    const declare =
      (suite: boolean, preset: Options) =>
      (...args: unknown[]): Promise<void> =>
        this.declare(suite, args, preset);
    const verb = (suite: boolean): Record<string, unknown> => {
      const call = declare(suite, {});
      return Object.assign(call, {
        skip: declare(suite, { skip: true }),
        todo: declare(suite, { todo: true }),
        only: declare(suite, { only: true }),
      }) as unknown as Record<string, unknown>;
    };
    const hook = (kind: keyof Node['hooks']) => (fn: Fn) => own.append(this.current.hooks[kind], fn);
    const test = verb(false);
    const describe = verb(true);
    const face: Record<string, unknown> = {
      test,
      it: test,
      describe,
      suite: describe,
      before: hook('before'),
      after: hook('after'),
      beforeEach: hook('beforeEach'),
      afterEach: hook('afterEach'),
    };
    Object.assign(test, face);
    return { ...face, default: test };
  }

  /** True while a test has not ended. */
  get pending(): boolean {
    return this.queue !== undefined;
  }

  /** Waits until every test that was declared has ended. */
  async finish(): Promise<void> {
    while (this.queue !== undefined) await this.queue;
  }

  private declare(suite: boolean, args: unknown[], preset: Options): Promise<void> {
    const name = args.find((argument) => typeof argument === 'string');
    const fn = args.find((argument) => typeof argument === 'function') as Fn | undefined;
    const options = args.find((argument) => typeof argument === 'object' && argument !== null) as Options | undefined;
    const parent = this.current;
    const node = this.node(typeof name === 'string' ? name : (fn as { name?: string } | undefined)?.name || '(anonymous)', parent, suite, fn, {
      ...options,
      ...preset,
    });
    node.frame = this.stacks.here(20).find((frame) => frame.local);
    own.append(parent.children, node);
    if (suite) {
      this.current = node;
      try {
        const result = fn?.(undefined);
        if (isPromise(result)) node.fn = () => result;
        else node.fn = undefined;
      } catch (error) {
        node.fn = () => {
          throw error;
        };
      } finally {
        this.current = parent;
      }
    }
    const done = new own.PromiseCopy<void>((resolve) => (node.resolve = resolve));
    if (parent === this.root) this.schedule();
    return done;
  }

  private schedule(): void {
    this.queue ??= (async () => {
      await undefined;
      // More may be declared while these run.
      for (let i = 0; i < this.root.children.length; i++) {
        const node = this.root.children[i]!;
        if (this.started.includes(node)) continue;
        own.append(this.started, node);
        if (i === 0) await this.hooks(this.root, 'before');
        await this.run(node);
      }
      await this.hooks(this.root, 'after');
      this.queue = undefined;
    })();
  }

  private async hooks(node: Node, kind: keyof Node['hooks']): Promise<void> {
    for (const fn of node.hooks[kind]) await fn(undefined);
  }

  private async run(node: Node): Promise<void> {
    const { options } = node;
    const start = this.now();
    const only = this.root.children.some(hasOnly);
    if (options.skip || (only && !inOnly(node))) {
      this.report(node, 'skipped', 0);
      node.resolve?.();
      return;
    }
    this.report(node, 'running', 0);
    let error: RawError | undefined;
    let skipped = false;
    const previous = this.current;
    try {
      if (!node.suite && node.parent) for (const ancestor of ancestors(node.parent)) await this.hooks(ancestor, 'beforeEach');
      if (node.suite) await this.hooks(node, 'before');
      if (node.fn) {
        this.current = node;
        const result = this.call(node, (reason) => (skipped = reason));
        this.current = previous;
        if (isPromise(result)) await this.limited(result, options.timeout);
      }
      for (let i = 0; i < node.children.length; i++) {
        const child = node.children[i]!;
        if (this.started.includes(child)) continue;
        own.append(this.started, child);
        await this.run(child);
      }
      if (node.children.some((child) => child.failed)) node.failed = true;
      if (node.suite || node.hooks.after.length > 0) await this.hooks(node, 'after');
    } catch (thrown) {
      error = this.errors.read(thrown, 'thrown', ++this.reporter.clock);
    } finally {
      this.current = previous;
    }
    try {
      if (!node.suite && node.parent) for (const ancestor of ancestors(node.parent)) await this.hooks(ancestor, 'afterEach');
    } catch (thrown) {
      error ??= this.errors.read(thrown, 'thrown', ++this.reporter.clock);
    }
    if (error && !options.todo) node.failed = true;
    this.report(node, skipped ? 'skipped' : options.todo ? 'todo' : node.failed ? 'failed' : 'passed', this.now() - start, error);
    node.resolve?.();
  }

  private call(node: Node, skip: (skipped: boolean) => void): unknown {
    const context = {
      name: node.name,
      diagnostic: () => undefined,
      skip: () => skip(true),
      todo: () => (node.options.todo = true),
      before: (fn: Fn) => own.append(node.hooks.before, fn),
      after: (fn: Fn) => own.append(node.hooks.after, fn),
      beforeEach: (fn: Fn) => own.append(node.hooks.beforeEach, fn),
      afterEach: (fn: Fn) => own.append(node.hooks.afterEach, fn),
      test: async (...args: unknown[]): Promise<void> => {
        const outer = this.current;
        this.current = node;
        void this.declare(false, args, {});
        this.current = outer;
        const child = node.children[node.children.length - 1]!;
        own.append(this.started, child);
        await this.run(child);
      },
    };
    const fn = node.fn!;
    if (fn.length < 2 || node.suite) return fn(context);
    return new own.PromiseCopy<void>((resolve, reject) => {
      const result = fn(context, (error) => (error ? reject(error as Error) : resolve()));
      if (isPromise(result)) reject(new own.ErrorCopy('the test takes a callback and returns a promise: it must do one of them'));
    });
  }

  private async limited(work: Promise<unknown>, timeout: number | undefined): Promise<void> {
    const timer = globalThis as unknown as { setTimeout?: (fn: () => void, ms: number) => unknown; clearTimeout?: (id: unknown) => void };
    if (timeout === undefined || timeout === Infinity || !timer.setTimeout) {
      await work;
      return;
    }
    let id: unknown;
    const limit = new own.PromiseCopy(
      (_resolve, reject) => (id = timer.setTimeout!(() => reject(new own.ErrorCopy(`the test did not end within ${timeout} ms`)), timeout)),
    );
    try {
      await own.PromiseCopy.race([work, limit]);
    } finally {
      timer.clearTimeout?.(id);
    }
  }

  private report(node: Node, state: RawTest['state'], durationMs: number, error?: RawError): void {
    const path: string[] = [];
    for (let at = node.parent; at && at !== this.root; at = at.parent) path.unshift(at.name);
    this.reporter.addTest({
      moment: ++this.reporter.clock,
      id: node.id,
      parent: node.parent && node.parent !== this.root ? node.parent.id : -1,
      name: node.name,
      path,
      state,
      durationMs,
      suite: node.suite,
      ...(node.frame ? { frame: node.frame } : {}),
      ...(error ? { error } : {}),
    });
  }
}

function ancestors(node: Node): Node[] {
  const list: Node[] = [];
  for (let at: Node | undefined = node; at; at = at.parent) list.unshift(at);
  return list;
}

function hasOnly(node: Node): boolean {
  return node.options.only === true || node.children.some(hasOnly);
}

function inOnly(node: Node): boolean {
  for (let at: Node | undefined = node; at; at = at.parent) if (at.options.only) return true;
  return hasOnly(node);
}

function isPromise(value: unknown): value is Promise<unknown> {
  return typeof value === 'object' && value !== null && typeof (value as { then?: unknown }).then === 'function';
}
