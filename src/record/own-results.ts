/** What the project's own test framework says of the tests of a pad, beside what the pad's run of them had come to. */
import type { RecordError, TestResult } from './record.js';

/** One test as the framework's own run has it. */
export interface OwnResult {
  /** Names of the suites around it, outermost first. */
  path: string[];
  name: string;
  state: 'passed' | 'failed' | 'skipped' | 'todo';
  durationMs: number;
  /** What a failure says. */
  message?: string;
}

const IN_PAD: Readonly<Record<TestResult['state'], string>> = {
  passed: 'it passed',
  failed: 'it failed',
  skipped: 'it was skipped',
  todo: 'it was to do',
  running: 'it did not end',
};

/** The framework tells of these alike: tests without a body, and tests that are left out. */
const LEFT = new Set(['skipped', 'todo']);

/**
 * Puts the results of the framework's own run in the place of those that differ, and adds those that are missing.
 *
 * @param file the pad; @param lineOf the line on which a test of a name seems to be declared
 */
export function withOwnResults(
  tests: readonly TestResult[],
  results: readonly OwnResult[],
  file: string,
  framework: string,
  lineOf: (name: string) => number,
): { tests: TestResult[]; differing: number } {
  const waiting = new Map<string, OwnResult[]>();
  for (const result of results) {
    const key = keyOf(result);
    waiting.set(key, [...(waiting.get(key) ?? []), result]);
  }
  let differing = 0;
  const taken: TestResult[] = [];
  for (const test of tests) {
    const own = test.suite ? undefined : waiting.get(keyOf(test))?.shift();
    if (test.suite || (own && isSame(test, own))) taken.push(test);
    else if (own) {
      differing++;
      const reason = `${IN_PAD[test.state]} in the pad`;
      taken.push({ ...withoutFailure(test), ...outcomeOf(own, test), inPad: test.state, reason });
    } else if (LEFT.has(test.state)) taken.push(test);
    else {
      // The framework knows no such test: it stands as the pad has it, and says so.
      differing++;
      taken.push({ ...test, onlyInPad: true, reason: `${framework} has no such test` });
    }
  }
  let id = Math.max(0, ...tests.map((test) => test.id));
  const isInstead = tests.length === 0;
  for (const list of waiting.values())
    for (const own of list) {
      if (!isInstead && !LEFT.has(own.state)) differing++;
      const line = lineOf(own.name);
      const place = { id: ++id, parent: -1, name: own.name, path: own.path, file, line, lastLine: line, moment: 0 };
      const base: TestResult = { ...place, suite: false, state: own.state, passed: false, durationMs: own.durationMs };
      taken.push({
        ...base,
        ...outcomeOf(own, base),
        ...(isInstead ? {} : { inPad: 'absent' as const, reason: `only ${framework} has it` }),
      });
    }
  return { tests: taken, differing };
}

function keyOf({ path, name }: { path: readonly string[]; name: string }): string {
  return [...path, name].join('\u0000');
}

function isSame(test: TestResult, own: OwnResult): boolean {
  if (test.state === own.state || (LEFT.has(test.state) && LEFT.has(own.state))) return true;
  // Snapshots are never written by us, so one that is new has failed there.
  return test.state === 'passed' && /New snapshot was not written|^Snapshot `.*` mismatched/.test(own.message ?? '');
}

function withoutFailure(test: TestResult): TestResult {
  const rest = { ...test };
  delete rest.error;
  delete rest.failure;
  delete rest.reason;
  delete rest.leftOut;
  return rest;
}

function outcomeOf(own: OwnResult, { file, line }: TestResult): Partial<TestResult> {
  const at = { line, character: 0 };
  const error: RecordError = {
    kind: 'thrown',
    moment: 0,
    name: '',
    message: own.message ?? 'it failed',
    file,
    range: { start: at, end: at },
    frames: [],
  };
  return {
    state: own.state,
    passed: own.state === 'passed',
    durationMs: own.durationMs,
    ...(own.state === 'failed' ? { failure: 'code' as const, error } : {}),
  };
}
