/** What a record tells of values, in a page as in Node: one pad after the other in both. */
import type { Browser, Page } from 'playwright-core';
import { createSession, type PadRecord } from 'usher-anvil';
import { join } from 'node:path';
import { alonePage, thread } from './alone-page.js';
import { launch } from './browser.js';
import { folder } from './harness.js';

let browser: Browser;
let page: Page;
let close: () => void;
beforeAll(async () => {
  browser = await launch();
  ({ page, close } = await alonePage(
    browser,
    `globalThis.record = async (thread, files, pad) => {
  const session = globalThis.session(thread, files, pad, { timeLimitMs: 30_000, hangMs: 15_000 });
  session.execute();
  const record = await session.settled();
  await session.close();
  return JSON.stringify(record);
};`,
  ));
});
afterAll(async () => {
  await browser.close();
  close();
});

/** Each in a line of its own, and on the console. */
const each = (...values: string[]): string =>
  values
    .map((value, index) =>
      /^(?:class|function|async function|const) /.test(value)
        ? value
        : `const v${index} = ${value}\nconsole.log(v${index})`,
    )
    .join('\n');

const PADS: Record<string, string> = {
  collections: each(
    ...[
      'new Map([[1, { tonnes: 2 }], ["lock", [1, 2]]])',
      'new Set([1, "a", { c: 1 }])',
      'new WeakMap()',
      'new WeakSet()',
    ],
    ...[
      'new Map([[1, 2]]).entries()',
      'new Set([1, 2]).values()',
      '[1, 2][Symbol.iterator]()',
      '"ab"[Symbol.iterator]()',
    ],
    ...['"aXbX".matchAll(/X/g)', 'class Tolls extends Map { extra = 1 }', 'new Tolls([[1, 2]])', 'new WeakRef({})'],
    ...['class Names extends Set {}', 'new Names([3])', 'Object.assign(new Map([[1, 1]]), { more: 2 })'],
    ...['class Reaches extends Array { sum() { return 1 } }', 'Reaches.from([1, 2])', '[1, , 3]', 'new Array(5)'],
    ...[
      'Object.assign([1], { x: 2 })',
      'Array.from({ length: 500 }, (_, i) => i)',
      '[[1, [2, [3, [4]]]]]',
      '[-0, 1n, () => 1]',
    ],
  ),
  bytes: each(
    ...['new Uint8Array([1, 2, 3])', 'new Float64Array(3)', 'new ArrayBuffer(4)', 'new DataView(new ArrayBuffer(2))'],
    ...['new BigInt64Array(2)', 'new Uint8ClampedArray([300])', 'class Depths extends Uint8Array {}', 'new Depths(2)'],
    ...[
      'new TextEncoder().encode("abc")',
      'new Blob(["abc"])',
      'structuredClone({ a: new Date(0), m: new Map([[1, 2]]) })',
    ],
  ),
  errors: each(
    ...[
      'new Error("a")',
      'new Error("a", { cause: new TypeError("b") })',
      'new AggregateError([new Error("x"), 1], "many")',
    ],
    ...['class Shut extends Error { code = 3 }', 'new Shut("mine")', 'Object.assign(new Error("x"), { more: 1 })'],
    ...[
      'class Named extends Error { get name() { return "Named" } }',
      'new Named("q")',
      'new DOMException("no", "AbortError")',
    ],
    ...[
      'new RangeError()',
      'Object.create(Error.prototype)',
      'Object.setPrototypeOf(new Error("p"), null)',
      'new Error("a\\nb")',
    ],
  ),
  primitives: each(
    ...['1n', 'Symbol("a")', 'Symbol()', 'Symbol.for("k")', 'null', 'undefined', '-0', 'NaN', '1e21', '0.1 + 0.2'],
    ...[
      '"\\u0000\\n\\t\\\\\\u2028"',
      '"\\ud800"',
      'new Number(3)',
      'new String("ab")',
      'new Boolean(false)',
      'Object(1n)',
    ],
    ...[
      'Object(Symbol("q"))',
      '"x".repeat(300)',
      'Infinity',
      '-Infinity',
      '123456789012345680000',
      'new Date(0)',
      'new Date(NaN)',
    ],
    ...[
      'class Day extends Date { x = 1 }',
      'new Day(0)',
      '/ab+c/gi',
      '"a1b2".match(/\\d/)',
      '"a1b2".match(/(?<n>\\d)/)',
    ],
  ),
  functions: each(
    ...[
      '() => 1',
      'function named() {}',
      'named',
      'async () => 1',
      'function* steps() { yield 1 }',
      'steps',
      'steps()',
    ],
    ...[
      'async function* later() {}',
      'later()',
      'class Lock {}',
      'Lock',
      '(class {})',
      'Math.max',
      '(function () {}).bind(null)',
    ],
    ...[
      'Object.assign(() => 1, { a: 1 })',
      'new Function("return 1")',
      'Symbol',
      'Proxy',
      'Promise',
      'setTimeout',
      'console.log',
    ],
    ...['structuredClone', 'eval', 'queueMicrotask', 'parseInt', 'Array.prototype.map'],
    ...[
      'Object.getOwnPropertyDescriptor(Map.prototype, "size").get',
      'function args() { return arguments }',
      'args(1, 2)',
    ],
  ),
  objects: each(
    ...[
      '{ a: 1, "b-c": 2, 3: 4, [Symbol("s")]: 5 }',
      '{ get x() { return 1 } }',
      '{ set x(v) {} }',
      'Object.create(null)',
    ],
    ...[
      'Object.create({ inherited: 1 })',
      'Object.freeze({ a: 1 })',
      'Object.defineProperty({}, "hidden", { value: 1 })',
    ],
    ...[
      'new Proxy({}, {})',
      'new Proxy([1], {})',
      'new Proxy(() => 1, {})',
      'class Place { a = 1; #b = 2; get c() { return 3 } }',
    ],
    ...[
      'new Place()',
      'class Lower extends Place { d = 4 }',
      'new Lower()',
      'new (class { x = 1 })()',
      'Object.create(Place.prototype)',
    ],
    ...[
      'Math',
      'JSON',
      'Reflect',
      'const own = {}',
      'Object.assign(own, { self: own })',
      '{ [Symbol.toStringTag]: "Tagged" }',
    ],
    ...[
      'class Tag { get [Symbol.toStringTag]() { return "Tee" } }',
      'new Tag()',
      '{ toString() { return "s" } }',
      '{ then: 1 }',
    ],
    'Object.fromEntries(Array.from({ length: 60 }, (_, i) => ["k" + i, i]))',
    '{ a: { b: { c: { d: { e: { f: 1 } } } } } }',
  ),
  platform: each(
    ...['new URL("https://wenlow.example/a?b=c#d")', 'new URLSearchParams("a=1&b=2")', 'new Headers({ a: "b" })'],
    ...['new AbortController()', 'AbortSignal.abort("shut")', 'new Event("x")', 'new EventTarget()', 'new FormData()'],
    ...[
      'new Response("a", { status: 404 })',
      'new Request("https://wenlow.example/")',
      'new TextDecoder()',
      'new ReadableStream()',
    ],
    ...['new Intl.PluralRules("en").resolvedOptions().locale'],
  ),
  console: `console.log('%s is %d', 'a', 4.5, { x: 1 })
console.log('%o %O %j', { a: 1 }, { b: 2 }, { c: 3 })
console.log('%i %f %c styled', '42.9', '1.5', 'color: red')
console.table([{ a: 1, b: 2 }, { a: 3 }])
console.group('g')
console.log('inner')
console.groupEnd()
console.count()
console.count('x')
console.countReset('x')
console.count('x')
console.assert(1 === 2, 'no', 3)
console.assert(true)
console.dir({ a: { b: { c: { d: 1 } } } }, { depth: 0 })
console.log('100%', 5)
console.log('%s', null, undefined, Symbol('a'), 1n, -0, [], () => 1, class A {})
console.log('%d', '5', 1n, {}, 'x')
console.log()
console.log('a\\nb', ['a\\nb'])
console.table(new Map([[1, 2]]))
console.countReset('none')
console.groupCollapsed('c')
console.log({ deep: { deep: { deep: { deep: { deep: 1 } } } } })
`,
  throws: `const before = 1
function fail(x: number): never {
  throw new RangeError('level ' + x, { cause: { x } })
}
fail(3)
const after = 2
`,
  'throws what is no error': `const before = 1
throw { code: 4 }
`,
  'throws what the platform made': `AbortSignal.abort(new DOMException('shut', 'TimeoutError')).throwIfAborted()
`,
  rejects: `void Promise.reject(new Error('late'))
setTimeout(() => { throw new TypeError('timer') }, 3)
const x = 1
`,
  taken: `const { a, b: { c = 5 } = {}, ...rest } = { a: 1, d: 4, e: 5 } as any
const [x, , y = 3, ...z] = [1, 2, undefined, 4, 5]
let i = 0
for (const [k, v] of Object.entries({ p: 1, q: 2 })) i += v
const opt = (undefined as any)?.foo?.bar
i ??= 4
i ||= 5
i &&= 6
const big = 2n ** 64n
switch (a) { case 1: console.log('one'); break; default: console.log('other') }
const fn = ({ a: q = 1 } = {}) => q
fn()
fn({ a: 5 })
const tagged = ((s: any, ...v: any[]) => s.raw.join('|') + v)\`x\${1}y\`
`,
  classes: `class Chamber {
  static count = 0
  #level = 3
  name
  constructor(name: string) { this.name = name; Chamber.count++ }
  get level() { return this.#level }
  set level(v) { this.#level = v }
  async fill(by: number) { this.level += by; return this }
  *steps() { yield this.#level }
  has(o: any) { return #level in o }
}
const c = new Chamber('Alder')
c.level = 7
const filled = await c.fill(2)
const all = [...c.steps()]
const has = c.has(c)
console.log(c)
const n = Chamber.count
`,
  tests: `import { test, describe, it } from 'node:test'
import assert from 'node:assert'
test('adds', () => { assert.equal(1 + 1, 2) })
test('fails', () => { assert.deepStrictEqual({ a: 1, b: [1, 2] }, { a: 1, b: [1, 3] }) })
describe('group', () => { it('inner', async () => { await null }); it.skip('skipped', () => {}); it.todo('later') })
test('sub', async (t) => { await t.test('one', () => {}); await t.test('two', () => { throw new Error('no') }) })
`,
};

