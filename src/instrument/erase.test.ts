/** Types removed from the parser's own tree. */
import { eraseTypes } from '#dist/instrument/erase.js';

const erased = (text: string): string | undefined =>
  eraseTypes(text, 'module')?.replace(/ +/g, ' ').replace(/ $/gm, '');

test.each([
  ['const a = 1 as any\n(foo)', 'const a = 1;\n(foo)'],
  ['let x!: number\n[1].map(f)', 'let x;\n[1].map(f)'],
  ['type A = string\n;[1].forEach(x)', ';\n [1].forEach(x)'],
  ['const b = x\ntype T = string\n(foo)()', 'const b = x\n;\n(foo)()'],
  ['const f = (a: number):\n number => a', 'const f = (a \n ) => a'],
  ['class A { private x = 1\n private [k] = 2\n readonly y?: string }', 'class A { x = 1\n ; [k] = 2\n y }'],
  ['class A { static async\n x: number = 1 }', 'class A { static async\n x = 1 }'],
  ['abstract class B<T> extends C<T> implements D { abstract m(): void }', ' class B extends C { ; }'],
  ["import { type A, b } from 'x'\nexport { type A, b }", "import { b } from 'x'\nexport { b }"],
  ["import type D from 'y'\nexport type { C }", ';\n;'],
  ['function f(this: void, a?: 1): void { return <any>a! }', 'function f( a ) { return a }'],
  ['const g = f<string>(1), h = new Map<string, [a: number]>()', 'const g = f (1), h = new Map ()'],
  ['declare const x: 1\nnamespace N { export type X = 1 }', ';\n;'],
  ['const o = { m<T>(this: T, x?: number): T { return x satisfies T } }', 'const o = { m ( x ) { return x } }'],
  ['const q = ((a as any)!).b', 'const q = ((a ) ).b'],
])('%s', (text, expected) => {
  expect(erased(text)).toBe(expected.replace(/ $/gm, ''));
  expect(eraseTypes(text, 'module')).toHaveLength(text.length);
});

test.each([
  'enum Kind { Lime }',
  'class Z { constructor(private a: string) {} }',
  'namespace N { export const x = 1 }',
  "import x = require('y')",
  '@seen class W {}',
  'const = 1',
  'const f = () => <any>{}',
])('%s needs a compiler, or is no program', (text) => {
  expect(eraseTypes(text, 'module')).toBeNull();
});
