/** Jasmine's own code for one file, in the pad's thread. */
import type { RawTest } from '../../../../wire/reports.js';
import type { Framework } from '../../../../runtime/tests/framework.js';
import { PATIENCE_MS, putGlobals, required, type Fn, type FrameworkParts, type Loose } from './parts.js';

interface Result {
  id: string;
  description: string;
  fullName: string;
  status?: string;
  duration?: number | null;
  parentSuiteId?: string | null;
  pendingReason?: string;
  failedExpectations?: {
    message: string;
    stack?: string;
    matcherName?: string;
    expected?: unknown;
    actual?: unknown;
  }[];
}

interface Env {
  configure(options: Loose): void;
  addReporter(reporter: Record<string, (result: Result) => void>): void;
  execute(): Promise<unknown>;
}

const DECLARING = ['describe', 'fdescribe', 'xdescribe', 'it', 'fit', 'xit'];

export function jasmineFramework(parts: FrameworkParts): Framework {
  const given = givenBy(required(parts, 'jasmine-core'));
  const env = (given.jasmine as { getEnv(): Env }).getEnv();
  const { alone } = parts;
  if (parts.patient) (given.jasmine as Loose).DEFAULT_TIMEOUT_INTERVAL = PATIENCE_MS;
  env.configure({
    random: false,
    ...(alone
      ? { specFilter: (spec: { getPath(): string[] }) => alone.every((name, i) => spec.getPath()[i] === name) }
      : {}),
  });
  for (const name of DECLARING) {
    const declare = given[name] as Fn;
    given[name] = (...args: never[]): unknown => {
      const site = parts.reported.takeSite();
      const made = declare(...args) as { id?: string } | undefined;
      if (made?.id !== undefined) sites.set(made.id, site);
      return made;
    };
  }
  const sites = new Map<string, number>();
  return {
    globals: putGlobals(given),
    // It has one environment, which keeps the tests of all files.
    mayRunAgain: false,
    modules: {},
    async run(evaluate) {
      await evaluate();
      await new Promise<void>((resolve) => {
        env.addReporter({ ...reporter(parts, sites, resolve) });
        void env.execute();
      });
    },
  };
}

/** What it gives to files; until 4 it was put together by whoever loaded it. */
function givenBy(core: Loose): Loose {
  if (typeof core.noGlobals === 'function') return { ...(core as { noGlobals(): Loose }).noGlobals() };
  const early = core as {
    core(all: Loose): { getEnv(options: Loose): Env };
    interface(jasmine: unknown, env: Env): Loose;
  };
  const jasmine = early.core(core);
  return { ...early.interface(jasmine, jasmine.getEnv({ suppressLoadErrors: true })), jasmine };
}

const STATES: Readonly<Record<string, RawTest['state']>> = {
  passed: 'passed',
  failed: 'failed',
  pending: 'skipped',
  excluded: 'skipped',
};

function reporter(
  { reported, alone }: FrameworkParts,
  sites: ReadonlyMap<string, number>,
  over: () => void,
): Record<string, (result: Result) => void> {
  const known = new Map<string, { id: string }>();
  const around: { id: string }[] = [];
  const keyOf = (id: string): { id: string } => {
    let key = known.get(id);
    if (!key) {
      known.set(id, (key = { id }));
      reported.declared(key, sites.get(id) ?? -1);
    }
    return key;
  };
  const tell = (result: Result, suite: boolean, state: RawTest['state']): void => {
    const [first] = result.failedExpectations ?? [];
    const key = keyOf(result.id);
    reported.tell(key, {
      name: result.description,
      parent: around.filter((at) => at !== key).at(-1),
      suite,
      state,
      durationMs: result.duration ?? 0,
      ...(state === 'failed' && first ? { failure: 'code' as const, error: reported.read(asError(first)) } : {}),
      ...(state === 'skipped' && result.status === 'excluded'
        ? { leftOut: alone ? ('one-asked' as const) : ('only' as const) }
        : {}),
      ...(result.pendingReason ? { reason: result.pendingReason } : {}),
    });
  };
  const stateOf = (result: Result): RawTest['state'] => STATES[result.status ?? 'passed'] ?? 'passed';
  return {
    suiteStarted(result) {
      around.push(keyOf(result.id));
      tell(result, true, 'running');
    },
    suiteDone(result) {
      tell(result, true, stateOf(result));
      around.pop();
    },
    specStarted: (result) => tell(result, false, 'running'),
    specDone: (result) => tell(result, false, stateOf(result)),
    jasmineDone: (result) => {
      for (const one of result.failedExpectations ?? []) reported.failed(asError(one));
      over();
    },
  };
}

/** Jasmine tells of failed expectations as plain objects. */
function asError({
  message,
  stack,
  expected,
  actual,
  matcherName,
}: NonNullable<Result['failedExpectations']>[number]): Error {
  const error = new Error(message);
  if (stack) error.stack = stack;
  if (matcherName === 'toBe' || matcherName === 'toEqual') Object.assign(error, { expected, actual });
  return error;
}
