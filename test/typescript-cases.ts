/** Small TypeScript programs by the settings under which they are compiled. Each prints; `tsc` and `node` say what. */
export interface Group {
  name: string;
  options: Record<string, unknown>;
  type: 'module' | 'commonjs';
  /** Files beside the programs: modules that they import, packages. */
  beside?: Record<string, string>;
  tsx?: true;
  programs: Record<string, string>;
}

const PACKAGES = {
  'node_modules/old/index.js': 'module.exports = function old() { return "old" }; module.exports.rise = 4;',
  'node_modules/old/index.d.ts':
    'declare function old(): string; declare namespace old { const rise: number } export = old;',
  'node_modules/made/index.js':
    'Object.defineProperty(exports, "__esModule", { value: true }); exports.default = "made default"; exports.rise = 2; exports.names = () => Object.keys(exports).join();',
  'node_modules/made/index.d.ts':
    'declare const made: string; export default made; export const rise: number; export function names(): string;',
};

const CHAMBER = `export let level = 0;
export function fill(by: number): number { level += by; return level }
export class Gate { constructor(public open = false) {} }
export default class Chamber { level = 1 }
export interface Shape { a: number }
export type Name = string;
export const enum Side { Upper, Lower }
export enum State { Open = 'open', Shut = 'shut' }
export const deep = { rise: 4 };
`;

const MODULES: Record<string, string> = {
  'default, named and namespace imports':
    "import Chamber, { fill, Gate } from './chamber.js'; import * as all from './chamber.js';\nconsole.log(new Chamber().level, fill(2), all.level, all.fill(1), new Gate().open, Object.keys(all).filter((k) => k !== 'Side').sort().join());",
  'bindings are live':
    "import { level, fill } from './chamber.js';\nconsole.log(level); fill(3); console.log(level); const read = () => level; fill(1); console.log(read());",
  'names that only types use are left out':
    "import { Shape, Name, Gate } from './chamber.js'; import type Chamber from './chamber.js'; const s: Shape = { a: 1 }; let n: Name = 'n'; let g: Gate | Chamber | undefined; console.log(s.a, n, g);",
  'a type beside a value of the same file':
    "import { type Shape, fill } from './chamber.js'; const s = { a: 1 } as Shape; console.log(s.a, typeof fill);",
  'a file of types alone is not loaded':
    "import { Kind } from './kinds.js'; let k: Kind = 'a'; console.log(k); export {};",
  'enums, const enums and reverse names':
    "import { Side, State } from './chamber.js'; enum Own { A, B = 5, C } console.log(Side.Lower, State.Open, Own[5], Own.C, Object.keys(Own).join());",
  're-exports':
    "import { again, all, rise } from './passed.js';\nconsole.log(typeof again, Object.keys(all).length > 3, rise);",
  'exports of each kind':
    "import * as made from './kinds-of-exports.js';\nconsole.log(Object.keys(made).sort().join(), made.a, made.f(), made.renamed, made.default, made.b, made.later());",
  cycles: "import { first } from './cycle-a.js';\nconsole.log(first());",
  'import of a side effect comes at its place':
    "import './effect.js';\nconsole.log('after', (globalThis as any).effect);",
  'dynamic import':
    "import('./chamber.js').then((m) => { console.log(Object.keys(m).includes('fill'), m.deep.rise) });",
  'functions are hoisted over exports': 'console.log(typeof early, early()); export function early() { return 1 }',
};
const MODULE_FILES = {
  'chamber.ts': CHAMBER,
  'kinds.ts': "console.log('kinds runs'); export type Kind = 'a' | 'b';",
  'passed.ts':
    "export { fill as again, deep } from './chamber.js'; export * as all from './chamber.js'; import { deep } from './chamber.js'; export const rise = deep.rise;",
  'kinds-of-exports.ts':
    "export const a = 1, { b } = { b: 2 }; export function f() { return 'f' } const own = 3; export { own as renamed }; export default [1, 2].length; let w = 1; export { w }; export const later = () => { w = 7; return w };",
  'cycle-a.ts':
    "import { second } from './cycle-b.js'; export function first() { return 'first ' + second() } export const name = 'a';",
  'cycle-b.ts':
    "import * as a from './cycle-a.js'; export function second() { return 'second ' + typeof a.first + a.name }",
  'effect.ts': "(globalThis as any).effect = 'ran'; console.log('effect');",
};

