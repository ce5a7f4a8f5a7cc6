import type { PadRecord, TestResult } from '#dist/record/record.js';
import { isQuick, QuickTests } from '#dist/session/quick-tests.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';

const TEXT = `import { test, describe, beforeEach, expect } from 'vitest'
let due = 0
describe('tolls', () => {
  beforeEach(() => { due = 4 })
${Array.from({ length: 150 }, (_, i) => `  test('boat ${i}', () => {\n    expect(due).toBe(${i})\n  })`).join('\n')}
})
describe('others', () => { test('a', () => {}) })
const after = 1
test('last', () => {})
`;

function quick(text = TEXT, more: Partial<PadRecord> = {}): QuickTests {
  const tests = Array.from({ length: 152 }, (_, id) => ({ id }) as TestResult);
  const parsed = parse(text, { file: 'tolls.test.js' });
  const made = new QuickTests();
  const record = { tests, errors: [], ...more } as unknown as PadRecord;
  made.take(record, { text, outline: outlineOf(parsed) });
  return made;
}

const edited = (from: string, to: string, text = TEXT): string => text.replace(from, to);

describe('an edit inside of one of many tests', () => {
  test('runs that test and what stands around it, each at its place', () => {
    const text = edited('expect(due).toBe(70)', 'expect(due).toBe(70 + 1)\n    // more');
    const found = quick().of(text)!;
    expect(found.text.length).toBe(text.length);
    for (const kept of [
      'import { test',
      'let due = 0',
      "describe('tolls'",
      'beforeEach',
      'toBe(70 + 1)',
      'const after',
    ])
      expect(found.text.indexOf(kept)).toBe(text.indexOf(kept));
    for (const left of ["'boat 69'", "'boat 71'", "describe('others'", "'last'"])
      expect(found.text).not.toContain(left);
    expect(found.text.split('\n')).toHaveLength(text.split('\n').length);
    expect(parse(found.text, { file: 'tolls.test.js' }).problems).toEqual([]);
    const line = TEXT.slice(0, TEXT.indexOf("test('boat 70'")).split('\n').length - 1;
    expect(found.carried).toMatchObject({ first: line, last: line + 2, moved: 1 });
  });

  test.each<[string, string]>([
    ['what stands between tests', edited('let due = 0', 'let due = 1')],
    ['a hook', edited('due = 4', 'due = 5')],
    ['the name of a suite', edited("'tolls'", "'toll'")],
    ['two tests', edited('toBe(3)', 'toBe(4)').replace('toBe(90)', 'toBe(91)')],
    ['what stands behind a test', edited("test('last', () => {})", "test('last', () => {});[1]")],
  ])('but not of %s', (_what, text) => {
    expect(quick().of(text)).toBeUndefined();
  });

  test.each<[string, string, boolean]>([
    ['a new test', "test('new', () => {})", true],
    ['a hook', 'beforeEach(() => {})', false],
    ['a variable that only looks like a test', "test('new', () => {}); let more = 1", false],
    ['what cannot be read', "test('new', () => {", true],
  ])('%s before it: %s', (_what, typed, wanted) => {
    const text = edited("test('boat 70'", `${typed}\n  test('boat 70'`);
    const found = quick().of(text);
    const parsed = found && parse(found.text, { file: 'tolls.test.js' });
    const outline = parsed?.problems.length === 0 ? outlineOf(parsed) : undefined;
    expect(parsed !== undefined && isQuick(found!, { parsed, outline })).toBe(wanted);
  });

  test('but not where some run alone, where an error stands, or in a short file', () => {
    const only = edited("test('last'", "test.only('last'");
    const inside = (text: string): string => text.replace('toBe(70)', 'toBe(71)');
    expect(quick(only).of(inside(only))).toBeUndefined();
    expect(quick(TEXT, { errors: [{}] as unknown as PadRecord['errors'] }).of(inside(TEXT))).toBeUndefined();
    expect(quick(TEXT, { tests: [] }).of(inside(TEXT))).toBeUndefined();
    expect(quick().of(inside(TEXT))).toBeDefined();
  });
});
