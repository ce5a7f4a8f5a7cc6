/**
 * Jest's own code for one file, in the pad's thread: what declares and runs tests (`jest-circus`), what expects, and
 * what stands for functions and timers. So names, order, hooks, tables and messages are Jest's.
 */
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import type { RawError } from '../../../../wire/reports.js';
import type { Framework } from '../../../../runtime/tests/framework.js';
import { DeclaringCalls } from './declaring-calls.js';
import { jestObject } from './jest-object.js';
import { readSnapshots, type Expecting } from './jest-snapshots.js';
import { notingHooks } from './package-calls.js';
import {
  FullNames,
  isAsked,
  PATIENCE_MS,
  putGlobals,
  required,
  type Fn,
  type FrameworkParts,
  type Loose,
} from './parts.js';

interface Block {
  type: 'describeBlock';
  name: string;
  mode?: string;
  parent?: Block;
  children: (Block | Test)[];
}

interface Test {
  type: 'test';
  name: string;
  mode?: string;
  parent: Block;
  errors: unknown[];
  duration?: number | null;
}

interface Event {
  name: string;
  test?: Test;
  describeBlock?: Block;
  error?: unknown;
}

interface State {
  currentDescribeBlock: Block;
  currentlyRunningTest?: Test | null;
  rootDescribeBlock: Block;
  hasFocusedTests: boolean;
  unhandledErrors: unknown[];
  testNamePattern?: FullNames | null;
}

type Handler = (event: Event, state: State) => void;

interface Circus {
  default?: Circus;
  addEventHandler(handler: Handler): void;
  resetState(): void;
  getState(): State;
  run(): Promise<unknown>;
  [name: string]: unknown;
}

const DECLARING = ['describe', 'it', 'test', 'beforeAll', 'afterAll', 'beforeEach', 'afterEach'];

export function jestFramework(parts: FrameworkParts): Framework {
  const circus = circusOf(parts);
  const jestExpect = expectOf(parts);
  circus.resetState();
  const state = circus.getState();
  const chosen = new FullNames();
  if (parts.alone) state.testNamePattern = chosen;
  readSnapshots(parts, jestExpect);
  const calls = new DeclaringCalls(parts.reported);
  handle(circus, [expecting(jestExpect), reporting(parts, circus, calls)]);
  const given = Object.fromEntries(DECLARING.map((name) => [name, calls.noting(circus[name] as Fn)])) as Record<
    string,
    Loose & Fn
  >;
  const { describe, it } = given as unknown as { describe: Loose; it: Loose };
  const { jest, end } = jestObject(parts, circus.getState as unknown as () => Loose);
  takeSettings(parts, circus, jest);
  const globals: Loose = {
    ...notingHooks(given),
    ...{ fdescribe: describe.only, xdescribe: describe.skip, fit: it.only, xit: it.skip, xtest: it.skip },
    expect: jestExpect,
    jest,
  };
  return {
    globals: putGlobals(globals),
    get mayRunAgain() {
      return !parts.replacing.reachedPackages;
    },
    modules: { '@jest/globals': globals },
    async run(evaluate) {
      try {
        await evaluate();
        if (parts.alone) choose(circus.getState().rootDescribeBlock, parts.alone, chosen);
        await circus.run();
        for (const error of circus.getState().unhandledErrors) parts.reported.failed(thrownOf(error));
      } finally {
        end();
      }
    },
    caught(error) {
      const test = circus.getState().currentlyRunningTest;
      test?.errors.push(error);
      return test !== null && test !== undefined;
    },
  };
}

/** What the project's settings ask of each file. */
function takeSettings({ settings, patient }: FrameworkParts, circus: Circus, jest: Loose): void {
  const { config = {} } = settings ?? {};
  if (typeof config.testTimeout === 'number') (circus.getState() as unknown as Loose).testTimeout = config.testTimeout;
  if (patient) (circus.getState() as unknown as Loose).testTimeout = PATIENCE_MS;
  const { fakeTimers } = config as { fakeTimers?: { enableGlobally?: boolean } };
  if (fakeTimers?.enableGlobally) (jest.useFakeTimers as Fn)();
  const before = [
    ['resetModules', 'resetModules'],
    ['clearMocks', 'clearAllMocks'],
    ['resetMocks', 'resetAllMocks'],
    ['restoreMocks', 'restoreAllMocks'],
  ].flatMap(([asked, does]) => (config[asked!] === true ? [jest[does!] as () => void] : []));
  if (before.length > 0)
    (circus.beforeEach as (hook: () => void) => void)(() => {
      for (const does of before) does();
    });
}

function choose(block: Block, alone: readonly string[], chosen: FullNames): void {
  for (const child of block.children) {
    if (child.type === 'describeBlock') choose(child, alone, chosen);
    else if (isAsked<Block | Test>(child, ({ name }) => name, alone)) chosen.add(fullName(child));
  }
}

/** Handlers of the newest run in this thread. */
const passing: { handlers: Handler[] } = { handlers: [] };

/** Not every version lets a handler be taken away: one is there for good, and passes on. */
function handle(circus: Circus, handlers: Handler[]): void {
  if (passing.handlers.length === 0)
    circus.addEventHandler((event, state) => {
      for (const handler of passing.handlers) handler(event, state);
    });
  passing.handlers = handlers;
}