/** Of the platform, and so another in each: what the platform says of an abort, and states of promises. */
const withoutStates = (_: string, value: unknown): unknown => {
  if (typeof value !== 'object' || value === null || (value as { form?: string }).form !== 'promise') return value;
  return { form: 'promise' };
};

/** Values in their order, with the code that they are of; what was printed; errors; tests. */
function told(record: PadRecord): string[] {
  const [file] = record.program.files;
  const all: string[] = [];
  const { samples } = record;
  let next = 0;
  for (let i = 0; i < samples.length; i++) {
    const site = file!.sites.find(({ id }) => id === samples.site[i]);
    const code = site ? file!.lines.text.slice(site.start, site.end) : '';
    const value =
      samples.tag[i] === 1
        ? samples.rest[next++]
        : [samples.tag[i], ...(samples.tag[i] === 0 ? [samples.number[i]] : [])];
    // What stands for a timer is the platform's.
    if (!code.startsWith('setTimeout(')) all.push(`${code.slice(0, 40)}: ${JSON.stringify(value, withoutStates)}`);
  }
  for (const { level, text, indent } of record.console) all.push(`${level} ${indent} ${text}`);
  for (const error of record.errors)
    all.push(`${error.name}: ${error.message} ${JSON.stringify(error.cause?.message ?? null)}`);
  for (const { name, state, error } of record.tests)
    all.push(`${name} ${state} ${error?.message.split('\n')[0]!.replace(/:$/, '') ?? ''}`);
  return [...all, record.outcome];
}

