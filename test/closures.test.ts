/** Closures that live are changed: a later version reaches the names of its scope through a hook, in every form. */
import { Stage } from './stage.js';

interface Case {
  before: string;
  /** What is replaced by what, each once. */
  edits: [string, string][];
  hold: string;
  then: string;
  gives: unknown;
  says?: RegExp;
  file?: string;
}

const scope = (body: string, inner: string): string => `export function make(a) { ${body} return ${inner} }\n`;

const CASES: Record<string, Case> = {
  'reads and writes a local': {
    before: scope('let n = a;', '() => n += 1'),
    edits: [['n += 1', 'n += 10']],
    hold: '[m.make(1), m.make(5)]',
    then: '[held[0](), held[1](), held[0]()]',
    gives: [11, 15, 21],
  },
  'counts up, in patterns and loop heads': {
    before: scope('let n = a, rest = [];', '() => [n, rest]'),
    edits: [
      [
        '=> [n, rest]',
        '=> { n++; --n; [n, ...rest] = [n * 2, 7, 8]; ({ n = 1 } = { n }); for (n of [n + 1]) ; return { n, rest } }',
      ],
    ],
    hold: 'm.make(3)',
    then: 'held()',
    gives: { n: 7, rest: [7, 8] },
  },
  'its own name is declared again inside, as a local, a parameter, a var': {
    before: scope(
      'const by = (n) => n + a;',
      '[function path(n) { const path = by(n); return path }, function path(path) { return path }, function path(n) { if (n) { var path = n } return path }]',
    ),
    edits: [
      ['const path = by(n); return path }', 'const [path] = [by(n)]; return path * 2 }'],
      ['function path(path) { return path }', 'function path(path) { return path + 1 }'],
      ['var path = n } return path }', 'var path = n * 5 } return path }'],
    ],
    hold: 'm.make(1)',
    then: 'held.map((one) => one(3))',
    gives: [8, 4, 15],
  },
  'calls a local without a receiver, and as a tag': {
    before: scope(
      '"use strict"; const who = function (strings) { return [this === undefined, strings?.raw?.[0]] };',
      '() => who()',
    ),
    edits: [['() => who()', '() => [who(), who`x`, typeof who, who?.()]']],
    hold: 'm.make(1)',
    then: 'held()',
    gives: [[true, null], [true, 'x'], 'function', [true, null]],
  },
  'a name that is shadowed inside stays the inner one': {
    before: scope('let n = 1; let o = 2;', '() => n + o'),
    edits: [['() => n + o', '() => { const first = n; { let n = 50; return [first, n + o, ((o) => o + n)(1)] } }']],
    hold: 'm.make(1)',
    then: 'held()',
    gives: [1, 52, 51],
  },
  'a constant cannot be assigned': {
    before: scope('const n = 4;', '() => n'),
    edits: [['() => n', '() => { try { n = 5 } catch (e) { return [n, e.name, e.message] } }']],
    hold: 'm.make(1)',
    then: 'held()',
    gives: [4, 'TypeError', 'Assignment to constant variable.'],
  },
  'a dead zone is one': {
    before:
      'export function make() { const early = () => late; const results = [early]; let late = 3; return results[0] }\nexport let asked;\nexport function ask() { const look = () => typeof later; asked = look; globalThis.hook?.(look); let later = 1; return later }\n',
    edits: [['=> late;', '=> late + 1;']],
    hold: 'm.make()',
    then: 'held()',
    gives: 4,
  },
  'this of the method around it': {
    before: 'export class Lock { level = 2; rise() { const by = 1; return () => this.level + by } }\n',
    edits: [['this.level + by', '(this.level += by, this.level * 10)']],
    hold: 'new m.Lock().rise()',
    then: '[held(), held()]',
    gives: [30, 40],
  },
  'arguments of the function around it': {
    before: 'export function make() { return () => arguments.length }\n',
    edits: [['arguments.length', '[...arguments].join()']],
    hold: 'm.make(4, 5, 6)',
    then: 'held()',
    gives: '4,5,6',
  },
  'private names': {
    before: 'export class Lock { #level = 2; rise() { const by = 3; return () => this.#level + by } }\n',
    edits: [['this.#level + by', '#level in this ? ++this.#level * by : 0']],
    hold: 'new m.Lock().rise()',
    then: '[held(), held()]',
    gives: [9, 12],
  },
  'super of the method around it': {
    before:
      'class Gate { name() { return "gate" } }\nexport class Lock extends Gate { ask() { const by = 3; return () => super.name() + by } }\n',
    edits: [['super.name() + by', 'super.name().toUpperCase() + by']],
    hold: 'new m.Lock().ask()',
    then: 'held()',
    gives: 'GATE3',
  },
  'a class that a function makes': {
    before:
      'export function make(a) { return class { #n = a; later() { const by = 2; return () => this.#n * by } } }\n',
    edits: [['this.#n * by', 'this.#n * by + a']],
    hold: 'new (m.make(5))().later()',
    then: 'held()',
    gives: 15,
  },
  'a closure in a closure in a closure': {
    before:
      'export function make(a) { let x = a; return (b) => { let y = b; return (c) => { let z = c; return () => x + y + z } } }\n',
    edits: [['=> x + y + z', '=> [x++, y++, z++, x + y + z].join()']],
    hold: 'm.make(1)(2)(3)',
    then: '[held(), held()]',
    gives: ['1,2,3,9', '2,3,4,12'],
  },
  'the function between is changed, and then the inner one': {
    before: 'export function make(a) { let x = a; return (b) => { let y = b; return () => x + y } }\n',
    edits: [['let y = b;', 'let y = b * 100;']],
    hold: '[m.make(1), m.make(1)(2)]',
    then: '[held[0](5)(), held[1]()]',
    gives: [501, 3],
  },
  'each turn of a loop has its own': {
    before:
      'export const list = [];\nfor (let i = 0; i < 3; i++) { const twice = i * 2; list.push(() => i + twice) }\n',
    edits: [['() => i + twice', '() => [i, twice].join()']],
    hold: 'm.list',
    then: 'held.map((one) => one())',
    gives: ['0,0', '1,2', '2,4'],
  },
  'what a catch clause caught': {
    before:
      'export let ask; try { throw new Error("leak") } catch ({ message }) { const at = 4; ask = () => message + at }\n',
    edits: [['message + at', 'message.length + at']],
    hold: 'm.ask',
    then: 'held()',
    gives: 8,
  },
  'a function expression that names itself': {
    before: 'export function make(a) { return function down(n) { return n === 0 ? a : down(n - 1) } }\n',
    edits: [['? a :', '? a * 2 :']],
    hold: 'm.make(4)',
    then: 'held(3)',
    gives: 8,
  },
  'generators and async functions': {
    before:
      'export function make(a) { let n = a; return { *each() { yield n }, later: async () => n, all: async function* () { yield n } } }\n',
    edits: [
      ['{ yield n }, later', '{ yield n; yield* [n + 1] }, later'],
      ['async () => n', 'async () => (await null, ++n)'],
    ],
    hold: 'm.make(1)',
    then: '(async () => [[...held.each()], await held.later(), (await held.all().next()).value])()',
    gives: [[1, 2], 2, 2],
  },
  'defaults of its parameters': {
    before: scope('const base = 10;', '(n = base) => n'),
    edits: [['(n = base) => n', '(n = base * 2, { step = base } = {}) => n + step']],
    hold: 'm.make(1)',
    then: '[held(), held(1, { step: 2 })]',
    gives: [30, 3],
  },
  'a default that is written short': {
    before: scope('const base = 10;', '({ base: own } = { base }) => own'),
    edits: [['=> own', '=> own + 1']],
    hold: 'm.make(1)',
    then: '[held(), held({ base: 2 })]',
    gives: [11, 3],
  },
  'an object that names it twice': {
    before: scope('let n = 1;', '() => n'),
    edits: [['() => n', '() => ({ n, m: n, [n]: n, f() { return n }, get g() { return n } })']],
    hold: 'm.make(1)',
    then: '(({ f, g, ...rest }) => ({ ...rest, f: f(), g }))(held())',
    gives: { n: 1, m: 1, 1: 1, f: 1, g: 1 },
  },
  'a local that no function had used is named': {
    before: scope('const heard = 1; const unheard = 2;', '() => heard'),
    edits: [['() => heard', '() => heard + unheard']],
    hold: '[m.make(1)]',
    then: '[held[0](), m.make(1)()]',
    gives: [1, 3],
    says: /needs unheard, which is not in the scope it was made in/,
  },
  'its own eval sees everything, as it did': {
    before: scope('const seen = 3; const also = 4;', '() => eval("seen + also")'),
    edits: [['seen + also', 'seen * also']],
    hold: 'm.make(1)',
    then: 'held()',
    gives: 12,
  },
  'in a script that is not strict': {
    before:
      'exports.make = function (a) { var n = a; return function () { n = n + 1; return [n, typeof this, arguments.length] } };\n',
    edits: [['n = n + 1', 'n = n + 2']],
    hold: 'm.make(1)',
    then: 'held(7)',
    gives: [3, 'object', 1],
    file: 'gate.cjs',
  },
  'a function that calls itself takes a new body, and more parameters are refused': {
    before:
      'export const depth = (n) => (n === 0 ? 0 : 1 + depth(n - 1));\nexport function down(n) { return n === 0 ? 0 : 1 + down(n - 1) }\n',
    edits: [
      ['? 0 : 1 + depth', '? 100 : 1 + depth'],
      ['function down(n) { return n === 0', 'function down(n, by = 1) { return n <= 0'],
    ],
    hold: '[m.depth, m.down]',
    then: '[held[0](2), held[1](2)]',
    gives: [102, 2],
    says: /gets no more arguments than it had parameters/,
  },
};

const normal = (value: unknown): unknown => JSON.parse(JSON.stringify([value]))[0];

async function run(
  { before, edits, hold, then, file = 'gate.ts' }: Case,
  depth?: 'counts' | 'values',
): Promise<[unknown, string]> {
  const after = edits.reduce((text, [from, to]) => {
    expect(text.split(from).length).toBe(2);
    return text.replace(from, () => to);
  }, before);
  const stage = new Stage({ [file]: before }, `/canal/${file}`);
  await stage.start();
  if (depth) stage.observe(depth);
  stage.held = stage.evaluate(hold);
  const said = await stage.save({ [file]: after });
  return [normal(await stage.evaluate(then)), `${said} ${JSON.stringify(stage.notes)}`];
}

describe.each([undefined, 'counts', 'values'] as const)('closures, observed at %s', (depth) => {
  test.each(Object.entries(CASES))('%s', async (_name, one) => {
    const [given, said] = await run(one, depth);
    expect(given).toEqual(one.gives);
    expect(said).toMatch(one.says ?? /^(?!.*(failed|cannot|"kept"))/);
  });
});