/** Until 29, handlers of events are added by a file that the package does not name. */
function circusOf(parts: FrameworkParts): Circus {
  const circus = required(parts, 'jest-circus') as unknown as Circus;
  if (typeof circus.addEventHandler === 'function') return circus;
  const { from } = parts.packages.find(({ specifier }) => specifier === 'jest-circus')!;
  const require = createRequire(from);
  const state = require(join(dirname(require.resolve('jest-circus')), 'state.js')) as Circus;
  return { ...circus, addEventHandler: state.addEventHandler, getState: state.getState, resetState: state.resetState };
}

/** What expects; until 27 it was put together of its parts. */
function expectOf(parts: FrameworkParts): Expecting {
  if (parts.packages.some(({ specifier }) => specifier === '@jest/expect'))
    return (required(parts, '@jest/expect') as { jestExpect: Expecting }).jestExpect;
  const given = required(parts, 'expect');
  const expect = (given.default ?? given) as Expecting & {
    extend(matchers: Loose): void;
    addSnapshotSerializer: unknown;
  };
  const snapshot = required(parts, 'jest-snapshot');
  const names = [
    'toMatchSnapshot',
    'toMatchInlineSnapshot',
    'toThrowErrorMatchingSnapshot',
    'toThrowErrorMatchingInlineSnapshot',
  ];
  expect.extend(Object.fromEntries(names.map((name) => [name, snapshot[name]])));
  expect.addSnapshotSerializer = snapshot.addSerializer;
  return expect;
}

/** What expects is told of each test, and asked for what it still has to say. */
function expecting(expect: Expecting): (event: Event) => void {
  return ({ name, test }) => {
    if (name === 'test_start')
      expect.setState({ currentTestName: fullName(test!), testFailing: (test as never as Loose).failing });
    if (name !== 'test_done') return;
    const { suppressedErrors } = expect.getState() as { suppressedErrors?: unknown[] };
    expect.setState({ suppressedErrors: [] });
    if (suppressedErrors?.length) test!.errors.push(...suppressedErrors);
    for (const { error } of expect.extractExpectedAssertionsErrors()) test!.errors.push(error);
  };
}

function fullName(node: Block | Test): string {
  const names: string[] = [];
  for (let at: Block | Test | undefined = node; at?.parent; at = at.parent) names.unshift(at.name);
  return names.join(' ');
}

/** An error as it was thrown; beside it stands one with the place of the declaration. */
function thrownOf(error: unknown): unknown {
  if (!Array.isArray(error)) return error;
  const [thrown, place] = error as [unknown, unknown];
  return thrown ?? place;
}

function failureOf(error: RawError | undefined): 'code' | 'timeout' {
  return error?.message.startsWith('Exceeded timeout of') ? 'timeout' : 'code';
}

function reporting(
  { reported }: FrameworkParts,
  circus: Circus,
  calls: DeclaringCalls,
): (event: Event, state: State) => void {
  const thrown = new Map<object, RawError>();
  const parentOf = (node: Block | Test): Block | undefined => (node.parent?.parent ? node.parent : undefined);
  const note = (node: object, error: unknown): void => {
    if (!thrown.has(node)) thrown.set(node, reported.read(thrownOf(error)));
  };
  const left = (test: Test, state: State): 'only' | 'one-asked' | undefined =>
    state.testNamePattern && !state.testNamePattern.test(fullName(test))
      ? 'one-asked'
      : state.hasFocusedTests && test.mode === undefined
        ? 'only'
        : undefined;
  const end = (test: Test, state: State, how: 'passed' | 'failed' | 'skipped' | 'todo'): void => {
    const leftOut = how === 'skipped' ? left(test, state) : undefined;
    reported.tell(test, {
      name: test.name,
      parent: parentOf(test),
      suite: false,
      state: how,
      durationMs: test.duration ?? 0,
      ...(how === 'failed' ? { failure: failureOf(thrown.get(test)), error: thrown.get(test) } : {}),
      ...(leftOut ? { leftOut } : {}),
    });
  };
  const block = (at: Block, state: 'running' | 'passed'): void => {
    if (at.parent) reported.tell(at, { name: at.name, parent: parentOf(at), suite: true, state });
  };
  return (event, state) => {
    const { test, describeBlock } = event;
    switch (event.name) {
      case 'start_describe_definition':
        reported.declared(circus.getState().currentDescribeBlock, calls.current);
        break;
      case 'add_test': {
        const added = state.currentDescribeBlock.children.at(-1);
        if (added?.type === 'test') reported.declared(added, calls.current);
        break;
      }
      case 'run_describe_start':
        block(describeBlock!, 'running');
        break;
      case 'run_describe_finish':
        block(describeBlock!, 'passed');
        break;
      case 'test_start':
        thrown.delete(test!);
        reported.tell(test!, { name: test!.name, parent: parentOf(test!), suite: false, state: 'running' });
        break;
      case 'test_fn_failure':
      case 'hook_failure':
        if (test) note(test, event.error);
        break;
      case 'test_skip':
        end(test!, state, 'skipped');
        break;
      case 'test_todo':
        end(test!, state, 'todo');
        break;
      case 'test_done':
        if (test!.errors.length > 0) note(test!, test!.errors[0]);
        end(test!, state, test!.errors.length > 0 ? 'failed' : 'passed');
        break;
    }
  };
}