test.each(Object.keys(PADS))('a page tells of a pad what Node tells: %s', async (name) => {
  const text = PADS[name]!;
  const file = join(folder({ 'pad.ts': text }), 'pad.ts');
  const session = createSession({ file, text });
  session.execute();
  const node = JSON.parse(JSON.stringify(await session.settled())) as PadRecord;
  await session.close();
  const alone = JSON.parse(
    await page.evaluate(
      ([code, files]) =>
        (globalThis as unknown as { record(...args: unknown[]): Promise<string> }).record(code, files, '/pad.ts'),
      [thread, { '/pad.ts': text }] as const,
    ),
  ) as PadRecord;
  expect(told(alone)).toEqual(told(node));
  expect(told(node).length).toBeGreaterThan(2);
});

const MODULES = {
  '/tolls.ts': `export let count = 1
export const rate = 4
export function raise() { count++ }
export default class Lock { level = 4 }
`,
  '/pad.ts': `import * as tolls from './tolls'
const said: unknown[] = []
const say = (work: () => unknown) => { try { said.push(work()) } catch (error) { said.push(String(error)) } }
console.log(tolls)
tolls.raise()
const count = tolls.count
const names = Reflect.ownKeys(tolls)
const field = Object.getOwnPropertyDescriptor(tolls, 'count')
const any = tolls as any
say(() => { any.rate = 5 })
say(() => { any.none = 5 })
say(() => { any[Symbol.iterator] = 5 })
say(() => delete any.rate)
say(() => delete any.none)
say(() => Object.defineProperty(any, 'rate', { value: 5 }))
say(() => Object.defineProperty(any, 'rate', { value: 4 }) === any)
say(() => Object.defineProperty(any, 'none', { value: 5 }))
say(() => Object.setPrototypeOf(any, {}))
say(() => Object.setPrototypeOf(any, null) === any)
say(() => Object.freeze(any))
say(() => Object.isFrozen(any) || Object.isExtensible(any))
say(() => Object.prototype.toString.call(any))
say(() => 'rate' in any && !('none' in any) && any.none === undefined)
say(() => JSON.stringify({ ...any }))
console.log(said)
const again = await import('./tolls')
const same = again === tolls
const lock = new again.default()
`,
};

test('namespace objects of modules behave in a page as the language has them', async () => {
  const dir = folder(Object.fromEntries(Object.entries(MODULES).map(([name, text]) => [name.slice(1), text])));
  const session = createSession({ file: join(dir, 'pad.ts'), text: MODULES['/pad.ts'] });
  session.execute();
  const node = JSON.parse(JSON.stringify(await session.settled())) as PadRecord;
  await session.close();
  const alone = JSON.parse(
    await page.evaluate(
      ([code, files]) =>
        (globalThis as unknown as { record(...args: unknown[]): Promise<string> }).record(code, files, '/pad.ts'),
      [thread, MODULES] as const,
    ),
  ) as PadRecord;
  expect(told(alone)).toEqual(told(node));
  expect(node.console.map(({ text }) => text)[0]).toBe(
    'Module { count: 1, default: class Lock, raise: ƒ raise, rate: 4 }',
  );
});
