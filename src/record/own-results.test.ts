import { withOwnResults, type OwnResult } from '#dist/record/own-results.js';
import type { TestResult } from 'usher-anvil/record';

const inPad = (name: string, state: TestResult['state'], more: Partial<TestResult> = {}): TestResult => ({
  id: 1,
  parent: -1,
  name,
  path: ['toll'],
  state,
  file: '/canal/toll.test.js',
  line: 3,
  lastLine: 4,
  durationMs: 1,
  moment: 7,
  suite: false,
  passed: state === 'passed',
  ...more,
});
const own = (name: string, state: OwnResult['state'], message?: string): OwnResult => ({
  path: ['toll'],
  name,
  state,
  durationMs: 2,
  ...(message === undefined ? {} : { message }),
});
const merged = (tests: TestResult[], results: OwnResult[]): ReturnType<typeof withOwnResults> =>
  withOwnResults(tests, results, '/canal/toll.test.js', 'jest', () => 9);

describe('results of the framework’s own run', () => {
  test('that agree leave everything as it is', () => {
    const tests = [
      inPad('a', 'passed'),
      inPad('b', 'failed'),
      inPad('c', 'todo'),
      inPad('toll', 'failed', { suite: true }),
    ];
    const { tests: taken, differing } = merged(tests, [
      own('a', 'passed'),
      own('b', 'failed', 'x'),
      own('c', 'skipped'),
    ]);
    expect(taken).toEqual(tests);
    expect(differing).toBe(0);
  });

  test('that differ stand in the place of the pad’s, which is told', () => {
    const { tests, differing } = merged(
      [inPad('a', 'passed'), inPad('b', 'failed', { failure: 'code', reason: 'why' })],
      [own('a', 'failed', 'expected 2'), own('b', 'passed')],
    );
    expect(differing).toBe(2);
    expect(tests[0]).toMatchObject({ state: 'failed', inPad: 'passed', line: 3, reason: 'it passed in the pad' });
    expect(tests[0]!.error).toMatchObject({ message: 'expected 2', range: { start: { line: 3 } } });
    expect(tests[1]).toMatchObject({ state: 'passed', passed: true, reason: 'it failed in the pad' });
    expect(tests[1]!.failure).toBeUndefined();
  });

  test('that one side alone has are told as such', () => {
    const { tests, differing } = merged([inPad('here', 'passed')], [own('there', 'passed')]);
    expect(differing).toBe(2);
    expect(tests).toMatchObject([
      { name: 'here', onlyInPad: true, reason: 'jest has no such test' },
      { name: 'there', inPad: 'absent', line: 9, reason: 'only jest has it' },
    ]);
  });

  test('of tests with one name are taken in their order', () => {
    const { tests, differing } = merged(
      [inPad('row', 'passed', { id: 1 }), inPad('row', 'passed', { id: 2 })],
      [own('row', 'passed'), own('row', 'failed', 'second')],
    );
    expect(differing).toBe(1);
    expect(tests.map(({ state }) => state)).toEqual(['passed', 'failed']);
  });

  test('are all there is where the pad runs none', () => {
    const { tests, differing } = merged([], [own('a', 'passed'), own('b', 'skipped')]);
    expect(differing).toBe(0);
    expect(tests.map(({ name, inPad: before }) => [name, before])).toEqual([
      ['a', undefined],
      ['b', undefined],
    ]);
  });

  test('a new snapshot, which is not written, is no difference', () => {
    expect(merged([inPad('a', 'passed')], [own('a', 'failed', 'New snapshot was not written. …')]).differing).toBe(0);
  });
});
