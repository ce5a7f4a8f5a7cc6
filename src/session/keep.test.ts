import fc from 'fast-check';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, type PadRecord, type Session } from 'usher-anvil';
import { samplesAt, valueText } from 'usher-anvil/record';
import { linesView } from '#dist/views/margin.js';
import { folder } from '../../test/harness.js';

const made: Session[] = [];
afterEach(async () => {
  await Promise.all(made.splice(0).map((session) => session.close()));
});

function keeping(files: Record<string, string> = {}): {
  run(text: string): Promise<PadRecord>;
  session: Session;
  dir: string;
} {
  const dir = folder(files);
  const file = join(dir, 'keep.ts');
  const session = createSession({ file, text: '' });
  made.push(session);
  return {
    session,
    dir,
    run(text) {
      session.edit(file, text);
      return session.settled();
    },
  };
}

const at = (record: PadRecord, line: number): string => valueText(samplesAt(record, { line }).at(-1)!.value, 400);
const beside = (record: PadRecord, line: number): string[] =>
  (linesView(record).get(line)?.items ?? []).map(
    (item) => `${item.kind} ${item.text}${item.count ? ` (${item.count})` : ''}`,
  );

describe('a kept value', () => {
  const pad = (tail: string, rate = 2): string =>
    `const rate = ${rate};\nfunction load(n: number) { return { n: n * rate, at: performance.now() }; }\n` +
    `const log = await Promise.resolve(load(3)); //~ keep:\n[log.n, log.at];\n${tail}`;

  test('stays while other lines change, tells its age, and goes when what it uses changes', async () => {
    const { run } = keeping();
    const first = await run(pad(''));
    const second = await run(pad('log.n * 2;\n'));
    expect(at(second, 3)).toBe(at(first, 3));
    expect(at(second, 4)).toBe('12');
    expect([beside(first, 2)[0], beside(second, 2)[0]].map((text) => text!.replace(/\{.*\}/, '…'))).toEqual([
      'value … (kept from now on)',
      'value … (kept, less than 1 s old)',
    ]);
    const third = await run(pad('log.n * 2;\n', 5));
    expect(at(third, 4)).toBe('30');
    const back = await run(pad('', 2));
    expect(at(back, 3)).toBe(at(first, 3));
  });

  test('is dropped on request', async () => {
    const { run, session } = keeping();
    const first = await run(pad(''));
    session.drop();
    expect(at(await session.settled(), 3)).not.toBe(at(first, 3));
  });

  test('goes when a local module changes, also one that a module imports', async () => {
    const { run, session, dir } = keeping({
      'rates.ts': "import { deep } from './deep';\nexport const rate = () => deep * 2;\n",
      'deep.ts': 'export const deep = 4;\n',
      'other.ts': 'export const other = 1;\n',
    });
    const text =
      "import { rate } from './rates';\nimport { other } from './other';\n" +
      'const due = [rate(), Math.random()]; //~ keep:\ndue;\nother;\n';
    const first = await run(text);
    session.edit(join(dir, 'other.ts'), 'export const other = 2;\n');
    expect(at(await session.settled(), 3)).toBe(at(first, 3));
    session.edit(join(dir, 'deep.ts'), 'export const deep = 5;\n');
    expect(at(await session.settled(), 3)).toMatch(/^\[10, /);
  });

  test('is a copy: what a run does to it is not there in the next', async () => {
    const { run } = keeping();
    const text = (tail: string): string =>
      `const boats = ['Heron']; //~ keep:\nboats.push('Otter');\nboats.length;\n${tail}`;
    await run(text(''));
    expect(at(await run(text('1;\n')), 2)).toBe('2');
    expect(at(await run(text('2;\n')), 2)).toBe('2');
  });

  test('keeps what can be copied: maps, sets, dates, errors, typed arrays, cycles', async () => {
    const { run } = keeping();
    const text = (tail: string): string =>
      `const ring: any = { m: new Map([['a', new Set([1n])]]), d: new Date(0), e: new RangeError('low'), t: ` +
      'Float64Array.of(1), r: /x/g, u: undefined, n: [NaN, -0] }; ring.self = ring;\n' +
      `const held = ring; //~ keep:\n[held.self === held, held.m.get('a').has(1n), held.d.getTime(), ` +
      `held.e.message, held.t[0], held.r.flags, Object.is(held.n[1], -0)];\n${tail}`;
    const first = at(await run(text('')), 2);
    const second = await run(text('1;\n'));
    expect(at(second, 2)).toBe(first);
    expect(beside(second, 1)[0]).toContain('kept, ');
  });

  test.each<[string, string, RegExp]>([
    ['a function', '{ f() {} }', /it\.f is a function/],
    ['an instance of a class', 'new (class Barge { n = 1 })()', /an instance of Barge/],
    ['a promise', 'Promise.resolve(1)', /promise: keep what it gives, with await/],
    ['a getter', '{ get level() { return 1 } }', /it\.level is a getter/],
    ['a proxy', 'new Proxy({}, {})', /is a proxy/],
    ['a symbol', "[Symbol('s')]", /it\[0\] is a symbol/],
    ['a weak map', 'new WeakMap()', /weak reference/],
    ['a socket', "new (await import('node:net')).Socket()", /instance of Socket/],
  ])('%s cannot be kept and says why; the run goes on', async (_name, expression, why) => {
    const { run } = keeping();
    const record = await run(`const it2 = ${expression}; //~ keep:\nconst after = 1;\n`);
    expect(beside(record, 0).join()).toMatch(why);
    expect([record.outcome, at(record, 1)]).toEqual(['ok', '1']);
  });

  test('is refused where there would be many: in functions, loops and classes', async () => {
    const { run } = keeping();
    const record = await run(
      'function f() {\n  return 1; //~ keep:\n}\nfor (const x of [f()])\n  x; //~ keep:\n' +
        'class A {\n  n = 2; //~ keep:\n}\nnew A().n;\n',
    );
    for (const line of [1, 4, 6]) expect(beside(record, line).join()).toContain('keep: holds what is evaluated once');
    expect([record.outcome, at(record, 8)]).toEqual(['ok', '2']);
  });

  test('an expression that throws keeps nothing', async () => {
    const { run } = keeping();
    expect((await run("const a = JSON.parse('{'); //~ keep:\n")).errors[0]!.name).toBe('SyntaxError');
    expect((await run("const a = JSON.parse('{'); //~ keep:\n1;\n")).errors[0]!.name).toBe('SyntaxError');
  });
});

describe('a kept value is never stale', () => {
  const number = fc.integer({ min: 1, max: 9 });
  const statement = fc.oneof(
    number.map((n) => `a = ${n};`),
    number.map((n) => `a += b + ${n};`),
    number.map((n) => `b = list.length * ${n};`),
    number.map((n) => `list.push(${n});`),
    number.map((n) => `{ const alias = list; alias.push(${n}, a); }`),
    number.map((n) => `held.list.push(${n});`),
    number.map((n) => `f = (x) => x * ${n} + a;`),
    number.map((n) => `table.k = g(${n});`),
    number.map((n) => `if (b > ${n}) list.reverse();`),
    number.map((n) => `for (const x of list) a += x % ${n};`),
    number.map((n) => `[a, b] = [b, a + ${n}];`),
    number.map((n) => `void ${n};`),
  );
  const helper = number.map((n) => `function g(x) { return x + ${n} + list.length; }`);
  const kept = fc.constantFrom(
    'f(a) + b',
    'list.slice()',
    'g(b)',
    '[a, b, table.k]',
    'f(1) + g(2)',
    'list.map(f)',
    'held.list.length',
  );
  const program = fc.record({
    before: fc.array(statement, { minLength: 1, maxLength: 6 }),
    helper,
    kept,
    after: fc.array(statement, { maxLength: 3 }),
  });
  type Program = { before: string[]; helper: string; kept: string; after: string[] };
  const text = ({ before, helper: g, kept: k, after }: Program): string =>
    [
      'let a = 1, b = 2;',
      'const list = [3];',
      'const held = { list };',
      'const table = { k: 0 };',
      'let f = (x) => x + 1;',
      ...before,
      `const k = ${k}; //~ keep:`,
      ...after,
      g,
      'JSON.stringify(k);',
      '',
    ].join('\n');

  test('over series of edits it equals what plain evaluation gives', async () => {
    const { run } = keeping();
    let used = 0;
    await fc.assert(
      fc.asyncProperty(
        program,
        fc.array(fc.tuple(fc.nat(9), statement, helper, fc.nat(3)), { minLength: 2, maxLength: 6 }),
        async (start, edits) => {
          let now: Program = start;
          for (const [place, next, g, what] of [[0, start.before[0]!, start.helper, 3] as const, ...edits]) {
            if (what === 0) now = { ...now, after: [next] };
            else if (what === 1) now = { ...now, helper: g };
            else if (what === 2) now = { ...now, before: [...now.before.slice(1), next] };
            else now = { ...now, before: now.before.map((old, i) => (i === place % now.before.length ? next : old)) };
            const source = text(now);
            const expected = (
              new Function(source.replace('JSON.stringify(k);', 'return JSON.stringify(k);')) as () => string
            )();
            const record = await run(source);
            expect(record.errors.map((error) => error.message)).toEqual([]);
            const line = source.split('\n').length - 2;
            expect({ source, value: samplesAt(record, { line }).at(-1)!.value.text }).toEqual({
              source,
              value: expected,
            });
            used += [...record.kept.values()].filter((state) => (state.ageMs ?? 0) > 0).length;
          }
        },
      ),
      { numRuns: 24 },
    );
    // The test would say nothing if values were never taken from an earlier run.
    expect(used).toBeGreaterThan(10);
  });

  test('and an edit behind it leaves it alone', async () => {
    const { run, dir } = keeping();
    writeFileSync(join(dir, 'log.txt'), 'Heron\nOtter\n');
    const pad = (tail: string): string =>
      `import { readFileSync } from 'node:fs';\nconst lines = readFileSync(new URL('./log.txt', ` +
      `import.meta.url), 'utf8').split('\\n'); //~ keep:\nconst shown = lines.length;\n${tail}`;
    await run(pad(''));
    for (const tail of [
      'lines.map((line) => line.length);\n',
      "lines.filter((line) => line !== '');\n",
      'function later() { return lines; }\nlater();\n',
    ])
      expect(beside(await run(pad(tail)), 1)[0]).toContain('kept, ');
  });
});
