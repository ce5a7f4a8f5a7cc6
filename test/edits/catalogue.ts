/**
 * Edits of a program that runs: the text before, what is held of it, the text
 * after, and how what is held must behave then. `hold` and `then` are
 * expressions that know the module as `m`; `then` knows what was held as `held`.
 */
export interface Edit {
  group: string;
  name: string;
  before: string | Record<string, string>;
  after: string | Record<string, string>;
  hold?: string;
  then: string;
  gives: unknown;
  /** What the plan must say. */
  says?: string;
  file: string;
}

type Text = string | Record<string, string>;
type Changes = [string, string][];

const edits: Edit[] = [];
let group = '';
let file = 'main.js';

function to(text: string, changes: Changes): string {
  let result = text;
  for (const [from, into] of changes) {
    if (!result.includes(from)) throw new Error(`the catalogue changes what is not there: ${from}`);
    result = result.replace(from, () => into);
  }
  return result;
}

function edit(
  name: string,
  before: Text,
  change: Text | Changes,
  expected: { hold?: string; then: string; gives: unknown; says?: string },
): void {
  const after = Array.isArray(change) ? to(before as string, change) : change;
  edits.push({ group, name, before, after, file, ...expected });
}

// ---- bodies -----------------------------------------------------------------
group = 'function bodies';

edit('a number in a declaration', 'let n = 0;\nexport function tick() { n += 1; return n; }\n', [['+= 1', '+= 10']], {
  hold: '(m.tick(), m.tick)',
  then: '[held(), m.tick === held]',
  gives: [11, true],
  says: 'tick patched',
});
edit(
  'a function that a timer list holds',
  'const held = [];\nfunction advance() { return 1; }\nheld.push(advance);\nexport const run = () => held.map((f) => f());\n',
  [['return 1', 'return 2']],
  {
    then: 'm.run()',
    gives: [2],
    says: 'advance patched',
  },
);
edit('a function expression', 'export const rise = function () { return 4.2; };\n', [['4.2', '6.1']], {
  hold: 'm.rise',
  then: '[held(), held.name]',
  gives: [6.1, 'rise'],
});
edit(
  'a named function expression that calls itself',
  'export const sum = function add(n) { return n === 0 ? 0 : n + add(n - 1); };\n',
  [['? 0 :', '? 100 :']],
  {
    hold: 'm.sum',
    then: '[held(3), held.name]',
    gives: [106, 'add'],
  },
);
edit('an arrow with an expression', 'export const toll = (tonnes) => tonnes * 2;\n', [['* 2', '* 3']], {
  hold: 'm.toll',
  then: '[held(4), held.name, held.length]',
  gives: [12, 'toll', 1],
});
edit(
  'an arrow with a block',
  'export const toll = (tonnes) => { const rate = 2; return tonnes * rate; };\n',
  [['rate = 2', 'rate = 5']],
  {
    hold: 'm.toll',
    then: 'held(4)',
    gives: 20,
  },
);
edit('an arrow without parentheses', 'export const twice = n => n + n;\n', [['n + n', 'n * 10']], {
  hold: 'm.twice',
  then: '[held(2), held.length]',
  gives: [20, 1],
});
edit(
  'an arrow that gives an object',
  'export const lock = (name) => ({ name, rise: 1 });\n',
  [['rise: 1', 'rise: 2']],
  {
    hold: 'm.lock',
    then: 'held("Elm")',
    gives: { name: 'Elm', rise: 2 },
  },
);
edit('an arrow that gets one more parameter', 'export const at = (a) => [a];\n', [['(a) => [a]', '(a, b) => [a, b]']], {
  hold: 'm.at',
  then: 'held(1, 2)',
  gives: [1, 2],
});
edit('an arrow that gets a rest', 'export const at = (a) => [a];\n', [['(a) => [a]', '(a, ...more) => [a, more]']], {
  hold: 'm.at',
  then: 'held(1, 2, 3)',
  gives: [1, [2, 3]],
});
edit('an arrow without parameters that gets some', 'export const at = () => 0;\n', [['() => 0', '(a, b) => a + b']], {
  hold: 'm.at',
  then: 'held(3, 4)',
  gives: 7,
});
edit('an arrow that loses its parameter', 'export const at = (a) => a;\n', [['(a) => a', '() => "none"']], {
  hold: 'm.at',
  then: 'held(1)',
  gives: 'none',
});
edit(
  'an arrow with a pattern',
  'export const mass = ({ tonnes }) => tonnes;\n',
  [['({ tonnes }) => tonnes', '({ tonnes, kind }) => kind + tonnes']],
  {
    hold: 'm.mass',
    then: '[held({ tonnes: 3, kind: "slate" }), held.length]',
    gives: ['slate3', 1],
  },
);
edit('an arrow whose default changes', 'export const fee = (n, rate = 2) => n * rate;\n', [['rate = 2', 'rate = 7']], {
  hold: 'm.fee',
  then: '[held(1), held(1, 3), held.length]',
  gives: [7, 3, 1],
});
edit(
  'an arrow with a pattern in an array and a default',
  'export const first = ([a = 1] = []) => a;\n',
  [
    ['[a = 1] = []', '[a = 5, b = 6] = []'],
    ['=> a', '=> [a, b]'],
  ],
  {
    hold: 'm.first',
    then: '[held(), held([2])]',
    gives: [
      [5, 6],
      [2, 6],
    ],
  },
);
edit(
  'a function with defaults and a rest',
  'export function f(a, b = 2, ...c) { return [a, b, c]; }\n',
  [
    ['b = 2', 'b = 20'],
    ['[a, b, c]', '[c, b, a]'],
  ],
  {
    hold: 'm.f',
    then: '[held(1), held(1, 2, 3)]',
    gives: [
      [[], 20, 1],
      [[3], 2, 1],
    ],
  },
);
edit(
  'a function that uses arguments',
  'export function count() { return arguments.length; }\n',
  [['arguments.length', 'arguments.length * 10']],
  {
    hold: 'm.count',
    then: 'held(1, 2)',
    gives: 20,
  },
);
edit(
  'a function that uses this',
  'export function name() { return this.name; }\n',
  [['this.name', '"MV " + this.name']],
  {
    hold: '({ name: "Heron", call: m.name })',
    then: 'held.call()',
    gives: 'MV Heron',
  },
);
edit('a generator', 'export function* stages() { yield 1; yield 2; }\n', [['yield 1; yield 2', 'yield 10; yield 20']], {
  hold: 'm.stages',
  then: '[...held()]',
  gives: [10, 20],
});
edit(
  'a generator in flight ends as it began',
  'export function* stages() { yield 1; yield 2; }\n',
  [['yield 2', 'yield 200']],
  {
    hold: '(() => { const it = m.stages(); it.next(); return it; })()',
    then: '[held.next().value, [...m.stages()]]',
    gives: [2, [1, 200]],
  },
);
edit('an async function', 'export async function wait() { await null; return 1; }\n', [['return 1', 'return 5']], {
  hold: 'm.wait',
  then: 'held()',
  gives: 5,
});
edit(
  'an async function in flight ends as it began',
  'let open;\nconst gate = new Promise((resolve) => (open = resolve));\nexport async function pass() { await gate; return "old"; }\nexport const go = () => open();\n',
  [['"old"', '"new"']],
  {
    hold: 'm.pass()',
    then: '(m.go(), Promise.all([held, m.pass()]))',
    gives: ['old', 'new'],
  },
);
edit(
  'an async arrow',
  'export const wait = async (n) => { await null; return n; };\n',
  [['return n', 'return n * 2']],
  {
    hold: 'm.wait',
    then: 'held(4)',
    gives: 8,
  },
);
edit('an async generator', 'export async function* flow() { yield 1; }\n', [['yield 1', 'yield 7; yield 8']], {
  hold: 'm.flow',
  then: '(async () => { const all = []; for await (const n of held()) all.push(n); return all; })()',
  gives: [7, 8],
});
edit(
  'a recursive function',
  'export function climb(n) { return n <= 0 ? [] : [n, ...climb(n - 1)]; }\n',
  [['[n,', '[n * 2,']],
  {
    hold: 'm.climb',
    then: 'held(2)',
    gives: [4, 2],
  },
);
edit(
  'two functions that call each other',
  'export function up(n) { return n <= 0 ? "up" : down(n - 1); }\nfunction down(n) { return n <= 0 ? "down" : up(n - 1); }\n',
  [['"down"', '"DOWN"']],
  { hold: 'm.up', then: '[held(1), held(2)]', gives: ['DOWN', 'up'] },
);
edit(
  'a function on the stack ends in its old body',
  'export function outer(change) { const before = 1; change(); return before + inner(); }\nfunction inner() { return 1; }\n',
  [
    ['return 1', 'return 10'],
    ['const before = 1', 'const before = 100'],
  ],
  {
    hold: 'm.outer',
    then: 'held(() => {})',
    gives: 110,
  },
);
edit(
  'a function used as a constructor',
  'export function Barge(name) { this.name = name; }\nBarge.prototype.hail = function () { return "ahoy " + this.name; };\n',
  [
    ['this.name = name', 'this.name = name + "!"'],
    ['ahoy', 'hello'],
  ],
  {
    hold: 'new m.Barge("Otter")',
    then: '[held.hail(), new m.Barge("Teal").hail(), new m.Barge("x") instanceof m.Barge]',
    gives: ['hello Otter', 'hello Teal!', true],
  },
);
edit(
  'new.target in a function',
  'export function Gate() { this.kind = 0; }\n',
  [['this.kind = 0', 'this.kind = new.target === undefined ? "called" : "made"']],
  { hold: 'm.Gate', then: 'new held().kind', gives: 'made' },
);
edit('a body that was empty', 'export function log() {}\n', [['{}', '{ return "logged"; }']], {
  hold: 'm.log',
  then: 'held()',
  gives: 'logged',
});
edit('a body that becomes empty', 'export function log() { return 1; }\n', [['{ return 1; }', '{}']], {
  hold: 'm.log',
  then: '[held()]',
  gives: [null],
});
edit(
  'a try, a label and a loop',
  'export function find(list) { for (const n of list) { if (n > 1) return n; } return -1; }\n',
  [
    [
      'for (const n of list) { if (n > 1) return n; }',
      'outer: for (const n of list) { try { if (n > 2) break outer; } finally { list.seen = n; } }\n return list.seen;',
    ],
  ],
  { hold: 'm.find', then: 'held([1, 2, 3, 4])', gives: 3 },
);
edit(
  'comments and blanks alone',
  'export function f() { return 1; }\n',
  'export function f() {\n  // one\n  return (1); /* still */\n}\n',
  {
    hold: 'm.f',
    then: 'held()',
    gives: 1,
    says: 'nothing to do',
  },
);
edit(
  'text that only moved',
  'export function a() { return 1; }\nexport function b() { return 2; }\n',
  '// moved\n\nexport function b() { return 2; }\n\nexport function a() { return 1; }\n',
  { then: '[m.a(), m.b()]', gives: [1, 2], says: 'nothing to do' },
);
edit('a template with blanks in it', 'export const f = () => `a b`;\n', [['`a b`', '`a  b`']], {
  hold: 'm.f',
  then: 'held()',
  gives: 'a  b',
});
edit('a regular expression', 'export const f = (s) => /lock/.test(s);\n', [['/lock/', '/LOCK/i']], {
  hold: 'm.f',
  then: 'held("lOck")',
  gives: true,
});
edit(
  'a tagged template',
  'const tag = (s, ...v) => s.raw.join("|") + v;\nexport const f = (x) => tag`a${x}b`;\n',
  [['`a${x}b`', '`c${x}d`']],
  {
    hold: 'm.f',
    then: 'held(1)',
    gives: 'c|d1',
  },
);
edit(
  'an optional chain',
  'export const f = (b) => b?.hold?.tonnes;\n',
  [['b?.hold?.tonnes', 'b?.hold?.kind ?? "empty"']],
  {
    hold: 'm.f',
    then: '[held(), held({ hold: { kind: "lime" } })]',
    gives: ['empty', 'lime'],
  },
);
edit(
  'the same function ten times over',
  'export function f() { return 0; }\n',
  [['return 0', 'return [1, 2, 3].reduce((a, b) => a + b, 10)']],
  {
    hold: 'm.f',
    then: 'held()',
    gives: 16,
  },
);

