/** A record's tests as JUnit XML, in the form that continuous integration servers read. */
import type { PadRecord, TestResult } from '../record/record.js';
import { failureOf, outsideTests } from './tap.js';
import { testTree, type TestNode } from './test-tree.js';

/** @param name of the file */
export function junitOf(record: PadRecord, name: string, placeOf: (file: string, line: number) => string): string {
  const cases = record.tests.filter((test) => !test.suite);
  const outside = outsideTests(record);
  const failures = cases.filter((test) => test.state === 'failed' || test.state === 'running').length;
  const skipped = cases.filter((test) => test.state === 'skipped' || test.state === 'todo').length;
  const attributes =
    `name=${quoted(name)} tests="${cases.length}" failures="${failures}" errors="${outside.length}" ` +
    `skipped="${skipped}" time="${seconds(record.durationMs)}"`;
  const lines = ['<?xml version="1.0" encoding="UTF-8"?>', `<testsuites ${attributes}>`, `  <testsuite ${attributes}>`];
  for (const node of testTree(record.tests)) element(node, '    ', name, lines, placeOf);
  for (const message of outside) {
    lines.push(`    <testcase name=${quoted(name)} classname=${quoted(name)} time="0">`);
    lines.push(`      <error message=${quoted(firstLine(message))}>${text(message)}</error>`, '    </testcase>');
  }
  lines.push('  </testsuite>', '</testsuites>');
  return `${lines.join('\n')}\n`;
}

function element(
  node: TestNode,
  indent: string,
  name: string,
  lines: string[],
  placeOf: (file: string, line: number) => string,
): void {
  const { test, children } = node;
  if (test.suite) {
    const inner = all(children);
    lines.push(
      `${indent}<testsuite name=${quoted(test.name)} tests="${inner.length}" ` +
        `failures="${inner.filter((one) => one.state === 'failed' || one.state === 'running').length}" ` +
        `errors="0" skipped="${inner.filter((one) => one.state === 'skipped' || one.state === 'todo').length}" time="${seconds(test.durationMs)}">`,
    );
    for (const child of children) element(child, `${indent}  `, name, lines, placeOf);
    if (test.state === 'failed' && test.failure !== 'subtests') testcase(test, `${indent}  `, name, lines, placeOf);
    lines.push(`${indent}</testsuite>`);
    return;
  }
  testcase(test, indent, name, lines, placeOf);
  // A test case holds no others: subtests stand behind it, with its name before theirs.
  for (const child of children) element(child, indent, name, lines, placeOf);
}

function testcase(
  test: TestResult,
  indent: string,
  name: string,
  lines: string[],
  placeOf: (file: string, line: number) => string,
): void {
  const head =
    `${indent}<testcase name=${quoted(test.name)} classname=${quoted([name, ...test.path].join(' > '))} ` +
    `file=${quoted(placeOf(test.file, test.line))} time="${seconds(test.durationMs)}"`;
  if (test.state === 'passed') {
    lines.push(`${head}/>`);
    return;
  }
  lines.push(`${head}>`);
  if (test.state === 'skipped' || test.state === 'todo')
    lines.push(
      `${indent}  <skipped ` +
        `message=${quoted(`${test.state === 'todo' ? 'to do' : 'skipped'}${test.reason === undefined ? '' : `: ${test.reason}`}`)}/>`,
    );
  else {
    const { message, failure, ...details } = failureOf(test) as { message: string; failure?: string };
    const body = Object.entries(details).map(
      ([key, value]) => `${key}: ${Array.isArray(value) ? `\n  ${value.join('\n  ')}` : String(value)}`,
    );
    lines.push(
      `${indent}  <failure message=${quoted(firstLine(message))} ` +
        `type=${quoted(failure ?? test.state)}>${text([message, ...body].join('\n'))}</failure>`,
    );
  }
  lines.push(`${indent}</testcase>`);
}

function all(nodes: readonly TestNode[]): TestResult[] {
  return nodes.flatMap(({ test, children }) => [...(test.suite ? [] : [test]), ...all(children)]);
}

function seconds(ms: number): string {
  return (ms / 1000).toFixed(6);
}

function firstLine(message: string): string {
  return message.split('\n', 1)[0]!;
}

/** Characters that XML 1.0 does not have are written as their code. */
function text(value: string): string {
  return value
    .replace(/[&<>]/g, (character) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;' })[character]!)
    .replace(
      /[^\t\n\r\u0020-\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}]/gu,
      (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
    );
}

function quoted(value: string): string {
  return `"${text(value)
    .replace(/"/g, '&quot;')
    .replace(/[\n\r\t]/g, ' ')}"`;
}
