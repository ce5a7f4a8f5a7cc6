import { type Carried, statesOf, withBefore, withCarried } from '#dist/record/carried-tests.js';
import type { TestResult } from '#dist/record/record.js';

const FILE = '/canal/tolls.test.js';
const result = (id: number, name: string, line: number, more: Partial<TestResult> = {}): TestResult => ({
  ...{ id, name, line, lastLine: line + 1, parent: -1, path: [], state: 'passed', passed: true, suite: false },
  ...{ file: FILE, durationMs: 1, moment: 1 },
  ...more,
});

const before = [
  result(1, 'tolls', 0, { suite: true, lastLine: 9, state: 'failed', passed: false, failure: 'subtests' }),
  result(2, 'a', 1, { parent: 1, path: ['tolls'] }),
  result(3, 'b', 3, { parent: 1, path: ['tolls'], state: 'failed', passed: false }),
  result(4, 'c', 5, { parent: 1, path: ['tolls'] }),
];
const carried: Carried = { tests: before, first: 3, last: 4, moved: 2 };

describe('results of tests that did not run', () => {
  test('stand where they stand now, and say so; what ran takes its place among them', () => {
    const fresh = [
      result(1, 'tolls', 0, { suite: true, lastLine: 11 }),
      result(2, 'b', 3, { parent: 1, path: ['tolls'] }),
    ];
    const all = withCarried(fresh, carried, FILE);
    expect(all.map(({ name, line, state, reused = false }) => [name, line, state, reused])).toEqual([
      ['tolls', 0, 'passed', true],
      ['a', 1, 'passed', true],
      ['c', 7, 'passed', true],
      ['b', 3, 'passed', false],
    ]);
    // One suite, by whatever number.
    expect(all.find(({ name }) => name === 'b')!.parent).toBe(1);
    expect(new Set(all.map(({ id }) => id)).size).toBe(4);
  });

  test('a suite fails with what is in it now', () => {
    const fresh = [result(9, 'b', 3, { path: ['tolls'], parent: 1, state: 'failed', passed: false })];
    const [suite] = withCarried(fresh, { ...carried, tests: [...before] }, FILE);
    expect(suite!.state).toBe('passed');
    const both = withCarried([result(1, 'tolls', 0, { suite: true }), ...fresh], carried, FILE);
    expect(both[0]).toMatchObject({ name: 'tolls', state: 'failed', reason: '1 in it failed' });
  });
});

test('what a test came to a moment before is told where it differs', () => {
  const now = [result(1, 'a', 0), result(2, 'b', 2, { state: 'failed' }), result(3, 'new', 4)];
  const told = withBefore(now, statesOf([result(7, 'a', 0), result(8, 'b', 2)]));
  expect(told.map(({ notes }) => notes)).toEqual([
    undefined,
    ['it passed a moment before, not all ran anew then'],
    undefined,
  ]);
});