// ---- additions -------------------------------------------------------------
group = 'new names';

edit(
  'a helper',
  'export function fill(level) { return level + 1; }\n',
  [
    ['level + 1', 'level + ramp(2)'],
    ['export', 'function ramp(n) { return n * 10; }\nexport'],
  ],
  { hold: 'm.fill', then: 'held(1)', gives: 21, says: 'fill patched · ramp added' },
);
edit(
  'a helper below',
  'export function fill(level) { return level + 1; }\n',
  'export function fill(level) { return ramp(level); }\nfunction ramp(n) { return n * 10; }\n',
  { hold: 'm.fill', then: 'held(2)', gives: 20 },
);
edit(
  'a constant and a helper that uses it',
  'export function fill(level) { return level; }\n',
  'const STEP = 5;\nconst ramp = (n) => n * STEP;\nexport function fill(level) { return ramp(level); }\n',
  { hold: 'm.fill', then: 'held(2)', gives: 10 },
);
edit(
  'a helper, changed again later',
  'export function fill(level) { return level + 1; }\n',
  [
    ['level + 1', 'level + ramp(2)'],
    ['export', 'function ramp(n) { return n * 10; }\nexport'],
  ],
  { hold: 'm.fill', then: 'held(1)', gives: 21 },
);
edit(
  'a variable with state',
  'export function next() { return 0; }\n',
  'let count = 100;\nexport function next() { return ++count; }\n',
  {
    hold: 'm.next',
    then: '[held(), held()]',
    gives: [101, 102],
  },
);
edit(
  'a class',
  'export function make() { return null; }\n',
  'class Barge { name = "Heron"; hail() { return "ahoy " + this.name; } }\nexport function make() { return new Barge().hail(); }\n',
  { hold: 'm.make', then: 'held()', gives: 'ahoy Heron' },
);
edit(
  'a class with private fields',
  'export function make() { return null; }\n',
  'class Tank { #level = 3; up() { return ++this.#level; } }\nconst tank = new Tank();\nexport function make() { return tank.up(); }\n',
  { hold: 'm.make', then: '[held(), held()]', gives: [4, 5] },
);
edit(
  'a class that extends one that lives',
  'class Gate { name() { return "gate"; } }\nexport function make() { return new Gate().name(); }\n',
  [
    ['export', 'class Lock extends Gate { name() { return super.name() + "!"; } }\nexport'],
    ['new Gate()', 'new Lock()'],
  ],
  { hold: 'm.make', then: 'held()', gives: 'gate!' },
);
edit('an export', 'export const a = 1;\n', 'export const a = 1;\nexport const b = () => a + 1;\n', {
  then: 'm.b()',
  gives: 2,
  says: 'b added',
});
edit(
  'an export list',
  'const a = 1;\nexport { a };\n',
  'const a = 1;\nfunction b() { return 2; }\nexport { a, b as other };\n',
  {
    then: '[m.a, m.other()]',
    gives: [1, 2],
  },
);
edit(
  'an import of the platform',
  'export function sep() { return 1; }\n',
  "import { posix } from 'node:path';\nexport function sep() { return posix.join('a', 'b'); }\n",
  { hold: 'm.sep', then: 'held()', gives: 'a/b' },
);
edit(
  'a default import and a namespace',
  'export function f() { return 1; }\n',
  "import path, * as all from 'node:path';\nexport function f() { return [path.posix.sep, all.posix.sep]; }\n",
  { hold: 'm.f', then: 'held()', gives: ['/', '/'] },
);
edit(
  'an import of a file',
  { 'main.js': 'export function f() { return 1; }\n', 'tolls.js': 'export const rate = 3;\n' },
  { 'main.js': "import { rate } from './tolls.js';\nexport function f() { return rate; }\n" },
  { hold: 'm.f', then: 'held()', gives: 3 },
);
edit(
  'another name of a module that is imported',
  "import { sep } from 'node:path/posix';\nexport function f() { return sep; }\n",
  [
    ['{ sep }', '{ sep, join }'],
    ['return sep', 'return join("a", sep)'],
  ],
  { hold: 'm.f', then: 'held()', gives: 'a/' },
);
edit(
  'imports in another order',
  "import { sep } from 'node:path/posix';\nimport { EOL } from 'node:os';\nexport function f() { return sep + EOL.length; }\n",
  "import { EOL } from 'node:os';\nimport { sep } from 'node:path/posix';\nexport function f() { return EOL.length + sep; }\n",
  { hold: 'm.f', then: 'held()', gives: '1/' },
);
edit(
  'an import that stands for another name',
  "import { sep as mark } from 'node:path/posix';\nexport function f() { return mark; }\n",
  [['sep as mark', 'delimiter as mark']],
  { hold: 'm.f', then: 'held()', gives: ':' },
);
edit(
  'a name that an unchanged function asked for',
  'export function f() { try { return later(); } catch (error) { return error.name; } }\n',
  'export function f() { try { return later(); } catch (error) { return error.name; } }\nfunction later() { return "there"; }\n',
  { hold: '(m.f(), m.f)', then: 'held()', gives: 'there' },
);
edit(
  'a name inside typeof',
  'export function f() { return typeof later; }\n',
  'export function f() { return typeof later; }\nconst later = 1;\n',
  {
    hold: 'm.f',
    then: 'held()',
    gives: 'number',
  },
);
edit(
  'a name that hides a global',
  'export function f() { return parseInt("7"); }\n',
  'const parseInt = () => 1;\nexport function f() { return parseInt("7"); }\n',
  { hold: 'm.f', then: 'held()', gives: 1 },
);
edit(
  'object shorthand of a new name',
  'export function f() { return {}; }\n',
  'const rise = 4;\nexport function f() { return { rise }; }\n',
  {
    hold: 'm.f',
    then: 'held()',
    gives: { rise: 4 },
  },
);
edit(
  'a new name that is assigned',
  'export function f() { return 0; }\n',
  'let n = 0;\nexport function f() { n += 2; n++; [n] = [n * 10]; return n; }\n',
  {
    hold: 'm.f',
    then: 'held()',
    gives: 30,
  },
);
edit(
  'names in a pattern',
  'export function f() { return 0; }\n',
  'const { a, b: [c] } = { a: 1, b: [2] };\nexport function f() { return a + c; }\n',
  {
    hold: 'm.f',
    then: 'held()',
    gives: 3,
  },
);
edit(
  'an async helper',
  'export async function f() { return 1; }\n',
  'const pause = async (n) => { await null; return n; };\nexport async function f() { return (await pause(2)) + 1; }\n',
  { hold: 'm.f', then: 'held()', gives: 3 },
);
edit(
  'a helper that closes over its own state',
  'export function f() { return 0; }\n',
  'const counter = (() => { let n = 0; return () => ++n; })();\nexport function f() { return counter(); }\n',
  { hold: 'm.f', then: '[held(), held()]', gives: [1, 2] },
);
edit(
  'a default export',
  'export const a = 1;\n',
  'export const a = 1;\nexport default function () { return a + 1; }\n',
  {
    then: '[m.a, typeof m.default]',
    gives: [1, 'function'],
  },
);

