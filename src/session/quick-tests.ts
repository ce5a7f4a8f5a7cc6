/**
 * An edit inside of one of many tests: the program without the other tests is executed at once, and their results are
 * those of the run before. All of them run a moment later.
 */
import type { PadRecord, TestResult } from '../record/record.js';
import type { Carried } from '../record/carried-tests.js';
import { countTests, holdsTestsAlone, testStatements, type TestStatement } from '../syntax/test-statements.js';
import type { Unit } from './module-code.js';

/** From so many tests on it takes longer to read them all than a person should wait. */
const MANY = 100;

export interface QuickText {
  /** The text without its other tests: all else stands where it stood. */
  text: string;
  /** Range in it that has changed: of one test, or of several that came in its place. */
  start: number;
  end: number;
  carried: Carried;
}

interface Base {
  text: string;
  statements: TestStatement[];
  tests: readonly TestResult[];
  /** For the test that was edited last: the text before and behind it, without other tests. */
  around: { test: TestStatement; before: string; behind: string } | undefined;
}

export class QuickTests {
  private base: Base | undefined;

  /**
   * A run of all tests has come to its end.
   *
   * @param unit the pad as it ran
   */
  take({ tests, errors, stop, ownRun }: PadRecord, unit: Pick<Unit, 'text' | 'outline'>): void {
    this.base = undefined;
    if (tests.length < MANY || !unit.outline || errors.length > 0 || stop || ownRun?.instead !== undefined) return;
    const { statements, only } = testStatements(unit.outline);
    if (!only && countTests(statements) >= MANY) this.base = { text: unit.text, statements, tests, around: undefined };
  }

  /** What is executed for a new text; undefined where more than the inside of one test has changed. */
  of(text: string): QuickText | undefined {
    const { base } = this;
    if (!base) return undefined;
    const { start, end } = changed(base.text, text);
    const path = pathTo(base.statements, start, end);
    const test = path?.at(-1);
    if (!path || !test) return undefined;
    if (base.around?.test !== test) base.around = { test, ...withoutOthers(base, path, test) };
    const delta = text.length - base.text.length;
    const { before, behind } = base.around;
    const lines = (from: number, to: number): number => lineEnds(base.text, from, to);
    const first = lines(0, test.start);
    const last = first + lines(test.start, test.end);
    return {
      text: `${before}${text.slice(test.start, test.end + delta)}${behind}`,
      start: test.start,
      end: test.end + delta,
      carried: { tests: base.tests, first, last, moved: lineEnds(text, 0, text.length) - lines(0, base.text.length) },
    };
  }
}

/** The part of the first text that is not in the second at the same place, counted from its two ends. */
function changed(before: string, after: string): { start: number; end: number } {
  const most = Math.min(before.length, after.length);
  let start = 0;
  while (start < most && before.charCodeAt(start) === after.charCodeAt(start)) start++;
  let same = 0;
  while (
    same < most - start &&
    before.charCodeAt(before.length - 1 - same) === after.charCodeAt(after.length - 1 - same)
  )
    same++;
  return { start, end: before.length - same };
}

/** The suites around a test in which all of a range lies, and the test; undefined where there is none. */
function pathTo(statements: readonly TestStatement[], start: number, end: number): TestStatement[] | undefined {
  // Its last character ends the call: a change there may be one of what follows.
  const found = statements.find((one) => one.start < start && end < one.end);
  if (!found) return undefined;
  if (found.inner.length === 0) return [found];
  const rest = pathTo(found.inner, start, end);
  return rest && [found, ...rest];
}

function withoutOthers(
  { text, statements }: Base,
  path: readonly TestStatement[],
  test: TestStatement,
): { before: string; behind: string } {
  const kept = new Set(path);
  const blanks: TestStatement[] = [];
  const visit = (list: readonly TestStatement[]): void => {
    for (const one of list) {
      if (!kept.has(one)) blanks.push(one);
      else visit(one.inner);
    }
  };
  visit(statements);
  const part = (from: number, to: number): string => {
    // Joined and not added: a string that is put together of thousands is read slowly each time.
    const parts: string[] = [];
    let at = from;
    for (const { start, end } of blanks) {
      if (start < from || end > to) continue;
      // An empty statement stays, for what stands around it without a semicolon.
      parts.push(text.slice(at, start), ';', text.slice(start + 1, end).replace(/[^\r\n\u2028\u2029]/g, ' '));
      at = end;
    }
    parts.push(text.slice(at, to));
    return parts.join('');
  };
  return { before: part(0, test.start), behind: part(test.end, text.length) };
}

function lineEnds(text: string, from: number, to: number): number {
  let count = 0;
  for (let at = text.indexOf('\n', from); at >= 0 && at < to; at = text.indexOf('\n', at + 1)) count++;
  return count;
}

/**
 * What was typed may be more than tests: then all of them run.
 *
 * @param unit the text without the other tests
 */
export function isQuick({ start, end }: QuickText, { outline, parsed }: Pick<Unit, 'outline' | 'parsed'>): boolean {
  return outline ? holdsTestsAlone(outline, start, end) : parsed.problems.length > 0;
}
