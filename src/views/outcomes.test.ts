import { XMLParser, XMLValidator } from 'fast-xml-parser';
import { join } from 'node:path';
import { Parser } from 'tap-parser';
import type { PadRecord, TestResult } from 'usher-anvil';
import { differenceLines } from '#dist/views/difference.js';
import { explain } from '#dist/views/explain.js';
import { linesView } from '#dist/views/margin.js';
import { cli, folder, recorder } from '../../test/harness.js';

const dir = folder();
const pad = recorder(join(dir, 'canal.ts'));
afterAll(() => pad.close());

const named = (record: PadRecord, name: string): TestResult => record.tests.find((test) => test.name === name)!;

describe('a difference', () => {
  async function lines(received: string, expected: string, assertion = 'deepStrictEqual'): Promise<string[]> {
    const record = await pad.run(
      `import { test } from 'node:test';\nimport assert from 'node:assert';\nclass Barge { constructor(name) ` +
        '{ this.name = name; } }\nclass Boat { constructor(name) { this.name = name; } }\n' +
        `test('it', () => { assert.${assertion}(${received}, ${expected}); });\n`,
    );
    const { differences } = named(record, 'it').error!;
    const told = differenceLines(differences!);
    return [
      ...told.lines.map((line) => [line.path, line.received, line.expected, line.note].filter(Boolean).join(' | ')),
      ...(told.rest === '' ? [] : [told.rest]),
    ];
  }

  test('names the places of nested values', async () => {
    expect(
      await lines(
        `{ lock: { name: 'Alder', rise: 4.2 }, open: true }`,
        `{ lock: { name: 'Alder', rise: 4.3 }, tonnes: 3 }`,
      ),
    ).toEqual([
      'it.lock.rise | 4.2 | 4.3',
      'it.open | true | nothing',
      'it.tonnes | nothing | 3',
      '1 part is the same',
    ]);
  });

  test('aligns lists by what is equal, and not by position alone', async () => {
    expect(await lines(`['Alder', 'Cress', 'Dun', 'Elm']`, `['Alder', 'Birch', 'Cress', 'Dun']`)).toEqual([
      "it[1] | nothing | 'Birch'",
      "it[3] | 'Elm' | nothing",
      '3 parts are the same',
    ]);
  });

  test.each([
    [
      `new Map([['Heron', 1], ['Otter', 2]])`,
      `new Map([['Heron', 1], ['Teal', 2]])`,
      ["it.get('Otter') | 2 | nothing", "it.get('Teal') | nothing | 2", '1 part is the same'],
    ],
    [
      `new Set([1, { a: 1 }])`,
      `new Set([{ a: 1 }, 2])`,
      ['a member of it | 1 | nothing', 'a member of it | nothing | 2', '1 part is the same'],
    ],
    [`new Date(0)`, `new Date(5)`, ['1970-01-01T00:00:00.000Z | 1970-01-01T00:00:00.005Z']],
    [
      `new Barge('Heron')`,
      `new Boat('Heron')`,
      ["Barge { name: 'Heron' } | Boat { name: 'Heron' } | received a Barge, expected a Boat", ''],
    ],
    [`new Uint8Array([1, 2, 3])`, `new Uint8Array([1, 9, 3])`, ['it[1] | 2 | 9', '2 parts are the same']],
    [`[1, 2]`, `'12'`, ["[1, 2] | '12'"]],
    [`0`, `-0`, ['0 | -0']],
  ])('of %s and %s', async (received, expected, told) => {
    expect(await lines(received, expected)).toEqual(told.filter(Boolean));
  });

  test('shows the part of a long text, and where it stands', async () => {
    const [line] = await lines(`'slate '.repeat(40) + 'at nine'`, `'slate '.repeat(40) + 'at ten'`, 'strictEqual');
    expect(line).toContain('differs from character 244 on');
    expect(line).toContain('at nine');
    expect(line!.length).toBeLessThan(200);
  });

  test('of circular values comes to an end', async () => {
    expect(
      await lines(
        `(() => { const a = { n: 1 }; a.self = a; return a; })()`,
        `(() => { const b = { n: 2 }; b.self = b; return b; })()`,
      ),
    ).toEqual(['it.n | 1 | 2']);
  });

  test('deep inside a huge value is found all the same', async () => {
    // Thrown by hand: the platform's own assertion takes seconds to put such values into words.
    const record = await pad.run(
      `import { test } from 'node:test';\nconst list = (at: number) => Array.from({ length: 20000 }, (_, n) ` +
        `=> ({ n: n === at ? 0 : n }));\ntest('it', () => { throw Object.assign(new Error('differs'), ` +
        '{ actual: list(-1), expected: list(17171) }); });\n',
    );
    const { lines: found, rest } = differenceLines(named(record, 'it').error!.differences!);
    expect(found.map((line) => [line.path, line.received, line.expected])).toEqual([['it[17171].n', '17171', '0']]);
    expect(rest).toBe('19,999 parts are the same');
  });

  test('does not run getters, and does not enter proxies', async () => {
    const found = await lines(
      `{ get a() { throw new Error('ran'); }, b: 1 }`,
      `{ get a() { throw new Error('ran'); }, b: new Proxy({}, {}) }`,
      'fail() || assert.deepStrictEqual',
    ).catch(() => []);
    expect(found).toEqual([]);
    const record = await pad.run(
      `import { test } from 'node:test';\nlet ran = 0;\ntest('it', () => { throw Object.assign(new ` +
        `Error('differs'), { actual: { get a() { ran++; return 1; }, b: 1 }, expected: { get a() { ran++; ` +
        `return 2; }, b: 2 } }); });\ntest('ran', () => { if (ran > 0) throw new Error('a getter ran'); });\n`,
    );
    expect(named(record, 'ran').state).toBe('passed');
    expect(named(record, 'it').error!.differences!.list.map((one) => one.path)).toEqual(['it.a', 'it.b']);
  });

  test('comes from any library that throws with both sides', async () => {
    const record = await pad.run(
      `import { test } from 'node:test';\nclass Mismatch extends Error { actual = [1]; expected = [2]; }\n` +
        `test('it', () => { throw new Mismatch('no'); });\n`,
    );
    expect(named(record, 'it').error!.differences!.list[0]!.path).toBe('it[0]');
    expect(
      linesView(record)
        .get(2)!
        .items.map((item) => item.text),
    ).toContain('it[0]: received 1, expected 2');
  });
});