// ---- values ----------------------------------------------------------------
group = 'constants and state';

edit('a constant', 'const RATE = 1;\nexport function f() { return RATE; }\n', [['RATE = 1', 'RATE = 2']], {
  hold: 'm.f',
  then: 'held()',
  gives: 2,
  says: 'RATE assigned',
});
edit('an exported constant', 'export const RATE = 1;\n', [['1', '2']], { then: 'm.RATE', gives: 2 });
edit(
  'a constant that others are computed from',
  'const RISE = 4;\nconst TWICE = RISE * 2;\nconst ALL = [TWICE, RISE];\nexport const f = () => ALL;\n',
  [['RISE = 4', 'RISE = 5']],
  { hold: 'm.f', then: 'held()', gives: [10, 5], says: 'RISE, TWICE, ALL assigned' },
);
edit(
  'a write to a constant throws as before',
  'const RATE = 1;\nexport function f() { try { RATE = 3; } catch (error) { return error.message; } }\n',
  [['const RATE = 1', 'const RATE = 2']],
  { hold: 'm.f', then: 'held()', gives: 'Assignment to constant variable.' },
);
edit(
  'a variable that was counted up',
  'let frame = 0;\nexport function f() { return ++frame; }\n',
  [['frame = 0', 'frame = 50']],
  {
    hold: '(m.f(), m.f(), m.f)',
    then: 'held()',
    gives: 3,
    says: 'frame kept',
  },
);
edit(
  'a variable that nothing writes',
  'let speed = 1;\nexport function f() { return speed; }\n',
  [['speed = 1', 'speed = 4']],
  {
    hold: 'm.f',
    then: 'held()',
    gives: 4,
    says: 'speed assigned',
  },
);
edit(
  'one property of an object that holds state',
  'const state = { frame: 0, speed: 1 };\nexport function f() { state.frame += state.speed; return state.frame; }\n',
  [['speed: 1', 'speed: 10']],
  { hold: '(m.f(), m.f)', then: 'held()', gives: 11, says: 'state assigned' },
);
edit(
  'a property that holds state itself',
  'const state = { frame: 0, speed: 1 };\nexport function f() { state.frame += state.speed; return state.frame; }\n',
  [['frame: 0', 'frame: 90']],
  { hold: '(m.f(), m.f)', then: 'held()', gives: 2, says: 'state.frame kept' },
);
edit(
  'a new property of an object that someone holds',
  'export const tolls = { slate: 1 };\n',
  [['slate: 1', 'slate: 2, timber: 3']],
  {
    hold: 'm.tolls',
    then: '[held, held === m.tolls]',
    gives: [{ slate: 2, timber: 3 }, true],
  },
);
edit('a property that is gone', 'export const tolls = { slate: 1, lime: 2 };\n', [[', lime: 2', '']], {
  hold: 'm.tolls',
  then: 'held',
  gives: { slate: 1 },
});
edit(
  'a property deep inside',
  'export const canal = { locks: { alder: { rise: 4.2 }, elm: { rise: 7 } } };\n',
  [['rise: 7', 'rise: 7.5']],
  {
    hold: 'm.canal.locks.elm',
    then: 'held.rise',
    gives: 7.5,
    says: 'canal.locks.elm assigned',
  },
);
edit(
  'a method in an object',
  'export const keeper = { rounds: 0, walk() { return ++this.rounds; } };\n',
  [['++this.rounds', '(this.rounds += 10)']],
  {
    hold: '(m.keeper.walk(), m.keeper.walk)',
    then: '[m.keeper.walk(), m.keeper.walk === held]',
    gives: [11, true],
  },
);
edit(
  'a getter and a setter in an object',
  'export const gate = { n: 1, get level() { return this.n; }, set level(v) { this.n = v; } };\n',
  [
    ['return this.n', 'return this.n * 100'],
    ['this.n = v', 'this.n = v + 1'],
  ],
  { hold: 'm.gate', then: '((held.level = 4), held.level)', gives: 500 },
);
edit(
  'a new method and a new getter in an object',
  'export const keeper = { name: "R" };\n',
  [['name: "R"', 'name: "R", hail() { return "ahoy " + this.name; }, get upper() { return this.name + "!"; }']],
  { hold: 'm.keeper', then: '[held.hail(), held.upper]', gives: ['ahoy R', 'R!'] },
);
edit('a function in an object', 'export const routes = { "/": () => "home" };\n', [['"home"', '"house"']], {
  hold: 'm.routes["/"]',
  then: 'held()',
  gives: 'house',
});
edit(
  'a new route',
  'const routes = { "/": () => "home" };\nexport const go = (path) => (routes[path] ?? (() => 404))();\n',
  [['"home" }', '"home", "/queue": () => "queue" }']],
  { hold: 'm.go', then: '[held("/"), held("/queue"), held("/x")]', gives: ['home', 'queue', 404] },
);
edit('a computed key', 'const KEY = "a";\nexport const box = { [KEY]: 1 };\n', [['[KEY]: 1', '[KEY]: 2']], {
  then: 'm.box.a',
  gives: 2,
});
edit('a spread in an object', 'const base = { a: 1 };\nexport const all = { ...base, b: 2 };\n', [['b: 2', 'b: 3']], {
  then: 'm.all',
  gives: { a: 1, b: 3 },
});
edit('a list that someone holds', 'export const names = ["Alder", "Birch"];\n', [['"Birch"', '"Birch", "Cress"']], {
  hold: 'm.names',
  then: '[held, held === m.names]',
  gives: [['Alder', 'Birch', 'Cress'], true],
});
edit(
  'a list that the program fills',
  'export const queue = ["Heron"];\nexport const join = (name) => queue.push(name);\n',
  [['["Heron"]', '[]']],
  {
    hold: '(m.join("Otter"), m.queue)',
    then: 'held',
    gives: ['Heron', 'Otter'],
    says: 'queue kept',
  },
);
edit('functions in a list', 'export const stages = [(n) => n + 1, (n) => n * 2];\n', [['n * 2', 'n * 20']], {
  hold: 'm.stages[1]',
  then: 'held(3)',
  gives: 60,
});
edit('a map that nothing fills', 'export const rates = new Map([["slate", 1]]);\n', [['"slate", 1', '"slate", 9']], {
  then: 'm.rates.get("slate")',
  gives: 9,
});
edit(
  'a map that the program fills',
  'export const seen = new Map([["a", 1]]);\nexport const see = (k) => seen.set(k, 1).size;\n',
  [['["a", 1]', '["a", 2]']],
  {
    hold: '(m.see("b"), m.seen)',
    then: '[held.size, held.get("a"), held === m.seen]',
    gives: [2, 1, true],
  },
);
edit(
  'a constant that becomes a function',
  'export const rate = 3;\nexport const f = () => (typeof rate === "function" ? rate(2) : rate);\n',
  [['rate = 3', 'rate = (n) => n * 3']],
  { hold: 'm.f', then: 'held()', gives: 6 },
);
edit(
  'a function that becomes a constant',
  'export function rate() { return 3; }\nexport const f = () => (typeof rate === "function" ? rate() : rate);\n',
  [['export function rate() { return 3; }', 'export const rate = 4;']],
  { hold: 'm.f', then: 'held()', gives: 4 },
);
edit(
  'a function that becomes an arrow',
  'export function rate(n) { return n; }\n',
  [['export function rate(n) { return n; }', 'export const rate = (n) => n * 2;']],
  { hold: 'm.rate', then: '[held(2), m.rate(2)]', gives: [4, 4] },
);
edit(
  'an arrow that becomes a function',
  'export const rate = (n) => n;\n',
  [['export const rate = (n) => n;', 'export function rate(n) { return n * arguments.length; }']],
  { hold: 'm.rate', then: 'held(2, 0, 0)', gives: 6 },
);
edit(
  'let for const',
  'const n = 1;\nexport function f() { return n; }\n',
  'let n = 1;\nexport function f() { n += 1; return n; }\n',
  {
    hold: 'm.f',
    then: 'held()',
    gives: 2,
  },
);
edit(
  'a pattern at the top',
  'const { a } = { a: 1, b: 2 };\nexport const f = () => [a];\n',
  [
    ['{ a } =', '{ a, b } ='],
    ['[a]', '[a, b]'],
  ],
  { hold: 'm.f', then: 'held()', gives: [1, 2] },
);
edit(
  'a pattern whose values change',
  'const [x, y] = [1, 2];\nexport const f = () => [x, y];\n',
  [['[1, 2]', '[3, 4]']],
  {
    hold: 'm.f',
    then: 'held()',
    gives: [3, 4],
  },
);
edit(
  'a variable under another name',
  'let frames = 0;\nexport function f() { return ++frames; }\n',
  'let count = 0;\nexport function f() { return ++count; }\n',
  { hold: '(m.f(), m.f(), m.f)', then: 'held()', gives: 3, says: 'f patched · frames to count renamed' },
);
edit(
  'a constant that is computed from a call',
  'let made = 0;\nconst make = () => ++made;\nconst RATE = 2;\nconst one = make() * RATE;\nexport const f = () => [one, made];\n',
  [['RATE = 2', 'RATE = 5']],
  { hold: 'm.f', then: 'held()', gives: [2, 1], says: 'RATE assigned · one kept' },
);
edit('the default export of a value', 'export default 4;\n', [['4', '5']], { then: 'm.default', gives: 5 });
edit('the default export of an arrow', 'export default () => 4;\n', [['4', '5']], {
  hold: 'm.default',
  then: '[held(), held.name]',
  gives: [5, 'default'],
});
edit('the default export of a function', 'export default function () { return 4; }\n', [['4', '5']], {
  hold: 'm.default',
  then: '[held(), held.name]',
  gives: [5, 'default'],
});

