/** Mocha's own code for one file, in the pad's thread: what declares tests, and its runner. */
import type { RawTest } from '../../../../wire/reports.js';
import type { Framework } from '../../../../runtime/tests/framework.js';
import { DeclaringCalls } from './declaring-calls.js';
import { mochaOptions } from './mocha-options.js';
import { FullNames, isAsked, required, type Fn, type FrameworkParts, type Loose } from './parts.js';

interface Runnable {
  title: string;
  parent?: Suite;
  type: 'test' | 'hook';
  state?: string;
  duration?: number;
  pending?: boolean;
  root?: boolean;
  timedOut?: boolean;
  fullTitle(): string;
}

interface Suite {
  title: string;
  parent?: Suite;
  root: boolean;
  suites: Suite[];
  tests: Runnable[];
  emit(event: string, ...args: unknown[]): void;
}

interface Mocha {
  suite: Suite;
  options: Loose;
  run(done: (failures: number) => void): Events;
  dispose?(): void;
}

interface Events {
  on(event: string, listener: (one: never, error: unknown) => void): Events;
}

/** Globals that declare, in any of the ways that Mocha has. */
const DECLARING = ['describe', 'context', 'xdescribe', 'xcontext', 'it', 'specify', 'xit', 'xspecify', 'suite', 'test'];

export function mochaFramework(parts: FrameworkParts): Framework {
  const given = required(parts, 'mocha');
  const Mocha = (given.default ?? given) as (new (options: Loose) => Mocha) & Loose;
  const { require: before, ...options } = mochaOptions(parts);
  const mocha = new Mocha({
    ...options,
    ...(parts.patient ? { timeout: 0 } : {}),
    reporter: silent,
    allowUncaught: false,
  });
  const chosen = new FullNames();
  if (parts.alone) mocha.options.grep = chosen;
  const known = new Set(Object.keys(globalThis));
  mocha.suite.emit('pre-require', globalThis, parts.file, mocha);
  const globals = Object.keys(globalThis).filter((name) => !known.has(name));
  // Mocha forgets the bodies of tests that it skips: without one they are to do.
  const withBody = new WeakSet<object>();
  const calls = new DeclaringCalls(parts.reported, (made, site, hasBody) => {
    if (typeof made !== 'object' || made === null) return;
    parts.reported.declared(made, site);
    if (hasBody) withBody.add(made);
  });
  const global = globalThis as Loose;
  for (const name of DECLARING) if (typeof global[name] === 'function') global[name] = calls.noting(global[name] as Fn);
  const modules: Loose = { ...Mocha, default: Mocha };
  for (const name of [...DECLARING, 'before', 'after', 'beforeEach', 'afterEach', 'setup', 'teardown'])
    if (name in global) modules[name] = global[name];
  return {
    globals,
    mayRunAgain: mocha.dispose !== undefined,
    modules: { mocha: modules },
    async run(evaluate) {
      for (const load of before) await load();
      await evaluate();
      mocha.suite.emit('require', null, parts.file, mocha);
      mocha.suite.emit('post-require', globalThis, parts.file, mocha);
      if (parts.alone) choose(mocha.suite, parts.alone, chosen);
      await new Promise<void>((resolve) => {
        const done = (): void => resolve();
        report(mocha.run(done), mocha, parts, withBody);
      });
      mocha.dispose?.();
    },
  };
}

function choose(suite: Suite, alone: readonly string[], chosen: FullNames): void {
  for (const test of suite.tests)
    if (isAsked<Runnable | Suite>(test, ({ title }) => title, alone)) chosen.add(test.fullTitle());
  for (const inner of suite.suites) choose(inner, alone, chosen);
}

/** A reporter that says nothing: what it would say is in the record. */
function silent(): void {
  // Nothing is printed.
}

function report(runner: Events, mocha: Mocha, { reported, alone }: FrameworkParts, withBody: WeakSet<object>): void {
  const ended = new Set<object>();
  const begun = new Set<Suite>();
  const parentOf = (one: Runnable | Suite): Suite | undefined =>
    one.parent && !one.parent.root ? one.parent : undefined;
  const tell = (test: Runnable, state: RawTest['state'], error?: unknown, failure?: RawTest['failure']): void => {
    const thrown = error === undefined ? undefined : reported.read(error);
    reported.tell(test, {
      name: test.title,
      parent: parentOf(test),
      suite: false,
      state,
      ...(test.duration === undefined ? {} : { durationMs: test.duration }),
      ...(thrown ? { error: thrown } : {}),
      ...(failure ? { failure } : {}),
    });
  };
  const suite = (at: Suite, state: RawTest['state']): void => {
    if (at.root) return;
    begun.add(at);
    reported.tell(at, { name: at.title, parent: parentOf(at), suite: true, state });
  };
  runner
    .on('suite', (at: Suite) => suite(at, 'running'))
    .on('suite end', (at: Suite) => {
      if (begun.has(at)) suite(at, 'passed');
    })
    .on('test', (test: Runnable) => tell(test, 'running'))
    .on('pass', (test: Runnable) => {
      ended.add(test);
      tell(test, 'passed');
    })
    .on('pending', (test: Runnable) => {
      ended.add(test);
      tell(test, withBody.has(test) ? 'skipped' : 'todo');
    })
    .on('fail', (one: Runnable, error) => {
      if (one.type === 'hook') {
        // A hook that fails ends its suite: Mocha tells it in place of the tests that do not run.
        tell(one, 'failed', error, 'hook');
        return;
      }
      ended.add(one);
      tell(one, 'failed', error, one.timedOut ? 'timeout' : 'code');
    })
    .on('end', () => {
      if (alone) leaveOut(mocha.suite);
    });
  const leaveOut = (at: Suite): void => {
    for (const test of at.tests)
      if (!ended.has(test))
        reported.tell(test, {
          name: test.title,
          parent: parentOf(test),
          suite: false,
          state: 'skipped',
          leftOut: 'one-asked',
          reason: 'another test runs alone',
        });
    for (const inner of at.suites) {
      if (!begun.has(inner)) suite(inner, 'passed');
      leaveOut(inner);
    }
  };
}
