/** Results of tests, told in terms of the files that the person wrote. */
import type { RawTest, RawWait } from '../wire/reports.js';
import { fileOfSite } from './frames.js';
import type { TestResult } from './record.js';
import { type Places, recordError } from './record-errors.js';

/** What a target reported of a test, at its place. */
export function testResult(raw: RawTest, places: Places): TestResult {
  const { program } = places;
  const file = raw.site >= 0 ? fileOfSite(program, raw.site) : undefined;
  const site = file?.sites[raw.site - file.base];
  const at =
    file && site
      ? {
          file: file.file,
          line: file.lines.lineAt(site.start),
          lastLine: file.lines.lineAt(Math.max(site.start, site.end - 1)),
        }
      : { file: raw.frame?.file ?? program.entry, line: raw.frame?.line ?? 0, lastLine: raw.frame?.line ?? 0 };
  const error = raw.error && recordError(raw.error, places);
  if (error && !error.frames.some((frame) => frame.local)) {
    // Nobody threw it, or only code of others stood there: the test itself is its place.
    error.file = at.file;
    error.range = file && site ? file.lines.rangeOf(site.start, site.end) : error.range;
    if (!file) error.range = { start: { line: at.line, character: 0 }, end: { line: at.line, character: 0 } };
  }
  return {
    id: raw.id,
    parent: raw.parent,
    name: raw.name,
    path: raw.path,
    state: raw.state,
    ...at,
    durationMs: raw.durationMs,
    moment: raw.moment,
    suite: raw.suite,
    passed: raw.passed,
    ...(error ? { error } : {}),
    ...(raw.failure ? { failure: raw.failure } : {}),
    ...(raw.leftOut ? { leftOut: raw.leftOut } : {}),
    ...(raw.reason === undefined ? {} : { reason: raw.reason }),
    ...(raw.notes ? { notes: raw.notes } : {}),
    ...(raw.reused ? { reused: raw.reused } : {}),
    ...(raw.reached ? { reached: raw.reached } : {}),
  };
}

/** A test that did not end is shown where it waits. */
export function withWait(test: TestResult, waits: readonly RawWait[]): TestResult {
  if (test.failure !== 'cancelled' || waits.length === 0) return test;
  const wait = waits.find(({ file, line }) => file === test.file && line >= test.line && line <= test.lastLine);
  if (!wait) return test;
  const at = { line: wait.line, character: wait.character };
  const message = (
    `${test.error?.message ?? test.reason ?? 'it did not end'}: it ` + `stands at the await in line ${wait.line + 1}`
  ).replace(
    'it waits for something that cannot come any more: it stands',
    'what it waits for cannot come any more: it stands',
  );
  return {
    ...test,
    reason: message,
    error: {
      kind: 'thrown',
      moment: test.moment,
      name: '',
      frames: [],
      ...test.error,
      message,
      file: wait.file,
      range: { start: at, end: { line: at.line, character: at.character + 5 } },
    },
  };
}