// ---- closures ----------------------------------------------------------------
group = 'closures with state';

const counter = 'export function makeCounter(step) { let n = 0; return () => { n += step; return n; }; }\n';
edit('each keeps its own state', counter, [['return n;', 'return n * 100;']], {
  hold: '(() => { const a = m.makeCounter(1), b = m.makeCounter(10); a(); a(); b(); return { a, b }; })()',
  then: '[held.a(), held.b(), m.makeCounter(2)()]',
  gives: [300, 2000, 200],
  says: 'makeCounter.() (line 1) patched',
});
edit('again and again', counter, [['n += step; return n;', 'n -= step; return -n;']], {
  hold: '(() => { const a = m.makeCounter(1); a(); return a; })()',
  then: '[held(), held()].map((n) => n + 0)',
  gives: [0, 1],
});
edit('an expression', 'export const add = (a) => (b) => a + b;\n', [['a + b', 'a * b']], {
  hold: 'm.add(3)',
  then: '[held(4), m.add(2)(5)]',
  gives: [12, 10],
});
edit('three deep', 'export const make = (a) => (b) => (c) => [a, b, c];\n', [['[a, b, c]', '[c, b, a]']], {
  hold: '[m.make(1)(2), m.make(1)]',
  then: '[held[0](3), held[1](5)(6)]',
  gives: [
    [3, 2, 1],
    [6, 5, 1],
  ],
});
edit(
  'the middle one of three',
  'export const make = (a) => (b) => (c) => [a, b, c];\n',
  [['(b) => (c) => [a, b, c]', '(b) => (c) => [a * 10, b, c]']],
  {
    hold: '[m.make(1), m.make(1)(2)]',
    then: '[held[0](2)(3), held[1](3), m.make(4)(5)(6)]',
    gives: [
      [10, 2, 3],
      [10, 2, 3],
      [40, 5, 6],
    ],
  },
);
edit(
  'a function that makes functions, inside one that does',
  'export function main() { let n = 0; function tick() { n += 1; const k = n; return () => k; } return tick; }\n',
  [['const k = n;', 'const k = n * 100;']],
  { hold: 'm.main()', then: '[held()(), held()(), m.main()()()]', gives: [100, 200, 100] },
);
edit(
  'one of several functions of a scope',
  'export function makeTank() { let level = 0; return { fill(n) { level += n; return level; }, drain: (n) => (level -= n), get level() { return level; } }; }\n',
  [
    ['level += n', 'level += n * 10'],
    ['get level() { return level; }', 'get level() { return level + 0.5; }'],
  ],
  {
    hold: '(() => { const t = m.makeTank(); t.fill(1); return t; })()',
    then: '[held.fill(1), held.drain(1), held.level]',
    gives: [11, 10, 10.5],
  },
);
edit(
  'in a loop, each with its own variable',
  'export const all = [];\nfor (const name of ["a", "b"]) { const n = all.length; all.push(() => name + n); }\n',
  [['name + n', 'n + name']],
  { hold: 'm.all', then: 'held.map((f) => f())', gives: ['0a', '1b'] },
);
edit(
  'in a loop without braces',
  'export const all = [];\nfor (const name of ["a", "b"]) all.push(() => name);\n',
  [['=> name', '=> name + "!"']],
  {
    hold: 'm.all',
    then: 'held.map((f) => f())',
    gives: ['a!', 'b!'],
  },
);
edit(
  'in a loop with a counter',
  'export function make() { const all = []; for (let i = 0; i < 3; i++) { all.push(() => i); } return all; }\n',
  [['=> i)', '=> i * 10)']],
  { hold: 'm.make()', then: 'held.map((f) => f())', gives: [0, 10, 20] },
);
edit(
  'in a block',
  'let open;\n{ const secret = 7; open = () => secret; }\nexport const f = () => open();\n',
  [['=> secret', '=> secret + 1']],
  {
    hold: 'm.f',
    then: 'held()',
    gives: 8,
  },
);
edit(
  'in a catch',
  'let why;\ntry { throw new Error("low"); } catch (error) { why = () => error.message; }\nexport const f = () => why();\n',
  [['error.message', 'error.name + " " + error.message']],
  { hold: 'm.f', then: 'held()', gives: 'Error low' },
);
edit(
  'a callback that a function gave away',
  'const held = [];\nconst on = (f) => held.push(f);\nfunction watch(name) { let times = 0; on(() => name + ++times); }\nwatch("Elm"); watch("Dun");\nexport const fire = () => held.map((f) => f());\n',
  [['name + ++times', '++times + name']],
  { hold: 'm.fire()', then: 'm.fire()', gives: ['2Elm', '2Dun'] },
);
edit(
  'the function around it changes as well',
  'export function make(n) { const base = n; return () => base; }\n',
  [
    ['const base = n', 'const base = n * 10'],
    ['=> base', '=> [base]'],
  ],
  { hold: 'm.make(1)', then: '[held(), m.make(1)()]', gives: [[1], [10]] },
);
edit(
  'a local that the live scope never had',
  'export function make(n) { return () => n; }\n',
  [['return () => n', 'const twice = n * 2; return () => twice']],
  { hold: 'm.make(1)', then: '[held(), m.make(1)()]', gives: [1, 2] },
);
edit(
  'an own name of a module that is a local there',
  'export function make(rate) { return () => rate; }\n',
  'const rate = 100;\nexport function make(n) { return () => rate + n; }\n',
  { hold: 'm.make(1)', then: '[held(), m.make(1)()]', gives: [1, 101] },
);
edit(
  'a helper from inside',
  'export function make() { let n = 1; return () => n; }\n',
  [
    ['=> n', '=> triple(n)'],
    ['export', 'const triple = (n) => n * 3;\nexport'],
  ],
  { hold: 'm.make()', then: 'held()', gives: 3 },
);
edit(
  'this of an arrow',
  'export class Bell { name = "B"; ring() { return () => this.name; } }\n',
  [['this.name;', 'this.name + "!";']],
  {
    hold: 'new m.Bell().ring()',
    then: 'held()',
    gives: 'B!',
  },
);
edit(
  'arguments of an arrow',
  'export function outer() { return () => arguments[0]; }\n',
  [['arguments[0]', 'arguments.length']],
  {
    hold: 'm.outer("a", "b")',
    then: 'held()',
    gives: 2,
  },
);
edit(
  'a generator inside',
  'export function make(n) { return function* () { yield n; yield n + 1; }; }\n',
  [['yield n + 1', 'yield n + 100']],
  {
    hold: 'm.make(1)',
    then: '[...held()]',
    gives: [1, 101],
  },
);
edit(
  'an async function inside',
  'export function make(n) { return async () => { await null; return n; }; }\n',
  [['return n;', 'return n * 5;']],
  {
    hold: 'm.make(2)',
    then: 'held()',
    gives: 10,
  },
);
edit(
  'a function declaration inside',
  'export function make() { let n = 0; function up() { return ++n; } return up; }\n',
  [['++n', '(n += 5)']],
  {
    hold: '(() => { const f = m.make(); f(); return f; })()',
    then: 'held()',
    gives: 6,
  },
);
edit(
  'a named function expression inside',
  'export function make(k) { return function fact(n) { return n < 2 ? k : n * fact(n - 1); }; }\n',
  [['? k', '? k * 10']],
  { hold: 'm.make(1)', then: '[held(3), held.name]', gives: [60, 'fact'] },
);
edit(
  'what is called at once belongs to its function',
  'export const f = (list) => list.map((n) => n + 1);\n',
  [['n + 1', 'n + 2']],
  {
    hold: 'm.f',
    then: 'held([1])',
    gives: [3],
  },
);
edit('a value computed at once', 'export const all = [1, 2].map((n) => n + 1);\n', [['n + 1', 'n + 2']], {
  then: 'm.all',
  gives: [3, 4],
  says: 'all assigned',
});
edit(
  'made by a function called at once',
  'export const tank = (() => { let level = 1; return { up: () => ++level }; })();\n',
  [['++level', '(level += 10)']],
  {
    hold: '(m.tank.up(), m.tank)',
    then: 'held.up()',
    gives: 12,
  },
);
edit(
  'a callback put before another',
  'const held = [];\nconst on = (f) => held.push(f);\non(() => "a");\non(() => "b");\nexport const fire = () => held.map((f) => f());\n',
  [
    ['on(() => "a");', 'on(() => "new");\non(() => "a!");'],
    ['"b"', '"b!"'],
  ],
  { then: 'm.fire()', gives: ['a!', 'b!'] },
);
edit(
  'callbacks that changed places',
  'const held = [];\nconst on = (f) => held.push(f);\non(() => ["first", 1]);\non(() => ["second", 2]);\nexport const fire = () => held.map((f) => f());\n',
  [
    ['["first", 1]', '["second", 20]'],
    ['["second", 2]', '["first", 10]'],
  ],
  { then: 'm.fire().map(([name]) => name).sort()', gives: ['first', 'second'] },
);

