/**
 * Vitest's own code for one file, in the pad's thread: what declares and runs tests (`@vitest/runner`), what expects,
 * and what stands for functions and timers. What it asks of its main process is answered here.
 */
import type { RawError, RawTest } from '../../../../wire/reports.js';
import type { Framework } from '../../../../runtime/tests/framework.js';
import { imported, PATIENCE_MS, putGlobals, type Fn, type FrameworkParts, type Loose } from './parts.js';
import { notingHooks } from './package-calls.js';
import { DeclaringCalls } from './declaring-calls.js';
import { replaceByVi } from './vitest-modules.js';
import { putWorkerState } from './vitest-state.js';

export interface Task {
  type: 'suite' | 'test' | 'custom';
  name: string;
  mode: 'run' | 'skip' | 'only' | 'todo' | 'queued';
  suite?: Task;
  file?: Task;
  filepath?: string;
  tasks?: Task[];
  result?: { state?: string; duration?: number; errors?: Loose[]; note?: string };
}

interface Runner extends Loose {
  config: Loose;
}

interface Running {
  startTests(files: unknown[], runner: Runner): Promise<Task[]>;
  getFn(task: Task): Fn | undefined;
  setFn(task: Task, fn: Fn): void;
  getCurrentSuite(): { tasks: (Task & { suite?: Task })[] };
}

const GIVEN = ['describe', 'it', 'test', 'suite'];
const AS_GLOBALS = [
  ...['describe', 'it', 'test', 'suite', 'expect', 'assert', 'vi', 'vitest', 'chai', 'expectTypeOf', 'assertType'],
  ...['beforeAll', 'afterAll', 'beforeEach', 'afterEach', 'aroundAll', 'aroundEach', 'onTestFailed', 'onTestFinished'],
];

export async function vitestFramework(parts: FrameworkParts): Promise<Framework> {
  const state = putWorkerState(parts.file, parts.settings);
  if (parts.patient) Object.assign(state.config as Loose, { testTimeout: PATIENCE_MS, hookTimeout: PATIENCE_MS });
  const vitest = await imported(parts, 'vitest');
  const running = (await imported(parts, '@vitest/runner')) as unknown as Running;
  const Base = (vitest.TestRunner ?? (await runnerOf(parts))) as new (config: Loose) => Runner;
  const given: Loose = { ...vitest };
  replaceByVi(parts, vitest.vi as never);
  // A suite that is being collected stands for the one that comes of it.
  const collected = new WeakMap<object, number>();
  const calls = new DeclaringCalls(parts.reported, (_made, site) => {
    const { tasks } = running.getCurrentSuite();
    for (const task of tasks.slice(collected.get(tasks) ?? 0)) {
      parts.reported.declared(task, site);
      if ('collect' in task && typeof task.suite === 'object') parts.reported.declared(task.suite, site);
    }
    collected.set(tasks, tasks.length);
  });
  for (const name of GIVEN) if (typeof given[name] === 'function') given[name] = calls.noting(given[name] as Fn);
  const hooked = notingHooks(given);
  const globals: Loose = {};
  // Where the project says nothing, nobody says that there are none.
  if (parts.settings?.config.globals !== false)
    for (const name of AS_GLOBALS) if (hooked[name] !== undefined) globals[name] = hooked[name];
  const { caught, told } = reporting(parts, running);
  return {
    globals: putGlobals(globals),
    get mayRunAgain() {
      return !parts.replacing.reachedPackages;
    },
    modules: { vitest: hooked },
    async run(evaluate) {
      const runner = new Base(state.config as Loose);
      // Spans of its own are for who traces it.
      runner.trace = undefined;
      let problem: { thrown: unknown } | undefined;
      const hooks: Record<string, Fn> = {
        importFile: async (_file: string, source: string) => {
          if (source === 'setup') return;
          try {
            await evaluate();
          } catch (thrown) {
            problem = { thrown };
            throw thrown;
          }
        },
        onBeforeRunTask: told.beforeTask as Fn,
        onTaskFinished: told.task as Fn,
        onAfterRunTask: told.task as Fn,
        onBeforeRunSuite: told.beforeSuite as Fn,
        onAfterRunSuite: told.suite as Fn,
        onTaskUpdate: () => undefined,
        onCollected: (files: readonly Task[]) => {
          const { alone } = parts;
          if (alone) for (const file of files) for (const task of file.tasks ?? []) leaveOut(task, [], alone);
        },
      };
      for (const [name, hook] of Object.entries(hooks)) {
        const before = runner[name];
        runner[name] = async (...args: never[]) => {
          if (name !== 'importFile' && name !== 'onTaskUpdate' && typeof before === 'function')
            await (before as Fn).apply(runner, args);
          return hook(...args);
        };
      }
      const files = await running.startTests([parts.file], runner).catch(async (error: unknown) => {
        if (!/filepath|object/i.test(String(error))) throw error;
        return running.startTests([{ filepath: parts.file, testLocations: undefined }], runner);
      });
      if (problem) throw problem.thrown;
      for (const file of files) told.end(file);
    },
    caught,
  };
}