describe('an error explains', () => {
  async function reason(text: string): Promise<{ reason: string; hint: string; values: string[] }> {
    const record = await pad.run(text);
    const found = explain(record, record.errors[0]!);
    return { reason: found.reason, hint: found.hint, values: found.values.map((one) => `${one.name} = ${one.text}`) };
  }

  test('which name held nothing', async () => {
    expect(await reason(`const boat = { name: 'Otter', lock: { rise: 4 } };\nboat.cargo.tonnes;\n`)).toEqual({
      reason: "boat.cargo is undefined, so 'tonnes' cannot be read from it",
      hint: '',
      values: ['boat.cargo = undefined', "boat = { name: 'Otter', lock: { rise: 4 } }"],
    });
    expect((await reason(`const boat = { cargo: 3 };\nboat.carog.toFixed();\n`)).hint).toBe("Did you mean 'cargo'?");
    expect((await reason(`let lock: any = null;\nlock.rise = 3;\n`)).reason).toBe(
      "lock is null, so 'rise' cannot be set on it",
    );
  });

  test.each([
    [`const rates = { slate: 65 };\nratse.slate;\n`, '', "Did you mean 'rates'?"],
    [
      `const fleet = ['Heron'];\nfleet.fliter(Boolean);\n`,
      "fleet is an array and has no 'fliter'",
      "Did you mean 'filter'?",
    ],
    [`const at = '9:00';\nat.splti(':');\n`, "at is a string and has no 'splti'", "Did you mean 'split'?"],
    [
      `class Barge { weigh() { return 3; } }\nconst heron = new Barge();\nheron.wiegh();\n`,
      "heron is a Barge and has no 'wiegh'",
      "Did you mean 'weigh'?",
    ],
    [`early;\nconst early = 3;\n`, 'early gets its value at line 2, which had not run', ''],
    [
      `const rise = 3;\nrise = 4;\n`,
      'rise is a const, made at line 1',
      'Make it a let there, or give the value another name.',
    ],
    [`function up(n) { return up(n + 1) + 1; }\nup(1);\n`, 'up calls itself without an end', ''],
  ])('%j', async (text, told, hint) => {
    const found = await reason(text);
    expect([found.reason, found.hint]).toEqual([told, hint]);
  });

  test('the values as they were at the visit that failed', async () => {
    const found = await reason(
      'const boats = [{ t: { n: 1 } }, { t: { n: 2 } }, {}];\nfor (const boat of boats) {\n' +
        '  const tonnes = boat.t.n;\n}\n',
    );
    expect(found).toMatchObject({
      reason: "boat.t is undefined, so 'n' cannot be read from it",
      values: expect.arrayContaining(['boat = {}']),
    });
  });

  test('the way there: over awaits, with library frames folded, and repeated ones once', async () => {
    const record = await pad.run(
      `async function chart(n: number) { await null; throw new Error('no depth'); }\n` +
        'async function plan() { return await chart(3); }\n' +
        'const all = await [1].reduce(async () => await plan(), Promise.resolve());\n',
    );
    const { path } = explain(record, record.errors[0]!);
    const names = path.map((step) =>
      'folded' in step
        ? `(${step.folded} of ${step.of})`
        : `${step.frame.isAsync ? 'await ' : ''}${step.frame.name || 'top level'}:${step.frame.range.start.line + 1}`,
    );
    expect(names.slice(0, 3)).toEqual(['chart:1', 'await plan:2', 'await a function:3']);
    const sorted = await pad.run(
      `function bad(): number { throw new Error('no order'); }\n[2, 1].sort(() => bad());\n`,
    );
    expect(
      explain(sorted, sorted.errors[0]!).path.map((step) =>
        'folded' in step ? `(${step.folded} of ${step.of})` : step.frame.name,
      ),
    ).toEqual(['bad', 'a function', '(1 of the platform)', '']);
  });

  test('causes, and the errors of an aggregate, each with its own place', async () => {
    const record = await pad.run(
      `function low() { return new RangeError('too low'); }\n` +
        `throw new AggregateError([low(), new Error('other', { cause: low() })], 'both');\n`,
    );
    const [error] = record.errors;
    expect(error!.errors!.map((one) => [one.message, one.range.start.line])).toEqual([
      ['too low', 0],
      ['other', 1],
    ]);
    expect(error!.errors![1]!.cause!.message).toBe('too low');
  });

  test('and the branch that led there is marked on the rail', async () => {
    const record = await pad.run(
      `function weigh(boat: { t?: number }) {\n  if (boat.t === undefined) {\n    const way = 'none';\n` +
        '    throw new Error(way);\n  }\n  return boat.t;\n}\nweigh({ t: 1 });\nweigh({});\n',
    );
    const views = linesView(record);
    expect(
      [0, 1, 2, 3, 5, 7, 8].map((line) => `${line} ${views.get(line)!.state}${views.get(line)!.way ? ' way' : ''}`),
    ).toEqual(['0 ran', '1 ran way', '2 ran', '3 failed', '5 ran', '7 ran', '8 ran way']);
  });
});