// ---- classes ------------------------------------------------------------------
group = 'classes';

const barge =
  'export class Barge { name; at = 0; constructor(name) { this.name = name; } advance() { this.at += 1; return this.at; } }\n';
edit('a method', barge, [['+= 1', '+= 5']], {
  hold: '(() => { const b = new m.Barge("Heron"); b.advance(); return b; })()',
  then: '[held.advance(), new m.Barge("x").advance()]',
  gives: [6, 5],
  says: 'Barge.advance patched',
});
edit('a method that someone holds', barge, [['+= 1', '+= 5']], {
  hold: '(() => { const b = new m.Barge("Heron"); return b.advance.bind(b); })()',
  then: 'held()',
  gives: 5,
});
edit('a new method', barge, [['advance() {', 'stop() { return "stopped at " + this.at; } advance() {']], {
  hold: 'new m.Barge("Heron")',
  then: '[held.stop(), Object.keys(held)]',
  gives: ['stopped at 0', ['name', 'at']],
});
edit(
  'a getter and a setter',
  'export class Gate { v = 1; get level() { return this.v; } set level(v) { this.v = v; } }\n',
  [
    ['return this.v', 'return this.v * 10'],
    ['this.v = v', 'this.v = v + 1'],
  ],
  { hold: 'new m.Gate()', then: '((held.level = 2), held.level)', gives: 30 },
);
edit('a new getter', 'export class Gate { v = 1; }\n', [['v = 1;', 'v = 1; get twice() { return this.v * 2; }']], {
  hold: 'new m.Gate()',
  then: 'held.twice',
  gives: 2,
});
edit(
  'a setter beside a getter that lives',
  'export class Gate { v = 1; get level() { return this.v; } }\n',
  [['get level', 'set level(v) { this.v = v; } get level']],
  { hold: 'new m.Gate()', then: '((held.level = 6), held.level)', gives: 6 },
);
edit(
  'a private method',
  'export class Tank { #level = 1; #up() { this.#level += 1; } raise() { this.#up(); return this.#level; } }\n',
  [['+= 1', '+= 7']],
  {
    hold: 'new m.Tank()',
    then: 'held.raise()',
    gives: 8,
  },
);
edit(
  'a method that reads a private field',
  'export class Tank { #level = 3; read() { return this.#level; } }\n',
  [['return this.#level', 'return this.#level * 2']],
  { hold: 'new m.Tank()', then: 'held.read()', gives: 6 },
);
edit(
  'a private getter',
  'export class Tank { #v = 3; get #level() { return this.#v; } read() { return this.#level; } }\n',
  [['return this.#v', 'return this.#v + 100']],
  { hold: 'new m.Tank()', then: 'held.read()', gives: 103 },
);
edit(
  'a new private method',
  'export class Tank { #level = 3; read() { return this.#level; } }\n',
  [['read() { return this.#level; }', '#twice() { return this.#level * 2; } read() { return this.#twice(); }']],
  { hold: 'new m.Tank()', then: '[held.read(), new m.Tank().read()]', gives: [6, 6] },
);
edit(
  'a new private field',
  'export class Tank { read() { return 0; } }\n',
  [['read() { return 0; }', '#level = 4; read() { return ++this.#level; } static has(o) { return #level in o; }']],
  {
    hold: 'new m.Tank()',
    then: '[held.read(), held.read(), new m.Tank().read(), m.Tank.has(held), Object.keys(held)]',
    gives: [5, 6, 5, true, []],
  },
);
edit(
  'a static method',
  'export class Log { static count = 0; static add() { return ++this.count; } }\n',
  [['++this.count', '(this.count += 10)']],
  {
    hold: '(m.Log.add(), m.Log)',
    then: 'held.add()',
    gives: 11,
  },
);
edit(
  'a new static method',
  'export class Log { static count = 4; }\n',
  [['static count = 4;', 'static count = 4; static read() { return this.count; }']],
  {
    hold: 'm.Log',
    then: 'held.read()',
    gives: 4,
  },
);
edit(
  'a static field that nothing writes',
  'export class Lock { static rise = 4; up() { return Lock.rise; } }\n',
  [['rise = 4', 'rise = 9']],
  {
    hold: 'new m.Lock()',
    then: 'held.up()',
    gives: 9,
  },
);
edit(
  'a static field that holds state',
  'export class Lock { static made = 0; constructor() { Lock.made++; } }\n',
  [['made = 0', 'made = 50']],
  {
    hold: '(new m.Lock(), m.Lock)',
    then: '(new held(), held.made)',
    gives: 2,
  },
);
edit(
  'a new static field',
  'export class Lock { up() { return 0; } }\n',
  [['up() { return 0; }', 'static rise = 7; up() { return Lock.rise; }']],
  {
    hold: 'new m.Lock()',
    then: 'held.up()',
    gives: 7,
  },
);
edit(
  'a static private field',
  'export class Lock { static #n = 1; static next() { return Lock.#n++; } }\n',
  [['Lock.#n++', '(Lock.#n += 10)']],
  {
    hold: '(m.Lock.next(), m.Lock)',
    then: 'held.next()',
    gives: 12,
  },
);
edit('a constructor', barge, [['this.name = name;', 'this.name = name + "!";']], {
  hold: 'new m.Barge("Heron")',
  then: '[held.name, new m.Barge("Otter").name, new m.Barge("x") instanceof m.Barge]',
  gives: ['Heron', 'Otter!', true],
});
edit(
  'a constructor with more parameters',
  barge,
  [['constructor(name) { this.name = name;', 'constructor(name, at = 7) { this.name = name; this.at = at;']],
  {
    then: '[new m.Barge("Heron").at, new m.Barge("Heron", 3).at]',
    gives: [7, 3],
  },
);
edit(
  'a first constructor',
  'export class Lock { rise = 1; }\n',
  [['rise = 1;', 'rise = 1; constructor(n) { this.rise = n; }']],
  {
    then: 'new m.Lock(8).rise',
    gives: 8,
  },
);
edit(
  'a constructor that is gone',
  'export class Lock { constructor() { this.extra = 1; } }\n',
  [['constructor() { this.extra = 1; }', '']],
  {
    then: 'Object.keys(new m.Lock())',
    gives: [],
  },
);
edit('a field for objects made from now on', barge, [['at = 0', 'at = 100']], {
  hold: 'new m.Barge("Heron")',
  then: '[held.at, new m.Barge("Otter").at]',
  gives: [0, 100],
});
edit(
  'a field that live objects lack',
  barge,
  [
    ['at = 0;', 'at = 0; fuel = 30;'],
    ['this.at += 1;', 'this.fuel -= 1; this.at += 1;'],
  ],
  {
    hold: '(() => { const b = new m.Barge("Heron"); b.advance(); return b; })()',
    then: '[held.advance(), held.fuel, Object.keys(held).sort(), new m.Barge("x").fuel]',
    gives: [2, 29, ['at', 'fuel', 'name'], 30],
  },
);
edit('a field whose first value is computed from others', barge, [['at = 0;', 'at = 0; start = this.at + 1;']], {
  hold: '(() => { const b = new m.Barge("Heron"); b.advance(); return b; })()',
  then: '[held.start, new m.Barge("x").start]',
  gives: [2, 1],
});
edit(
  'live objects in a list get the field at once',
  'class Barge { at = 1; }\nexport const fleet = [new Barge(), new Barge()];\n',
  [['at = 1;', 'at = 1; fuel = 9;']],
  {
    hold: 'm.fleet',
    then: 'JSON.parse(JSON.stringify(held))',
    gives: [
      { at: 1, fuel: 9 },
      { at: 1, fuel: 9 },
    ],
  },
);
edit('a field that is gone', 'export class Lock { a = 1; b = 2; }\n', [[' b = 2;', '']], {
  hold: 'new m.Lock()',
  then: '[held.b, Object.keys(new m.Lock())]',
  gives: [2, ['a']],
});
edit(
  'a field with an effect runs once for each object',
  'let made = 0;\nexport class Lock { id = ++made; }\nexport const count = () => made;\n',
  [['id = ++made;', 'id = ++made * 10;']],
  { hold: 'new m.Lock()', then: '[held.id, new m.Lock().id, m.count()]', gives: [1, 20, 2] },
);
edit('an arrow in a field', 'export class Bell { n = 1; ring = () => this.n; }\n', [['=> this.n', '=> this.n + 100']], {
  hold: '(() => { const b = new m.Bell(); return [b.ring, b]; })()',
  then: '((held[1].n = 5), [held[0](), new m.Bell().ring()])',
  gives: [105, 101],
});
edit(
  'an arrow in a field that reads a private one',
  'export class Bell { #n = 1; ring = () => this.#n; }\n',
  [['this.#n;', 'this.#n * 50;']],
  {
    hold: 'new m.Bell().ring',
    then: 'held()',
    gives: 50,
  },
);
edit(
  'handlers in an object in a field',
  'export class Panel { n = 2; on = { open: () => this.n, close: () => 0 }; }\n',
  [
    ['=> this.n', '=> this.n * 2'],
    ['=> 0', '=> -1'],
  ],
  { hold: 'new m.Panel().on', then: '[held.open(), held.close()]', gives: [4, -1] },
);
edit('a new arrow field', 'export class Bell { n = 3; }\n', [['n = 3;', 'n = 3; ring = () => this.n;']], {
  hold: 'new m.Bell()',
  then: '[held.ring(), new m.Bell().ring()]',
  gives: [3, 3],
});
edit(
  'super in a method',
  'class Gate { name() { return "gate"; } }\nexport class Lock extends Gate { name() { return super.name(); } }\n',
  [['super.name();', 'super.name() + "!";']],
  { hold: 'new m.Lock()', then: 'held.name()', gives: 'gate!' },
);
edit(
  'super in a static method',
  'class Gate { static kind() { return "gate"; } }\nexport class Lock extends Gate { static kind() { return 1; } }\n',
  [['return 1', 'return super.kind() + "!"']],
  { hold: 'm.Lock', then: 'held.kind()', gives: 'gate!' },
);
edit(
  'a method of the parent',
  'class Gate { name() { return "gate"; } }\nexport class Lock extends Gate {}\n',
  [['"gate"', '"GATE"']],
  {
    hold: 'new m.Lock()',
    then: 'held.name()',
    gives: 'GATE',
  },
);
edit(
  'the constructor of a child',
  'class Gate { constructor(n) { this.n = n; } }\nexport class Lock extends Gate { extra = 1; constructor(n) { super(n); } }\n',
  [['super(n);', 'super(n * 10); this.more = this.extra + 1;']],
  {
    hold: 'new m.Lock(1)',
    then: '[held.n, { ...new m.Lock(1) }, new m.Lock(1) instanceof m.Lock]',
    gives: [1, { n: 10, extra: 1, more: 2 }, true],
  },
);
edit(
  'the constructor of a parent',
  'class Gate { constructor(n) { this.n = n; } }\nexport class Lock extends Gate { constructor(n) { super(n); this.ready = true; } }\n',
  [['this.n = n', 'this.n = n + 1']],
  { then: '({ ...new m.Lock(1) })', gives: { n: 2, ready: true } },
);
edit(
  'a field of a child',
  'class Gate { constructor() { this.order = ["gate"]; } }\nexport class Lock extends Gate { rise = 1; }\n',
  [['rise = 1;', 'rise = 1; fall = this.order.length + 1;']],
  { hold: 'new m.Lock()', then: '[{ ...new m.Lock() }, held.fall]', gives: [{ order: ['gate'], rise: 1, fall: 2 }, 2] },
);
edit(
  'another parent',
  'class Gate { name() { return "gate"; } }\nclass Door { name() { return "door"; } }\nexport class Lock extends Gate {}\n',
  [['extends Gate', 'extends Door']],
  { hold: 'new m.Lock()', then: 'held.name()', gives: 'door' },
);
edit('a class expression', 'export const Lock = class { up() { return 1; } };\n', [['return 1', 'return 2']], {
  hold: 'new m.Lock()',
  then: '[held.up(), m.Lock.name]',
  gives: [2, 'Lock'],
});
edit(
  'an async method and a generator method',
  'export class Log { async read() { return 1; } *each() { yield 1; } }\n',
  [
    ['return 1', 'return 2'],
    ['yield 1', 'yield 2; yield 3'],
  ],
  { hold: 'new m.Log()', then: '(async () => [await held.read(), [...held.each()]])()', gives: [2, [2, 3]] },
);
edit(
  'a method with a computed name',
  'export class Log { *[Symbol.iterator]() { yield 1; } }\n',
  [['yield 1', 'yield 5']],
  {
    hold: 'new m.Log()',
    then: '[...held]',
    gives: [5],
  },
);
edit(
  'a method that becomes a generator',
  'export class Log { each() { return [1]; } }\n',
  [['each() { return [1]; }', '*each() { yield 2; }']],
  {
    hold: 'new m.Log()',
    then: '[...held.each()]',
    gives: [2],
  },
);
edit(
  'a generator method that becomes plain',
  'export class Log { *each() { yield 1; } }\n',
  [['*each() { yield 1; }', 'each() { return [3]; }']],
  {
    hold: 'new m.Log()',
    then: '[...held.each()]',
    gives: [3],
  },
);
edit(
  'a class made by a function',
  'export const mixin = (Base) => class extends Base { #n = 1; hail() { return super.hail() + this.#n; } };\nexport class Gate { hail() { return "gate"; } }\n',
  [['super.hail() + this.#n', 'this.#n + super.hail()']],
  { hold: '(() => { const Two = m.mixin(m.Gate); return new Two(); })()', then: 'held.hail()', gives: '1gate' },
);
edit(
  'a class that each call makes anew',
  'export function make(k) { class Box { get() { return k; } } return new Box(); }\n',
  [['return k', 'return k * 10']],
  { hold: '[m.make(1), m.make(2)]', then: 'held.map((b) => b.get())', gives: [10, 20] },
);
edit(
  'a class under another name',
  'class Barge { at = 0; move() { return ++this.at; } }\nexport const b = new Barge();\nexport const make = () => new Barge();\n',
  'class Boat { at = 0; move() { return (this.at += 10); } }\nexport const b = new Boat();\nexport const make = () => new Boat();\n',
  { hold: '(m.b.move(), m.b)', then: '[held.move(), m.make().move()]', gives: [11, 10] },
);
edit(
  'instanceof and identity stay',
  barge,
  [
    ['+= 1', '+= 2'],
    ['at = 0;', 'at = 0; fuel = 1;'],
  ],
  {
    hold: '[m.Barge, new m.Barge("Heron")]',
    then: '[held[0] === m.Barge, held[1] instanceof m.Barge, held[1].constructor === m.Barge]',
    gives: [true, true, true],
  },
);
edit(
  'toString shows the text of the person',
  'export function f() { return 1; }\nexport class Gate { up() { return 1; } }\n',
  [['f() { return 1', 'f() { return 2']],
  { hold: 'm.f', then: '[held(), typeof m.Gate]', gives: [2, 'function'] },
);

