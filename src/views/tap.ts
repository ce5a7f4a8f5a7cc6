/**
 * A record's tests in the Test Anything Protocol, version 14
 * (https://testanything.org/tap-version-14-specification.html).
 */
import type { PadRecord, RecordError, TestResult } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import { differenceLines } from './difference.js';
import { errorText } from './margin-events.js';
import { testTree, type TestNode } from './test-tree.js';

/**
 * @param name of the file, for errors outside of tests
 * @returns the whole document; a run that failed outside its tests has one more test point, for the file
 */
export function tapOf(record: PadRecord, name: string, placeOf: (file: string, line: number) => string): string {
  const lines = ['TAP version 14'];
  const roots = testTree(record.tests);
  const outside = outsideTests(record);
  const count = roots.length + (outside.length > 0 || roots.length === 0 ? 1 : 0);
  lines.push(`1..${count}`);
  roots.forEach((node, index) => point(node, index + 1, '', lines, placeOf));
  if (count > roots.length) {
    lines.push(`${outside.length > 0 ? 'not ok' : 'ok'} ${count} - ${escape(name)}`);
    if (outside.length > 0) block('', { message: outside.join('\n') }, lines);
  }
  return `${lines.join('\n')}\n`;
}

/** What went wrong outside of tests, in words. */
export function outsideTests(record: PadRecord): string[] {
  const found = record.errors.map(errorText);
  const left =
    record.stop &&
    !(
      record.stop.reason === 'exit' &&
      record.stop.code === 0 &&
      record.tests.every((test) => test.state !== 'running')
    );
  if (record.stop && left && record.outcome === 'stopped') found.push(`stopped: ${record.stop.message}`);
  return found;
}

function point(
  node: TestNode,
  number: number,
  indent: string,
  lines: string[],
  placeOf: (file: string, line: number) => string,
): void {
  const { test, children } = node;
  if (children.length > 0) {
    lines.push(`${indent}# Subtest: ${escape(test.name)}`, `${indent}    1..${children.length}`);
    children.forEach((child, index) => point(child, index + 1, `${indent}    `, lines, placeOf));
  }
  const directive = test.state === 'skipped' ? 'SKIP' : test.state === 'todo' ? 'TODO' : '';
  const reason = directive !== '' && test.reason !== undefined ? ` ${escape(test.reason)}` : '';
  lines.push(
    `${indent}${test.passed ? 'ok' : 'not ok'} ${number} ` +
      `- ${escape(test.name)}${directive === '' ? '' : ` # ${directive}${reason}`}`,
  );
  const details: Record<string, unknown> = {
    duration_ms: Number(test.durationMs.toFixed(3)),
    at: placeOf(test.file, test.line),
  };
  if (!test.passed) Object.assign(details, failureOf(test));
  if (test.reused) details.reused = true;
  block(`${indent}  `, details, lines);
  for (const note of test.notes ?? []) for (const line of note.split('\n')) lines.push(`${indent}# ${escape(line)}`);
}

/** What a failed test tells, as plain data. */
export function failureOf(test: TestResult): Record<string, unknown> {
  const { error } = test;
  const details: Record<string, unknown> = {
    message: error ? errorText(error) : (test.reason ?? (test.state === 'running' ? 'it has not ended' : 'failed')),
  };
  if (test.failure) details.failure = test.failure;
  if (!error) return details;
  if (error.code !== undefined) details.code = error.code;
  if (error.received && error.expected)
    Object.assign(details, { received: valueText(error.received, 2_000), expected: valueText(error.expected, 2_000) });
  if (error.differences) {
    const { lines, rest } = differenceLines(error.differences);
    details.differences = [
      ...lines.map(
        (line) =>
          `${line.path === '' ? '' : `${line.path}: `}received ${line.received}, ` +
          `expected ${line.expected}${line.note === '' ? '' : ` (${line.note})`}`,
      ),
      ...(rest === '' ? [] : [rest]),
    ];
  }
  const stack = stackOf(error);
  if (stack.length > 0) details.stack = stack;
  return details;
}

function stackOf(error: RecordError): string[] {
  return error.frames
    .filter((frame) => frame.local)
    .map(
      (frame) =>
        `${frame.name || 'top level'} (${frame.file}:${frame.range.start.line + 1}:${frame.range.start.character + 1})`,
    );
}

/** A diagnostic block: YAML, in the part of it that is also JSON. */
function block(indent: string, details: Record<string, unknown>, lines: string[]): void {
  lines.push(`${indent}---`);
  for (const [key, value] of Object.entries(details)) {
    if (Array.isArray(value)) {
      lines.push(`${indent}${key}:`);
      for (const item of value) lines.push(`${indent}  - ${JSON.stringify(item)}`);
    } else lines.push(`${indent}${key}: ${JSON.stringify(value)}`);
  }
  lines.push(`${indent}...`);
}

/** `#` and `\` are escaped with a backslash; a description has one line. */
function escape(text: string): string {
  return text.replace(/[\\#]/g, '\\$&').replace(/\s*[\r\n]+\s*/g, ' ');
}