describe('results for other tools', () => {
  const files = folder({
    'good.ts':
      `import { test, describe, it } from 'node:test';\nimport { equal } from 'node:assert';\n` +
      `test('rises # by "4.2" <metres> & more', () => {});\ndescribe('locks', () => { it('fills', () => {}); ` +
      `it('leaks', () => equal('a\\nb', 'a\\u0001c')); it.skip('waits', () => {}); it.todo('later'); });\n` +
      `test('outer', async (t) => { await t.test('inner\\nname', () => { throw new Error('<no>'); }); });\n`,
    'plain.ts': `const x = 1;\n`,
    'broken.ts': `import { test } from 'node:test';\ntest('never seen', () => {});\nthrow new Error('outside');\n`,
    'passes.ts': `import { test } from 'node:test';\ntest('a', () => {});\n`,
  });

  test('TAP 14 that a parser reads', () => {
    const { stdout, code } = cli(['run', 'good.ts', '--format', 'tap'], { cwd: files });
    expect(code).toBe(1);
    expect(stdout.startsWith('TAP version 14\n')).toBe(true);
    const parser = new Parser();
    let results:
      { ok: boolean; count: number; pass: number; fail: number; failures: { tapError?: unknown }[] } | undefined;
    parser.on('complete', (found: typeof results) => (results = found));
    const names: string[] = [];
    parser.on('assert', (one: { name: string; ok: boolean }) => names.push(`${one.ok ? 'ok' : 'not ok'} ${one.name}`));
    parser.end(stdout);
    expect(results).toMatchObject({ ok: false, count: 3, pass: 1, fail: 2 });
    expect(results!.failures.filter((one) => one.tapError)).toEqual([]);
    expect(names).toEqual(['ok rises # by "4.2" <metres> & more', 'not ok locks', 'not ok outer']);
  });

  test('JUnit XML that a parser reads', () => {
    const { stdout } = cli(['run', 'good.ts', '--format', 'junit'], { cwd: files });
    expect(XMLValidator.validate(stdout)).toBe(true);
    const parsed = new XMLParser({ ignoreAttributes: false, attributeNamePrefix: '' }).parse(stdout) as {
      testsuites: {
        failures: string;
        testsuite: {
          tests: string;
          skipped: string;
          testsuite: { testcase: { name: string; failure?: { message: string } }[] };
        };
      };
    };
    expect(parsed.testsuites.failures).toBe('3');
    expect(parsed.testsuites.testsuite.testsuite.testcase.map((one) => one.name)).toEqual([
      'fills',
      'leaks',
      'waits',
      'later',
    ]);
    expect(stdout).not.toMatch(/[\u0000-\u0008]/);
  });

  test('a run without tests, one that fails outside of them, and one that passes', () => {
    const { stdout, code } = cli(['run', 'plain.ts', '--format', 'tap'], { cwd: files });
    expect([stdout, code]).toEqual(['TAP version 14\n1..1\nok 1 - plain.ts\n', 0]);
    const broken = cli(['run', 'broken.ts', '--format', 'tap'], { cwd: files });
    expect(broken.stdout).toContain('not ok 2 - broken.ts');
    expect(broken.code).toBe(1);
    expect(cli(['run', 'broken.ts', '--format', 'junit'], { cwd: files }).stdout).toContain(
      '<error message="Error: outside">',
    );
    expect(cli(['run', 'passes.ts', '--format', 'junit'], { cwd: files }).code).toBe(0);
  });
});