// ---- renames, moves, removals ---------------------------------------------------
group = 'renames and removals';

edit(
  'a function under another name',
  'let n = 0;\nfunction raise(by) { n += by; return n; }\nexport const held = [raise];\nexport const f = () => raise(1);\n',
  'let n = 0;\nfunction lift(by) { n += by * 10; return n; }\nexport const held = [lift];\nexport const f = () => lift(1);\n',
  { hold: '(m.f(), m.held[0])', then: '[held(1), m.f()]', gives: [11, 21] },
);
edit(
  'a function that is gone stays for who holds it',
  'export function old() { return 1; }\nexport function f() { return old(); }\n',
  'export function f() { return 2; }\n',
  { hold: 'm.old', then: '[held(), m.f()]', gives: [1, 2], says: 'f patched · old removed' },
);
edit(
  'a variable that is gone',
  'let n = 5;\nexport function f() { return n; }\n',
  'export function f() { return 6; }\n',
  {
    hold: 'm.f',
    then: 'held()',
    gives: 6,
  },
);
edit(
  'a method that is gone',
  'export class Lock { a() { return 1; } b() { return 2; } }\n',
  [[' b() { return 2; }', '']],
  {
    hold: 'new m.Lock()',
    then: '[held.a(), held.b()]',
    gives: [1, 2],
  },
);
edit(
  'a nested function that moved up',
  'export function f(n) { function twice(k) { return k * 2; } return twice(n); }\n',
  'function twice(k) { return k * 20; }\nexport function f(n) { return twice(n); }\n',
  { hold: 'm.f', then: 'held(2)', gives: 40 },
);
edit(
  'a function moved into another',
  'function twice(k) { return k * 2; }\nexport function f(n) { return twice(n); }\n',
  'export function f(n) { function twice(k) { return k * 20; } return twice(n); }\n',
  { hold: 'm.f', then: 'held(2)', gives: 40 },
);
edit(
  'functions put before others',
  'export function b() { return "b"; }\nexport const list = [b, () => "c"];\n',
  'export function a() { return "a"; }\nexport function b() { return "B"; }\nexport const list = [b, () => "C"];\n',
  { hold: 'm.list', then: '[m.a(), ...held.map((f) => f())]', gives: ['a', 'B', 'C'] },
);