/** Leaves out what is not asked for; true for a task of which nothing is left. */
function leaveOut(task: Task, around: readonly string[], alone: readonly string[]): boolean {
  const path = [...around, task.name];
  if (alone.every((name, i) => path[i] === name)) return false;
  const left = task.type !== 'suite' || (task.tasks ?? []).map((one) => leaveOut(one, path, alone)).every(Boolean);
  if (left && task.mode !== 'todo') task.mode = 'skip';
  return left;
}

/** Earlier versions give their runner by a module of its own. */
async function runnerOf(parts: FrameworkParts): Promise<unknown> {
  const { from } = parts.packages[0]!;
  const { VitestTestRunner } = (await parts.importer(from)('vitest/runners')) as Loose;
  return VitestTestRunner;
}

function reporting(
  { reported, alone }: FrameworkParts,
  running: Running,
): {
  told: Record<'beforeTask' | 'task' | 'beforeSuite' | 'suite' | 'end', (task: Task) => void>;
  caught(error: unknown): boolean;
} {
  const thrown = new Map<Task, RawError>();
  const wrapped = new WeakSet<Task>();
  let current: Task | undefined;
  const parentOf = ({ suite }: Task): Task | undefined => (suite && suite.filepath === undefined ? suite : undefined);
  const tell = (
    task: Task,
    state: RawTest['state'],
    more: { failure?: RawTest['failure']; error?: RawError | undefined } = {},
  ): void => {
    reported.tell(task, {
      name: task.name,
      parent: parentOf(task),
      suite: task.type === 'suite',
      state,
      ...(task.result?.duration === undefined ? {} : { durationMs: task.result.duration }),
      ...(task.result?.note ? { reason: task.result.note } : {}),
      ...(state === 'skipped' && alone ? { leftOut: 'one-asked' as const } : {}),
      ...more,
    });
  };
  /** Errors are read when they are thrown: Vitest turns what they compare into text. */
  const watch = (task: Task): void => {
    const fn = running.getFn(task);
    if (!fn || wrapped.has(task)) return;
    wrapped.add(task);
    running.setFn(task, (async (...args: never[]) => {
      try {
        await fn(...args);
      } catch (error) {
        thrown.set(task, reported.read(error));
        throw error;
      }
    }) as Fn);
  };
  const finish = (task: Task): void => {
    const state = task.result?.state;
    if (task.mode === 'todo') tell(task, 'todo');
    else if (task.mode === 'skip' || state === 'skip' || state === undefined) tell(task, 'skipped');
    else if (state === 'pass') tell(task, 'passed');
    else if (state === 'fail') {
      const [first] = task.result?.errors ?? [];
      // A suite without an error of its own has failed with what is in it.
      if (task.type === 'suite' && first === undefined) tell(task, 'passed');
      else
        tell(task, 'failed', {
          failure: /^Test timed out in/.test(String(first?.message)) ? 'timeout' : 'code',
          error: thrown.get(task) ?? reported.read(asError(first)),
        });
    }
  };
  return {
    told: {
      beforeTask(task) {
        current = task;
        thrown.delete(task);
        watch(task);
        tell(task, 'running');
      },
      task: finish,
      beforeSuite(task) {
        if (task.filepath === undefined) tell(task, 'running');
      },
      suite(task) {
        if (task.filepath === undefined) finish(task);
      },
      /** All once more, in order: hooks may have changed what a test had come to. */
      end(file) {
        for (const error of file.result?.errors ?? []) reported.failed(asError(error));
        const visit = (task: Task): void => {
          finish(task);
          for (const inner of task.tasks ?? []) visit(inner);
          if (task.type === 'suite') finish(task);
        };
        for (const task of file.tasks ?? []) visit(task);
      },
    },
    caught(error) {
      if (!current?.result || current.result.state !== 'run') return false;
      thrown.set(current, reported.read(error));
      current.result.state = 'fail';
      (current.result.errors ??= []).push(error as Loose);
      return true;
    },
  };
}

/** Vitest keeps errors as plain objects. */
function asError(error: Loose | undefined): unknown {
  if (error === undefined || error instanceof Error) return error;
  const { message = '', name = 'Error', stack, ...rest } = error;
  const made = new Error(String(message as string));
  for (const [key, value] of Object.entries({ ...rest, name, stack: stack ?? made.stack }))
    Object.defineProperty(made, key, { value, writable: true, configurable: true, enumerable: false });
  return made;
}
