/** What is done to a text for a selected expression: it gets a mark, or becomes a test. */

export interface TextEdit {
  from: number;
  to: number;
  insert: string;
}

interface Range {
  start: number;
  end: number;
}

/** A mark that stands right behind the expression. */
export function markEdits(text: string, { start, end }: Range): TextEdit[] {
  const newline = text.indexOf('\n', end);
  const lineEnd = newline < 0 ? text.length : newline;
  // What is about the largest expression that ends there is about this one where it ends the line.
  if (/^[;,]?\s*$/.test(text.slice(end, lineEnd))) return [{ from: lineEnd, to: lineEnd, insert: ' //~' }];
  const isName = /^[\w$.]+$/.test(text.slice(start, end));
  return [
    ...(isName ? [] : [{ from: start, to: start, insert: '(' }]),
    { from: end, to: end, insert: isName ? ' /*~*/' : ') /*~*/' },
  ];
}

/** A test at the end of the text that the expression gives what it gave: `value`, as code. */
export function testEdits(text: string, { start, end }: Range, value: string): TextEdit[] {
  const code = text.slice(start, end);
  const script = /\brequire\s*\(/.test(text) && !/^import\b/m.test(text);
  const missing = [
    ...(/\btest\b.*['"]node:test['"]/.test(text)
      ? []
      : [script ? "const test = require('node:test')" : "import test from 'node:test'"]),
    ...(/\bassert\b.*['"](node:)?assert(\/strict)?['"]/.test(text)
      ? []
      : [script ? "const assert = require('node:assert/strict')" : "import assert from 'node:assert/strict'"]),
  ];
  const name = JSON.stringify(code.replace(/\s+/g, ' ').slice(0, 60));
  const at = text.length;
  const insert = `${text.endsWith('\n') ? '' : '\n'}\ntest(${name}, () => {\n  assert.deepEqual(${code}, ${value})\n})\n`;
  return [
    ...(missing.length > 0 ? [{ from: 0, to: 0, insert: `${missing.join('\n')}\n` }] : []),
    { from: at, to: at, insert },
  ];
}

/** Code of a value that JSON can say, on one line where it is short. */
export function shortJson(json: string): string {
  const short = JSON.stringify(JSON.parse(json));
  return short.length < 100 ? short : json.replace(/\n/g, '\n  ');
}