// ---- statements ------------------------------------------------------------------
group = 'statements at the top';

edit(
  'a new statement is not run by itself',
  'export const log = [];\n',
  'export const log = [];\nlog.push("effect");\n',
  {
    then: 'm.log',
    gives: [],
    says: '1 statement waits',
  },
);
edit('a statement that is gone stays done', 'export const log = [];\nlog.push("done");\n', 'export const log = [];\n', {
  then: 'm.log',
  gives: ['done'],
});
edit('a changed statement waits', 'export const log = [];\nlog.push("one");\n', [['"one"', '"two"']], {
  then: 'm.log',
  gives: ['one'],
  says: '1 statement waits',
});
edit(
  'a callback in a statement',
  'const held = {};\nconst on = (name, f) => { held[name] = f; };\non("tick", () => 1);\nexport const fire = () => held.tick();\n',
  [['() => 1', '() => 2']],
  { then: 'm.fire()', gives: 2 },
);
edit(
  'a method on a prototype',
  'export function Barge() {}\n',
  'export function Barge() {}\nBarge.prototype.hail = function () { return "ahoy"; };\n',
  {
    hold: 'new m.Barge()',
    then: 'held.hail()',
    gives: 'ahoy',
  },
);
edit(
  'a failing step changes nothing',
  'const A = 1;\nexport const f = () => A;\n',
  'const A = 2;\nconst B = missing.level;\nexport const f = () => A + B;\n',
  {
    hold: 'm.f',
    then: 'held()',
    gives: 1,
    says: 'failed: missing is not defined',
  },
);

// ---- several files ----------------------------------------------------------------
group = 'several files';

edit(
  'a function that another file imports',
  {
    'main.js': "import { rate } from './tolls.js';\nexport const f = () => rate(2);\n",
    'tolls.js': 'export function rate(n) { return n; }\n',
  },
  { 'tolls.js': 'export function rate(n) { return n * 3; }\n' },
  { hold: 'm.f', then: 'held()', gives: 6 },
);
edit(
  'a constant that another file imports',
  {
    'main.js': "import { RATE } from './tolls.js';\nexport const f = () => RATE;\n",
    'tolls.js': 'export const RATE = 1;\n',
  },
  { 'tolls.js': 'export const RATE = 2;\n' },
  { hold: 'm.f', then: 'held()', gives: 2 },
);
edit(
  'two files at once',
  {
    'main.js': "import { rate } from './tolls.js';\nexport const f = () => rate(2);\n",
    'tolls.js': 'export function rate(n) { return n; }\n',
  },
  {
    'tolls.js': 'export function rate(n) { return n * 3; }\nexport const extra = 100;\n',
    'main.js': "import { rate, extra } from './tolls.js';\nexport const f = () => rate(2) + extra;\n",
  },
  { hold: 'm.f', then: 'held()', gives: 106 },
);
edit(
  'a class that another file extends',
  {
    'main.js':
      "import { Gate } from './gate.js';\nexport class Lock extends Gate { up() { return this.rise() + 1; } }\n",
    'gate.js': 'export class Gate { rise() { return 1; } }\n',
  },
  { 'gate.js': 'export class Gate { rise() { return 10; } }\n' },
  { hold: 'new m.Lock()', then: 'held.up()', gives: 11 },
);

