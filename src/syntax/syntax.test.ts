import ts from 'typescript';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';
import { LineTable } from '#dist/syntax/positions.js';
import { recoverProblems } from '#dist/syntax/recover.js';

const outline = (text: string, file = 'canal.ts') => outlineOf(parse(text, { file }));

describe('positions', () => {
  test('every offset of a text with all kinds of line ends goes there and back', () => {
    const text = 'a\nb\r\nc\rd\u2028e🛶f\n';
    const table = new LineTable(text);
    expect(table.lineCount).toBe(6);
    for (let offset = 0; offset <= text.length; offset++) expect(table.offsetAt(table.positionAt(offset))).toBe(offset);
    expect(table.line(1)).toBe('b');
    expect(table.offsetAt({ line: 99, character: 0 })).toBe(text.length);
    expect(table.positionAt(-5)).toEqual({ line: 0, character: 0 });
  });
});

describe('the goal of a file follows Node', () => {
  test.each([
    ['a.mjs', 'x', undefined, 'module'],
    ['a.cts', 'let x: number', undefined, 'script'],
    ['a.js', 'x', 'module', 'module'],
    ['a.js', 'export {}', 'commonjs', 'script'],
    ['a.js', 'x = 1', undefined, 'script'],
    ['a.js', 'import "x"', undefined, 'module'],
    ['a.js', 'await x', undefined, 'module'],
    ['a.js', 'import.meta.url', undefined, 'module'],
    ['a.js', 'async () => { await x }', undefined, 'script'],
    ['a.ts', 'const x: number = 1', undefined, 'module'],
    ['a.ts', 'const x = require("y")', undefined, 'script'],
    ['a.js', 'with (x) {}', undefined, 'script'],
  ] as const)('%s with %s in a package of type %s is a %s', (file, text, packageType, goal) => {
    expect(parse(text, { file, packageType }).goal).toBe(goal);
  });
});

describe('the outline', () => {
  test('names functions by their place', () => {
    const { functions } = outline(`function fill() { const step = () => 1; return step }
class Lock { advance() {} static make() {} get level() { return 1 } #up() {} drain = () => 0 }
setInterval(() => fill(), 10); setInterval(function named() {}, 20);
const keeper = { walk() {}, greet: () => {} };
export default () => {};`);
    expect(functions.map((info) => info.path)).toEqual([
      'fill',
      'fill/step',
      'Lock/advance',
      'Lock/make',
      'Lock/level',
      'Lock/#up',
      'Lock/drain',
      'setInterval()',
      'named',
      'walk',
      'greet',
      'default',
    ]);
  });

  test('sees references through shadowing, and only those of the top level', () => {
    const { references } = outline(`import { rate } from './r';
rate;
function a(rate) { return rate }
function b() { { const rate = 1; rate } return rate }
for (const rate of []) rate;
try {} catch (rate) { rate }
const c = ({ rate }) => rate, d = { rate }, e = { rate: 1 }, f = x.rate;
class rate2 { rate() { rate() } }
function g() { return rate; var rate }
`);
    const lines = new LineTable(references.length ? `${' '.repeat(0)}` : '');
    void lines;
    expect(references.filter((reference) => reference.name === 'rate').map((reference) => reference.use)).toEqual([
      'read',
      'read',
      'shorthand',
      'call',
    ]);
  });

  test('drops imports that are only types, as TypeScript does, and keeps what has effects', () => {
    const { imports } = outline(
      "import type { A } from './a';\nimport { B } from './b';\nimport './c';\n" +
        "import { type D, d } from './d';\nlet x: B; d;\nexport { type E } from './e';\n",
    );
    expect(imports.map((entry) => [entry.specifier, entry.typeOnly, entry.names.map((name) => name.local)])).toEqual([
      ['./a', true, ['A']],
      ['./b', true, []],
      ['./c', false, []],
      ['./d', false, ['d']],
      ['./e', false, []],
    ]);
  });

  test('knows what has to be erased and what has to be translated', () => {
    const needs = (text: string, file = 'a.ts') => {
      const { hasTypes, needsTranslation } = outline(text, file);
      return [hasTypes, needsTranslation];
    };
    expect(needs('const a = 1')).toEqual([false, false]);
    expect(needs('const a: number = 1')).toEqual([true, false]);
    expect(needs('f<string>(x as any, y!)')).toEqual([true, false]);
    expect(needs('enum A { B }')[1]).toBe(true);
    expect(needs('class A { constructor(private x) {} }')[1]).toBe(true);
    expect(needs('const a = <b />', 'a.tsx')[1]).toBe(true);
    expect(needs('using x = y')[1]).toBe(true);
    expect(needs('namespace N { export type T = 1 }')[1]).toBe(true);
  });
});

describe('syntax errors', () => {
  test('all of them, the first as the parser that decides says it', () => {
    const text = 'const a = { b: };\nfine();\nfoo(1, ;\nconst c = [1;\n';
    const parsed = parse(text, { file: 'a.ts' });
    const table = new LineTable(text);
    expect(parsed.fatal).toBe(true);
    const all = recoverProblems(ts, 'a.ts', text, parsed.problems);
    expect(all.map((problem) => table.lineAt(problem.start))).toEqual([0, 2, 3]);
    expect(all[0]!.message).toBe('Unexpected token');
  });

  test('errors the parser gets over are found together', () => {
    const { problems, fatal } = parse('const a = 1;\nconst a = 2;\nlet b; let b;\n', { file: 'a.js' });
    expect([fatal, problems.length]).toEqual([false, 2]);
  });
});