export const groups: Group[] = [
  {
    name: 'CommonJS with interop',
    options: { module: 'commonjs', target: 'es2022', esModuleInterop: true },
    type: 'commonjs',
    beside: { ...MODULE_FILES, ...PACKAGES },
    programs: {
      ...MODULES,
      'defaults of scripts and of modules made into scripts':
        "import old from 'old'; import made, { rise } from 'made'; console.log(old(), old.rise, made, rise);",
      'namespaces of both':
        "import * as old from 'old'; import * as made from 'made'; console.log(typeof old, (old as any).rise, typeof (old as any).default, made.default, made.rise);",
      'import = require':
        "import path = require('path'); import old = require('old'); console.log(path.posix.join('a', 'b'), old());",
      'what a script has':
        "import { fill } from './chamber.js';\nconsole.log(typeof require, typeof module, __filename.endsWith('s'), __dirname.length > 0, this === exports, typeof fill, (exports as any).__esModule);",
      'guarded mains':
        "import { fill } from './chamber.js';\nconsole.log(require.main === module, typeof fill); export {};",
      'what others see':
        "export const a = 1; export function f() {} export class C {} export default 5; const m = require(__filename.replace(/[^\\\\/]*$/, 'kinds-of-exports')); console.log(Object.keys(m).join(), JSON.stringify(Object.getOwnPropertyDescriptor(m, 'a')), m.later(), m.w, Object.keys(exports).join());",
      'export =': "import Box = require('./box.js');\nconsole.log(new Box(3).n, Box.kind);",
      strict:
        "import { fill } from './chamber.js'; try { (function (this: any) { console.log(this, typeof fill) })() } catch {}",
    },
  },
  {
    name: 'CommonJS without interop',
    options: { module: 'commonjs', target: 'es2020', esModuleInterop: false, allowSyntheticDefaultImports: true },
    type: 'commonjs',
    beside: { ...MODULE_FILES, ...PACKAGES },
    programs: {
      'defaults are properties': "import made from 'made'; import old from 'old'; console.log(made, typeof old);",
      'namespaces are the thing itself': "import * as old from 'old'; console.log(typeof old, (old as any)());",
      names: "import { rise } from 'made'; import { fill } from './chamber.js';\nconsole.log(rise, fill(1));",
    },
  },
  {
    name: 'Node, a package of scripts',
    options: { module: 'nodenext', target: 'es2022' },
    type: 'commonjs',
    beside: { ...MODULE_FILES, ...PACKAGES },
    programs: MODULES,
  },
  {
    name: 'Node, a package of modules',
    options: { module: 'nodenext', target: 'es2022' },
    type: 'module',
    beside: { ...MODULE_FILES, ...PACKAGES },
    programs: {
      ...MODULES,
      'await at the top level':
        "const { fill } = await import('./chamber.js');\nconsole.log(fill(2), import.meta.url.startsWith('file:')); export {};",
      'import = require in a module': "import old = require('old'); console.log(old(), old.rise);",
      'defaults of scripts':
        "import old from 'old'; import made from 'made'; console.log(typeof old, typeof made, (made as any).default);",
    },
  },
  {
    name: 'modules as they are written',
    options: { module: 'nodenext', target: 'es2022', verbatimModuleSyntax: true },
    type: 'module',
    beside: MODULE_FILES,
    programs: {
      'a file that only types come from is loaded':
        "import { type Kind } from './kinds.js'; let k: Kind = 'a'; console.log(k);",
      'and is not where the import says type':
        "import type { Shape } from './chamber.js'; let s: Shape | undefined; console.log(s);",
    },
  },
  {
    name: 'decorators as they were first, with metadata',
    options: {
      module: 'commonjs',
      target: 'es2022',
      experimentalDecorators: true,
      emitDecoratorMetadata: true,
      esModuleInterop: true,
      useDefineForClassFields: false,
    },
    type: 'commonjs',
    beside: {
      'metadata.ts':
        "const store = new Map<any, Map<string, unknown>>(); (Reflect as any).metadata = (k: string, v: unknown) => (t: any, p?: string, i?: unknown) => { const key = `${k}/${p ?? ''}`; if (!store.has(t)) store.set(t, new Map()); store.get(t)!.set(key, v) }; export const of = (t: any, k: string, p = '') => store.get(t)?.get(`${k}/${p}`) as any; export const name = (v: any) => Array.isArray(v) ? v.map((x) => x?.name).join() : v?.name;",
      'gauge.ts': 'export class Gauge { value = 1 }\nexport interface Reader { read(): number }',
    },
    programs: {
      'order of evaluation':
        "const log: string[] = []; const d = (n: string) => { log.push('made ' + n); return (...a: any[]) => { log.push('called ' + n + a.length) } }; @d('class') class Lock { @d('field') level = 1; @d('method') fill(@d('parameter') by: number) { return by } @d('accessor') get top() { return 1 } @d('static') static s = 1 } console.log(log.join(' | '), new Lock().level);",
      'types of parameters':
        "import { of, name } from './metadata.js'; import { Gauge, Reader } from './gauge.js'; const inject = (c: any) => c; @inject class Keeper { constructor(private gauge: Gauge, n: number, s: string, r: Reader, l: string[]) {} } console.log(name(of(Keeper, 'design:paramtypes')));",
      'types of members':
        "import { of, name } from './metadata.js'; import { Gauge } from './gauge.js'; const prop = (t: any, k: string) => {}; class Keeper { @prop gauge!: Gauge; @prop on!: boolean; @prop when!: Date; @prop own!: Keeper } console.log(['gauge', 'on', 'when'].map((k) => name(of(Keeper.prototype, 'design:type', k))).join());",
      'types of methods':
        "import './metadata.js'; import { of, name } from './metadata.js'; import { Gauge } from './gauge.js'; const route = (t: any, k: string, d: any) => d; class Api { @route get(a: Gauge, b?: string): Promise<void> { return null as any } } console.log(name(of(Api.prototype, 'design:paramtypes', 'get')), name(of(Api.prototype, 'design:returntype', 'get')));",
      'a decorator that replaces':
        'const seal = <T extends new (...a: any[]) => object>(c: T) => class extends c { sealed = true }; @seal class Lock { level = 1 } console.log(new Lock() as any, (new Lock() as any).sealed);',
      descriptors:
        'const twice = (t: any, k: string, d: PropertyDescriptor) => { const f = d.value; d.value = function (...a: any[]) { return f.apply(this, a) * 2 } }; class Lock { rise = 3; @twice high() { return this.rise } } console.log(new Lock().high());',
    },
  },
  {
    name: 'fields that are assigned',
    options: { module: 'commonjs', target: 'es2022', useDefineForClassFields: false },
    type: 'commonjs',
    programs: {
      'a field without a value is nothing': 'class A { x?: number; y = 1 } console.log(Object.keys(new A()).join());',
      'a field that is declared again keeps what the parent gave':
        'class A { x: number | undefined; constructor() { this.x = 5 } } class B extends A { x: number | undefined } console.log(new B().x);',
      'setters of the parent are called':
        "const log: string[] = []; class A { set level(v: number) { log.push('set ' + v) } } class B extends A { level = 3 as any } new B(); console.log(log.join());",
      'parameter properties come first':
        'class A { twice = this.n * 2; constructor(public n: number) {} } console.log(new A(4).twice, Object.keys(new A(1)).join());',
      'static fields': 'class A { static n = 1; static m = A.n + 1; static { A.m++ } } console.log(A.n, A.m);',
    },
  },
  {
    name: 'fields that are defined',
    options: { module: 'commonjs', target: 'es2022', useDefineForClassFields: true },
    type: 'commonjs',
    programs: {
      'a field without a value is undefined':
        'class A { x?: number; y = 1; declare z: number } console.log(Object.keys(new A()).join());',
      'a field that is declared again is undefined':
        'class A { x: number | undefined; constructor() { this.x = 5 } } class B extends A { x: number | undefined } console.log(new B().x);',
      'private names and accessors':
        'class A { #n = 1; accessor level = 2; get n() { return this.#n } static #s = 3; static s() { return A.#s } } const a = new A(); a.level++; console.log(a.n, a.level, A.s());',
      'abstract classes with a private constructor':
        'abstract class A { private constructor() {} static make() { return new (A as any)() } } console.log(typeof A.make());',
    },
  },
  {
    name: 'what the language had before and after',
    options: {
      module: 'commonjs',
      target: 'es2022',
      esModuleInterop: true,
      lib: ['es2022', 'esnext.disposable', 'dom', 'esnext.decorators'],
    },
    type: 'commonjs',
    programs: {
      'namespaces in two parts':
        'namespace Lock { export const rise = 4; export function high() { return rise } } namespace Lock { export const twice = rise * 2; export let level = 0; export const up = () => ++level } console.log(Lock.twice, Lock.high(), Lock.up(), Lock.level);',
      'a namespace beside a function, a class and an enum':
        "function make() { return make.kind } namespace make { export const kind = 'k' } class C {} namespace C { export const n = 1 } enum E { A } namespace E { export function all() { return E.A } } console.log(make(), C.n, E.all());",
      'names for what is in a namespace':
        'namespace A { export namespace B { export const c = 1; export interface T {} } } import b = A.B; import T = A.B.T; let t: T | undefined; console.log(b.c, t);',
      'dotted namespaces': 'namespace A.B.C { export const d = 4 } console.log(A.B.C.d);',
      'standard decorators':
        "const log: string[] = []; const d = (v: any, c: any) => { log.push(c.kind + ' ' + String(c.name)); return undefined as any }; @d class Lock { @d level = 1; @d fill() {} @d get top() { return 1 } @d accessor side = 2; @d static s = 1 } console.log(log.join(' | '), new Lock().side);",
      'using, and an error on the way out':
        "const log: string[] = []; const door = (n: string, fail = false) => ({ [Symbol.dispose ?? Symbol.for('d')]() { log.push('shut ' + n); if (fail) throw new Error(n) } }); { using a = door('a') as any; using b = door('b') as any; log.push('in') } console.log(log.join());",
      'two errors on the way out':
        "const door = (n: string) => ({ [Symbol.dispose]() { throw new Error(n) } }); try { using a = door('a'); using b = door('b'); throw new Error('body') } catch (e: any) { console.log(e.name, e.error?.message, e.suppressed?.name, e.suppressed?.error?.message) }",
      'satisfies, as, non-null and generics':
        'const f = <T,>(x: T): T => x; const o = { a: 1 } satisfies { a: number }; console.log(f<number>(1), o.a!, (o as any).b?.c, <number>o.a);',
      'overloads, optional and this parameters':
        'function f(a: string): string; function f(a: number): number; function f(this: void, a: any, b?: number) { return [a, b].join() as any } console.log(f(1), f.length);',
      'enums computed and const':
        "const enum Bits { A = 1 << 0, B = 1 << 1, All = A | B } enum Mixed { N = 'abc'.length, M = N * 2, S = `s${1}` } console.log(Bits.All, Mixed.N, Mixed.M, Mixed.S);",
      'types between statements without semicolons':
        'let a = 1\ntype T = number\n;[a] = [2]\ninterface I {}\nlet b: T = a as T\n;(console).log(a, b)\ndeclare const never0: number\nlet c = a!\n;`${c}`\nconsole.log(c)',
      'definite fields and optional methods':
        'class A { a!: number; b?(): void; constructor(readonly c = 1, protected d?: string) {} } console.log(Object.keys(new A()).join(), new A().c);',
    },
  },
  {
    name: 'elements as calls of a name',
    options: { module: 'commonjs', target: 'es2022', jsx: 'react', jsxFactory: 'h', jsxFragmentFactory: 'Fragment' },
    type: 'commonjs',
    tsx: true,
    beside: {
      'h.ts':
        "export const h = (t: any, p: any, ...c: any[]): any => typeof t === 'function' ? t({ ...p, children: c }) : JSON.stringify([t, p, c]); export const Fragment = (p: any) => '<>' + p.children.join(''); declare global { namespace JSX { interface IntrinsicElements { [k: string]: any } } }",
    },
    programs: {
      elements:
        'import { h, Fragment } from \'./h.js\'; const rise = 4; console.log(<lock rise={rise} open><gate side="upper">{rise}m</gate></lock>, <><a/><b/></>);',
      'components and spreads':
        "import { h, Fragment } from './h.js'; const Gate = (p: any) => `gate ${p.n} ${p.children.length}`; const rest = { n: 1 }; console.log(<Gate {...rest} n={2}>x{'y'}</Gate>); void Fragment;",
    },
  },
  {
    name: 'elements by a package',
    options: {
      module: 'commonjs',
      target: 'es2022',
      jsx: 'react-jsx',
      jsxImportSource: 'canal',
      esModuleInterop: true,
    },
    type: 'commonjs',
    tsx: true,
    beside: {
      'node_modules/canal/package.json':
        '{"name":"canal","exports":{".":"./index.js","./jsx-runtime":{"types":"./jsx-runtime.d.ts","default":"./jsx-runtime.js"}}}',
      'node_modules/canal/index.js': 'exports.createElement = (t, p, ...c) => `created ${t} ${p.key}`;',
      'node_modules/canal/jsx-runtime.js':
        "exports.jsx = (t, p, k) => typeof t === 'function' ? t(p) : `one ${String(t)} ${JSON.stringify(p)} ${k}`; exports.jsxs = (t, p, k) => `many ${String(t)} ${JSON.stringify(p)} ${k}`; exports.Fragment = 'fragment';",
      'node_modules/canal/jsx-runtime.d.ts':
        'export namespace JSX { interface IntrinsicElements { [k: string]: any } } export const jsx: any; export const jsxs: any; export const Fragment: any;',
    },
    programs: {
      'elements of one and of several': 'console.log(<lock rise={4}>{1}</lock>, <lock key="k">{1}{2}</lock>, <></>);',
      'a key behind a spread': 'const p = { a: 1 }; console.log(<lock {...p} key="k" />); export {};',
      components: 'const Gate = (p: { n: number }) => `gate ${p.n}`; console.log(<Gate n={3} />); export {};',
    },
  },
];