edit(
  'a constant that another file computes with',
  {
    'main.js':
      "import { RATE } from './tolls.js';\nexport const DOUBLE = RATE * 2;\nconst table = { slate: DOUBLE + 1 };\nexport const f = () => table.slate;\n",
    'tolls.js': 'export const RATE = 1;\n',
  },
  { 'tolls.js': 'export const RATE = 10;\n' },
  { hold: 'm.f', then: 'held()', gives: 21, says: 'RATE assigned / DOUBLE, table assigned' },
);
edit(
  'a constant that goes over two files, under other names',
  {
    'main.js':
      "import { price } from './prices.js';\nimport * as tolls from './prices.js';\nexport const TOTAL = price + tolls.twice;\nexport const f = () => TOTAL;\n",
    'prices.js':
      "import { RATE as rate } from './tolls.js';\nconst twice = rate * 2;\nexport { RATE as price } from './tolls.js';\nexport { twice };\n",
    'tolls.js': 'export const RATE = 1;\n',
  },
  { 'tolls.js': 'export const RATE = 5;\n' },
  { hold: 'm.f', then: 'held()', gives: 15, says: 'RATE assigned / twice assigned / TOTAL assigned' },
);
edit(
  'what another file has computed by calls stays, and says so',
  {
    'main.js':
      "import { RATE } from './tolls.js';\nconst log = [];\nconst opened = log.push(RATE);\nexport const f = () => [opened, log.length];\n",
    'tolls.js': 'export const RATE = 1;\n',
  },
  { 'tolls.js': 'export const RATE = 2;\n' },
  { hold: 'm.f', then: 'held()', gives: [1, 1], says: 'RATE assigned / opened kept' },
);
edit(
  'a function that another file imports and has called',
  {
    'main.js':
      "import { rate } from './tolls.js';\nexport const first = rate(2);\nexport const f = () => [first, rate(2)];\n",
    'tolls.js': 'export function rate(n) { return n; }\n',
  },
  { 'tolls.js': 'export function rate(n) { return n * 3; }\n' },
  { hold: 'm.f', then: 'held()', gives: [2, 6], says: 'rate patched' },
);

// ---- TypeScript ---------------------------------------------------------------------
group = 'TypeScript';
file = 'main.ts';

edit(
  'types around a body',
  'export function toll(tonnes: number, rate: number = 2): number { return (tonnes as number) * rate; }\n',
  [['* rate', '* rate! + 1']],
  { hold: 'm.toll', then: 'held(3)', gives: 7 },
);
edit(
  'a type alone',
  'type Cargo = "slate";\nexport const f = (c: Cargo): string => c;\n',
  [
    ['"slate"', '"slate" | "lime"'],
    ['(c: Cargo)', '(c: Cargo | undefined)'],
  ],
  { hold: 'm.f', then: 'held("lime")', gives: 'lime', says: 'nothing to do' },
);
edit(
  'an arrow with a typed pattern',
  'export const mass = ({ tonnes }: { tonnes: number }): number => tonnes;\n',
  [
    [
      '({ tonnes }: { tonnes: number }): number => tonnes',
      '({ tonnes, extra = 1 }: { tonnes: number; extra?: number }): number => tonnes + extra',
    ],
  ],
  { hold: 'm.mass', then: 'held({ tonnes: 3 })', gives: 4 },
);
edit('an enum', 'enum Cargo { Slate = 1, Lime }\nexport const f = () => Cargo.Lime;\n', [['Lime }', 'Lime = 7 }']], {
  hold: 'm.f',
  then: 'held()',
  gives: 7,
});
edit(
  'a new member of an enum',
  'enum Cargo { Slate = 1 }\nexport const f = () => Object.keys(Cargo).length;\n',
  [['Slate = 1', 'Slate = 1, Grain = 2']],
  {
    hold: 'm.f',
    then: 'held()',
    gives: 4,
  },
);
edit(
  'a function beside an enum',
  'enum Cargo { Slate = 1 }\nexport function f(n: number): number { return n + Cargo.Slate; }\n',
  [['n + Cargo', 'n * 10 + Cargo']],
  { hold: 'm.f', then: 'held(2)', gives: 21 },
);
edit(
  'a parameter property',
  'export class Lock { constructor(readonly name: string, private rise = 1) {} up() { return this.rise; } }\n',
  [['return this.rise', 'return this.rise + this.name.length']],
  { hold: 'new m.Lock("Elm")', then: 'held.up()', gives: 4 },
);
edit(
  'a constructor with parameter properties',
  'export class Lock { constructor(readonly name: string) {} }\n',
  [
    [
      'constructor(readonly name: string) {}',
      'constructor(readonly name: string, public rise: number = 4) { this.rise += 1; }',
    ],
  ],
  { then: '({ ...new (m.Lock)("Elm") })', gives: { name: 'Elm', rise: 5 } },
);
edit(
  'a decorator around a method',
  'function loud(method: () => string, _context: unknown) { return function (this: unknown) { return method.call(this) + "!"; }; }\nexport class Bell { @loud ring() { return "ding"; } }\n',
  [['"ding"', '"dong"']],
  { hold: 'new m.Bell()', then: 'held.ring()', gives: 'dong!' },
);
edit(
  'a private field with a type',
  'export class Tank { #level: number = 1; up(): number { return this.#level; } }\n',
  [['return this.#level', 'return this.#level + 1']],
  { hold: 'new m.Tank()', then: 'held.up()', gives: 2 },
);
edit(
  'an abstract parent',
  'abstract class Gate { abstract name(): string; hail(): string { return "ahoy " + this.name(); } }\nexport class Lock extends Gate { name(): string { return "lock"; } }\n',
  [['"ahoy "', '"hello "']],
  { hold: 'new m.Lock()', then: 'held.hail()', gives: 'hello lock' },
);
edit(
  'an import that was only a type',
  "import { posix } from 'node:path';\nlet p: typeof posix | undefined;\nexport const f = (): unknown => p;\n",
  [['=> p;', '=> posix.sep;']],
  { hold: 'm.f', then: 'held()', gives: '/' },
);
edit(
  'satisfies and generics',
  'export const pick = <T,>(list: T[]): T => list[0]!;\n',
  [['list[0]!', 'list[list.length - 1]! satisfies T']],
  {
    hold: 'm.pick',
    then: 'held([1, 2])',
    gives: 2,
  },
);

// ---- CommonJS ------------------------------------------------------------------------
group = 'CommonJS';
file = 'main.cjs';

edit('a function on exports', 'exports.fill = function (n) { return n; };\n', [['return n', 'return n + 1']], {
  hold: 'm.fill',
  then: 'held(1)',
  gives: 2,
});
edit(
  'a function in module.exports',
  'function fill(n) { return n; }\nmodule.exports = { fill, drain: (n) => -n };\n',
  [
    ['return n', 'return n + 1'],
    ['=> -n', '=> -n * 2'],
  ],
  { hold: '[m.default.fill, m.default.drain]', then: '[held[0](1), held[1](1)]', gives: [2, -2] },
);
edit('a new export', 'exports.a = 1;\n', 'exports.a = 1;\nexports.b = () => 2;\n', { then: 'm.default.b()', gives: 2 });
edit('a function that requires', 'exports.f = () => 1;\n', [['() => 1', "() => require('node:path').posix.sep"]], {
  hold: 'm.f',
  then: 'held()',
  gives: '/',
});
edit('a sloppy function', 'exports.self = function () { return typeof this; };\n', [['typeof this', '[typeof this]']], {
  hold: 'm.self',
  then: '(0, held)()',
  gives: ['object'],
});

export const CATALOGUE: readonly Edit[] = edits;
