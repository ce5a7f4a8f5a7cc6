/** Results of tests that did not run: those of the run before stand in their place. */
import type { TestResult } from './record.js';

export interface Carried {
  /** Of the run before. */
  tests: readonly TestResult[];
  /** Zero-based lines there of what has run anew. */
  first: number;
  last: number;
  /** By how many lines all behind it has moved since. */
  moved: number;
}

/**
 * The results of a run of a few tests among those of the run before.
 *
 * @param fresh results of this run
 * @param file the pad
 */
export function withCarried(fresh: readonly TestResult[], carried: Carried, file: string): TestResult[] {
  const { first, last, moved } = carried;
  const isAnew = (test: TestResult): boolean => test.file === file && test.line >= first && test.line <= last;
  const kept = carried.tests
    .filter((test) => !isAnew(test))
    .map((test): TestResult => shifted(test, test.file === file ? moved : 0, last));
  const suites = new Map(kept.filter((test) => test.suite).map((test) => [keyOf(test), test.id]));
  let next = Math.max(0, ...carried.tests.map(({ id }) => id));
  const ids = new Map<number, number>();
  const added: TestResult[] = [];
  for (const test of fresh) {
    const known = test.suite ? suites.get(keyOf(test)) : undefined;
    ids.set(test.id, known ?? ++next);
    if (known === undefined) added.push(test);
  }
  const all = [
    ...kept,
    ...added.map((test): TestResult => ({ ...test, id: ids.get(test.id)!, parent: ids.get(test.parent) ?? -1 })),
  ];
  return withSuites(all);
}

function keyOf({ path, name }: TestResult): string {
  return [...path, name].join('\u0000');
}

function shifted(test: TestResult, moved: number, last: number): TestResult {
  if (moved === 0 && test.reused) return test;
  const by = (line: number): number => (line > last ? line + moved : line);
  const carried: TestResult = { ...test, line: by(test.line), lastLine: by(test.lastLine), reused: true };
  // Where it stood when it failed is known for the text from before.
  if (moved !== 0 && test.error && test.line > last) {
    const { range } = test.error;
    const line = (at: { line: number; character: number }): typeof at => ({ ...at, line: by(at.line) });
    carried.error = { ...test.error, range: { start: line(range.start), end: line(range.end) } };
  }
  return carried;
}

/** Suites have failed with what is in them now. */
function withSuites(tests: readonly TestResult[]): TestResult[] {
  const failed = new Map<number, number>();
  const parents = new Map(tests.map((test) => [test.id, test.parent]));
  for (const test of tests)
    if (!test.suite && test.state === 'failed')
      for (let at = test.parent; at >= 0; at = parents.get(at) ?? -1) failed.set(at, (failed.get(at) ?? 0) + 1);
  return tests.map((test) => {
    if (!test.suite || (test.state === 'failed' && test.failure !== 'subtests')) return test;
    const count = failed.get(test.id) ?? 0;
    if (count > 0)
      return { ...test, state: 'failed', passed: false, failure: 'subtests', reason: `${count} in it failed` };
    if (test.state !== 'failed') return test;
    const { failure, reason, error, ...rest } = test;
    void [failure, reason, error];
    return { ...rest, state: 'passed', passed: true };
  });
}

/** What each test had come to in a run before, by its name. */
export type Before = ReadonlyMap<string, TestResult['state']>;

export function statesOf(tests: readonly TestResult[]): Before {
  return new Map(tests.filter((test) => !test.suite).map((test) => [keyOf(test), test.state]));
}

const WORDS: Readonly<Record<TestResult['state'], string>> = {
  passed: 'passed',
  failed: 'failed',
  skipped: 'was skipped',
  todo: 'was to do',
  running: 'did not end',
};

/** Says of each test that came to something else in the run before, whose text was the same. */
export function withBefore(tests: readonly TestResult[], before: Before): TestResult[] {
  return tests.map((test) => {
    const then = test.suite ? undefined : before.get(keyOf(test));
    if (then === undefined || then === test.state || test.state === 'running' || then === 'running') return test;
    return { ...test, notes: [...(test.notes ?? []), `it ${WORDS[then]} a moment before, not all ran anew then`] };
  });
}
