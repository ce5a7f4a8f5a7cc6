import fc from 'fast-check';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, type PadRecord, type Session, type TestResult } from 'usher-anvil';
import { samplesAt, valueText } from 'usher-anvil/record';
import { linesView } from '#dist/views/margin.js';
import { eventually, folder, wait } from '../../test/harness.js';

const made: Session[] = [];
afterEach(async () => {
  await Promise.all(made.splice(0).map((session) => session.close()));
});

function open(files: Record<string, string | Buffer> = {}, more: Partial<Parameters<typeof createSession>[0]> = {}) {
  const dir = folder(files);
  const file = join(dir, 'canal.ts');
  const session = createSession({ file, text: '', ...more });
  made.push(session);
  return {
    dir,
    session,
    run(text: string): Promise<PadRecord> {
      session.edit(file, text);
      return session.settled();
    },
  };
}

const outcome = (record: PadRecord): string[] =>
  record.tests.map((test) => `${test.state} ${[...test.path, test.name].join(' > ')}${test.reused ? ' again' : ''}`);
const beside = (record: PadRecord, line: number): string[] =>
  (linesView(record).get(line)?.items ?? []).map((item) => `${item.kind} ${item.text}`);
const at = (record: PadRecord, line: number): string => valueText(samplesAt(record, { line }).at(-1)!.value, 400);
const head = `import { test, describe, it, before } from 'node:test';\nimport { equal } from 'node:assert';\n`;

describe('tests that go wrong', () => {
  test('a test that never ends is named, with the line it waits at', async () => {
    const { run } = open();
    const record = await run(
      `${head}test('fills', async () => {\n  const level = 3;\n  await new Promise(() => {});\n` +
        `});\ntest('behind', () => {});\n`,
    );
    const never = record.tests.find((test) => test.name === 'fills')!;
    expect(never).toMatchObject({ state: 'failed', failure: 'cancelled', error: { range: { start: { line: 4 } } } });
    expect(never.reason).toContain('line 5');
    expect(outcome(record)).toEqual(['failed fills', 'failed behind']);
  });

  test('one that calls process.exit, and one that loops for ever, are the ones that failed', async () => {
    const { run } = open({}, { hangMs: 600 });
    const exit = await run(
      `${head}test('first', () => {});\ntest('leaves', () => { process.exit(3); });\ntest('behind', () => {});\n`,
    );
    expect(outcome(exit).slice(0, 2)).toEqual(['passed first', 'failed leaves']);
    expect(exit.tests[1]!.reason).toContain('process.exit(3)');
    const loop = await run(`${head}test('first', () => {});\ntest('turns', () => { for (;;) {} });\n`);
    expect(outcome(loop)).toEqual(['passed first', 'failed turns']);
    expect(loop.stop!.reason).toBe('not-answering');
  });

  test('hooks that throw fail what they were for, and say which hook', async () => {
    const { run } = open();
    const record = await run(
      `${head}describe('lock', () => {\n  before(() => { throw new Error('no water'); });\n` +
        `  it('fills', () => {});\n});\n`,
    );
    expect(outcome(record)).toEqual(['failed lock', 'failed lock > fills']);
    expect(record.tests.find((test) => test.name === 'lock')).toMatchObject({
      failure: 'hook',
      reason: 'its before hook failed',
      error: { message: 'no water', range: { start: { line: 3 } } },
    });
  });

  test('an error in a timer belongs to the test that set it', async () => {
    const { run } = open();
    const record = await run(
      `${head}test('a', async () => {\n  setTimeout(() => { throw new Error('late'); }, 2);\n` +
        '  await new Promise((resolve) => setTimeout(resolve, 40));\n});\n',
    );
    expect(record.errors).toEqual([]);
    expect(record.tests[0]).toMatchObject({
      state: 'failed',
      error: { message: 'late', range: { start: { line: 3 } } },
    });
  });

  test('one test runs alone, the others say why they did not', async () => {
    const { run, session } = open();
    await run(`${head}test('a', () => {});\ndescribe('s', () => { it('b', () => {}); it('c', () => {}); });\n`);
    session.testAlone(['s', 'c']);
    const record = await session.settled();
    expect(outcome(record)).toEqual(['skipped a', 'passed s', 'skipped s > b', 'passed s > c']);
    expect(record.tests[0]).toMatchObject({ leftOut: 'one-asked', reason: 'another test runs alone' });
  });
});

/** On a busy machine a test that computes is no program that hangs. */
const PATIENT = { hangMs: 30_000 };

describe('results that an edit cannot have touched', () => {
  const slow =
    'const spin = (ms: number) => { let n = 0; for (let i = 0; i < ms * 200000; ' +
    'i++) n = (n * 31 + i) % 1009; return n; };\n';
  const pad = (rate: number, tail = ''): string =>
    `${head}${slow}const rate = ${rate};\nfunction toll(t: number) { return t * rate; }\n` +
    `function levy(t: number) { return t + 1; }\ntest('toll', () => { spin(60); equal(toll(2), 2 * rate); });\n` +
    `test('levy', () => { spin(60); equal(levy(2), 3); });\n${tail}`;

  test('are reused, and say so', async () => {
    const { run, session } = open({}, PATIENT);
    expect(outcome(await run(pad(2)))).toEqual(['passed toll', 'passed levy']);
    const second = await run(pad(3));
    expect(outcome(second)).toEqual(['passed toll', 'passed levy again']);
    expect(beside(second, 7)[0]).toMatch(/^passed ✓ .* earlier run$/);
    // What only a reused test would have reached is not called "never ran".
    expect(linesView(second).get(5)!.state).toBe('none');
    session.execute();
    expect(outcome(await session.settled())).toEqual(['passed toll', 'passed levy']);
  });

  test.each([
    ['a random number', `test('x', () => { spin(120); Math.random(); });`],
    ['the clock', `test('x', () => { spin(120); new Date(); });`],
    ['something outside', `test('x', () => { spin(120); process.cwd(); });`],
    ['state that others see', `const list: number[] = [];\ntest('x', () => { spin(120); list.push(1); });`],
    ['the console', `test('x', () => { spin(120); console.log(1); });`],
    ['what failed', `test('x', () => { spin(120); equal(1, 2); });`],
  ])('not where they ask for %s', async (_what, text) => {
    const { run } = open({}, PATIENT);
    await run(`${head}${slow}${text}\n`);
    const second = await run(`${head}${slow}${text}\nconst other = 1;\n`);
    expect(second.tests.filter((test) => test.reused)).toEqual([]);
  });

  // Programs that change state in the ways people do; each edit changes one statement.
  const number = fc.integer({ min: 0, max: 9 });
  const statement = fc.oneof(
    number.map((n) => `a += ${n};`),
    number.map((n) => `list.push(${n});`),
    number.map((n) => `held.n = ${n};`),
    number.map((n) => `f = (x) => x * ${n};`),
    number.map((n) => `add(${n});`),
    number.map((n) => `if (a > ${n}) list.reverse();`),
  );
  const body = fc.constantFrom(
    'a',
    'list.join()',
    'held.n + a',
    'f(2)',
    'g(3)',
    'g(a) + list.length',
    'add.name',
    'list.map(f).join()',
  );
  const program = fc.record({
    before: fc.array(statement, { minLength: 1, maxLength: 4 }),
    helper: number,
    bodies: fc.array(body, { minLength: 2, maxLength: 4 }),
    after: fc.array(statement, { maxLength: 2 }),
  });
  type Program = { before: string[]; helper: number; bodies: string[]; after: string[] };
  const text = ({ before, helper, bodies, after }: Program, seen: string): string =>
    [
      `import { test } from 'node:test';`,
      `const spin = () => { let n = 0; for (let i = 0; i < 12000000; i++) n = (n * 31 + i) % 1009; return n; };`,
      'let a = 1;',
      'const list = [3];',
      'const held = { n: 0 };',
      'let f = (x) => x + 1;',
      'function add(n) { a += n; list.push(n); }',
      `function g(x) { return x + ${helper}; }`,
      ...before,
      // The value each test sees is its failure's message, so that a stale result would show.
      ...bodies.map(
        (one, index) =>
          `test('t${index}', () => { ${index === 0 ? 'spin();' : ''} const value = String(${one}); if ` +
          `(value !== ${seen}[${index}]) throw new Error('stale'); });`,
      ),
      ...after,
    ].join('\n');
  const expectedOf = (one: Program): string[] => {
    const source = text(one, 'x')
      .replace(/^import.*\n/, '')
      .replace(/spin\(\);/g, '')
      .replace(/test\('t\d+', \(\) => \{ {1,2}const value = (String\(.*?\)); if .*? \}\);/g, 'out.push(() => $1);');
    return (new Function('out', `${source}\nreturn out.map((f) => f());`) as (out: unknown[]) => string[])([]);
  };

  test('over series of edits are what running them gives', async () => {
    const { run } = open({}, PATIENT);
    let reused = 0;
    await fc.assert(
      fc.asyncProperty(
        program,
        fc.array(fc.tuple(fc.nat(9), statement, number, fc.nat(3)), { minLength: 2, maxLength: 4 }),
        async (first, edits) => {
          let now: Program = first;
          for (const [place, next, helper, what] of [[0, first.before[0]!, first.helper, 3] as const, ...edits]) {
            if (what === 0) now = { ...now, after: [next] };
            else if (what === 1) now = { ...now, helper };
            else now = { ...now, before: now.before.map((old, i) => (i === place % now.before.length ? next : old)) };
            const record = await run(text(now, JSON.stringify(expectedOf(now))));
            expect({
              now,
              failed: record.tests.filter((test: TestResult) => test.state !== 'passed').map((test) => test.name),
            }).toEqual({ now, failed: [] });
            reused += record.tests.filter((test) => test.reused).length;
          }
        },
      ),
      { numRuns: 6, endOnFailure: true },
    );
    // The test would say nothing if results were never reused.
    expect(reused).toBeGreaterThan(0);
  });
});

describe('what is pending, and requests', () => {
  test('awaits and timers stand at their lines; a timer can be stopped', async () => {
    const { session } = open();
    session.edit(
      session.options.file,
      `const never = (async () => { await new Promise(() => {}); })();\nconst beat = setInterval(() => {}, 60000);\n`,
    );
    const record = await eventually(() =>
      session.record && session.record.timers.length > 0 ? session.record : undefined,
    );
    expect(record.waits).toMatchObject([{ line: 0, count: 1 }]);
    expect(record.timers).toMatchObject([{ repeats: true, delay: 60000, frame: { line: 1 } }]);
    expect(beside(record, 1)[0]).toContain('every 60.0 s');
    session.act({ do: 'stop-timer', id: record.timers[0]!.id });
    const ended = await eventually(() => (session.record?.ended ? session.record : undefined));
    expect(ended.timers).toEqual([]);
    expect(beside(ended, 0)[0]).toContain('never came');
  });

  test('a timer looks untouched, and an await at the top level that never ends is an error at its line', async () => {
    const { run } = open();
    const record = await run(
      `const told = [setTimeout.name, setTimeout.length, String(setTimeout).includes('validateFunction')];\n` +
        'told;\nawait new Promise(() => {});\n',
    );
    expect(at(record, 1)).toBe(`['setTimeout', ${setTimeout.length}, true]`);
    expect(record.errors).toMatchObject([{ code: 'E_NEVER', range: { start: { line: 2 } } }]);
  });

  test('requests of fetch and node:http: address, status, headers, time and body', async () => {
    const server = createServer((request, response) => {
      response.statusCode = request.url === '/lost' ? 404 : 200;
      response.setHeader('content-type', 'application/json');
      response.end(JSON.stringify({ url: request.url, keeper: request.headers['x-keeper'] ?? '' }));
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    try {
      const { run, session } = open();
      const record = await run(
        `import { get } from 'node:http';\nconst a = await (await fetch('${base}/locks', { headers: { ` +
          `'x-keeper': 'AB' } })).json();\ntry {\n  const response = await fetch('${base}/lost');\n` +
          `  if (!response.ok) throw new Error('lost');\n} catch (error) {\n  String(error);\n}\n` +
          `const text = await new Promise((done) => get('${base}/http', (m) => { let t = ''; m.on('data', (d) => (t += d)).on('end', () => done(t)); }));\nawait fetch('http://127.0.0.1:9/none').catch(() => 0);\na;\ntext;\n`,
      );
      expect(at(record, 10)).toBe("{ url: '/locks', keeper: 'AB' }");
      expect(at(record, 11)).toContain('/http');
      expect(
        record.requests.map((one) => [
          one.by,
          one.method,
          one.url.replace(base, ''),
          one.status,
          one.state,
          one.frames[0]?.line,
        ]),
      ).toEqual([
        ['fetch', 'GET', '/locks', 200, 'done', 1],
        ['fetch', 'GET', '/lost', 404, 'done', 3],
        ['http', 'GET', '/http', 200, 'done', 8],
        ['fetch', 'GET', 'http://127.0.0.1:9/none', undefined, 'failed', 9],
      ]);
      const [first] = record.requests;
      expect(first!.sent).toContainEqual(['x-keeper', 'AB']);
      expect(first!.got).toContainEqual(['content-type', 'application/json']);
      expect(first!.tookMs).toBeGreaterThan(0);
      const opened = await session.look({ do: 'open', moment: first!.bodyMoment!, part: 0 });
      expect(opened).toMatchObject({ is: 'opened' });
      // The catch that took it shows what went wrong.
      expect(beside(record, 5).join()).toContain('GET /lost 404 Not Found');
    } finally {
      server.closeAllConnections();
      server.close();
    }
  });

  test('a rejection that nobody handles stays one', async () => {
    const { run } = open();
    const record = await run(`fetch('http://127.0.0.1:9/none');\n`);
    expect(record.errors).toMatchObject([{ kind: 'rejection' }]);
  });
});

describe('input', () => {
  const reads = (what: string): string =>
    `import { input } from 'usher-anvil/pad';\nconst found = (() => { try { return ${what}; ` +
    '} catch (error) { return String(error); } })();\n';

  test.each([
    ['lines', 'a\nb\n', "['a', 'b']", '2 lines, split at \\n; the last line end begins no further line'],
    ['lines', 'a\r\nb', "['a', 'b']", '2 lines, split at \\r\\n'],
    [
      'lines',
      'a\r\n\nb\n',
      "['a', '', 'b']",
      '3 lines, split at \\n and 1 times at \\r\\n; the last line end begins no further line; 1 is empty',
    ],
    ['lines', '', '[]', '0 lines, no line end in it'],
    ['text', '\ufeffslate', "'slate'", ''],
    ['json()', '{"a": [1]}', '{ a: [1] }', ''],
    [
      'csv({ numbers: true })',
      'barge;tonnes\nHeron;20\n"Ott;er";5\n',
      "[{ barge: 'Heron', tonnes: 20 }, { barge: 'Ott;er', tonnes: 5 }]",
      '2 rows, cells between ";", columns named by the first line',
    ],
    ['csv({ header: false })', 'a,b\n', "[['a', 'b']]", '1 rows, cells between ",", no names'],
  ])('input.%s of %j', async (what, data, value, note) => {
    const { run, session } = open();
    session.setInput({ name: 'log', bytes: Buffer.from(data) });
    const record = await run(reads(`input.${what}`));
    expect(at(record, 1)).toBe(value);
    expect(
      beside(record, 1)
        .filter((item) => item.startsWith('note'))
        .join(),
    ).toBe(note === '' ? '' : `note ${note}`);
  });

  test.each([
    ['text', Buffer.from([0x61, 0xff, 0x62]), 'log is not UTF-8 text (byte 1). Use input.bytes.'],
    ['json()', Buffer.from('{"a": }'), 'log is not JSON, line 1: Unexpected token'],
    ['json()', Buffer.from('{"a":1}\n{"a":2}\n'), 'Each of its lines is'],
    ['csv()', Buffer.from('a,b\n1,2,3\n'), 'cannot be read as rows of cells, line 2'],
  ])('input.%s of what it is not says so', async (what, bytes, message) => {
    const { run, session } = open();
    session.setInput({ name: 'log', bytes });
    const record = await run(`import { input } from 'usher-anvil/pad';\ninput.${what};\n`);
    expect(record.errors[0]).toMatchObject({
      code: 'E_INPUT',
      message: expect.stringContaining(message) as string,
      range: { start: { line: 1 } },
    });
  });

  test(
    'comes from what a mark names, and what is handed over goes before ' +
      'it; without either the error tells the ways',
    async () => {
      const { run, session, dir } = open({ 'log.txt': 'one\n' });
      const pad =
        `import { input } from 'usher-anvil/pad';\nconst kept = input.lines.join(); //~ keep:\n` +
        'input.lines.length; //~ from: log.txt\nkept;\n';
      expect(at(await run(pad), 3)).toBe("'one'");
      // A kept value goes when the data does.
      writeFileSync(join(dir, 'log.txt'), 'one\ntwo\n');
      session.execute();
      expect(at(await session.settled(), 3)).toBe("'one,two'");
      session.setInput({ name: 'pasted text', bytes: Buffer.from('three\n') });
      expect(at(await session.settled(), 3)).toBe("'three'");
      session.setInput(undefined);
      expect(at(await session.settled(), 3)).toBe("'one,two'");
      const none = await run(`import { input } from 'usher-anvil/pad';\ninput.text;\n`);
      expect(none.errors[0]).toMatchObject({ code: 'E_NO_INPUT', range: { start: { line: 1 } } });
      expect(
        (await run(`import { input } from 'usher-anvil/pad';\ninput.text; //~ from: nowhere.txt\n`)).errors[0]!.message,
      ).toContain('nowhere.txt cannot be read');
    },
  );

  test('of 200 MB is read as bytes, and as text within the memory of the pad', async () => {
    const { session, dir } = open({}, { memoryMb: 2_000 });
    writeFileSync(join(dir, 'big.log'), Buffer.alloc(200_000_000, 'passage\n'));
    session.setInput({ name: 'big.log', file: join(dir, 'big.log') });
    session.edit(
      session.options.file,
      `import { input } from 'usher-anvil/pad';\ninput.size;\ninput.bytes[7];\ninput.text.length;\n`,
    );
    const record = await session.settled();
    expect([1, 2, 3].map((line) => at(record, line))).toEqual(['200000000', '10', '200000000']);
  });
});

describe('dials and gates', () => {
  test('a dial gives its first value, then what it is turned to; values out of its shape are not taken', async () => {
    const { run, session } = open();
    const pad =
      `import { dial } from 'usher-anvil/pad';\nconst rate = dial('rate', 0.4, ` +
      '{ min: 0, max: 1, step: 0.1 });\nrate * 10;\n';
    expect(at(await run(pad), 2)).toBe('4');
    session.dials.turn('rate', 0.5);
    expect(
      at(
        await eventually(() =>
          session.record?.ended && session.record.dials[0]?.value === 0.5 ? session.record : undefined,
        ),
        2,
      ),
    ).toBe('5');
    session.dials.turn('rate', 7);
    await wait(120);
    expect(at(await session.settled(), 2)).toBe('4');
    session.dials.reset();
    expect((await session.settled()).dials).toMatchObject([
      { name: 'rate', kind: 'range', value: 0.4, initial: 0.4, min: 0, max: 1, step: 0.1 },
    ]);
  });

  test('turned faster than it runs, the latest value wins and runs stay apart', async () => {
    const { run, session } = open();
    await run(`import { dial } from 'usher-anvil/pad';\nconst n = dial('n', 0, { min: 0, max: 100000 });\nn;\n`);
    let runs = 0;
    const off = session.onRecord((record) => (runs += record.ended ? 1 : 0));
    let turns = 0;
    // However busy the machine is: it runs while it is being turned, not only after.
    while (runs < 3) {
      session.dials.turn('n', ++turns);
      await wait(2);
    }
    await eventually(() => session.record?.ended && session.record.dials[0]?.value === turns);
    off();
    expect(at(session.record!, 2)).toBe(String(turns));
    expect(runs).toBeLessThan(turns / 2);
  });

  test.each([
    [`dial('x', 5, { min: 0, max: 1 })`, 'its first value must be a number from 0 to 1'],
    [`dial('x', 'a', ['b'])`, 'its first value is none of its choices'],
    [`dial('x', 1, 'switch')`, 'its first value must be a boolean'],
    [`dial('x', 1, 'dial' as any)`, 'its shape is'],
    [`dial('x', 1);\ndial('x', 2)`, "two dials are named 'x'"],
  ])('%s is refused', async (call, message) => {
    const { run } = open();
    expect((await run(`import { dial } from 'usher-anvil/pad';\n${call};\n`)).errors[0]!.message).toContain(message);
  });

  const ledger = (fee: number): string =>
    `import { gate } from 'usher-anvil/pad';\nconst query = 'charge ${fee}';\nconst rows = await gate('charge', ` +
    `async () => { (globalThis as any).done = ((globalThis as any).done ?? 0) + 1; return query; });\nrows + '!';\n`;

  test(
    'a gate stays closed until it is opened; what stands before ' + 'it stays live; its outcome is remembered',
    async () => {
      const { run, session } = open();
      const closed = await run(ledger(1));
      expect([closed.outcome, closed.gates[0]!.state, at(closed, 1), samplesAt(closed, { line: 3 }).length]).toEqual([
        'ok',
        'closed',
        "'charge 1'",
        0,
      ]);
      expect(beside(closed, 2)).toEqual(['gate closed']);
      session.act({ do: 'open-gate', id: closed.gates[0]!.id });
      const opened = await eventually(() =>
        session.record?.ended && session.record.gates[0]?.state === 'done' ? session.record : undefined,
      );
      expect(at(opened, 3)).toBe("'charge 1!'");
      const edited = await run(ledger(2));
      expect([edited.gates[0]!.state, at(edited, 1)]).toEqual(['closed', "'charge 2'"]);
      expect(edited.gates[0]!.last).toMatchObject({ state: 'done', text: "'charge 1'" });
    },
  );

  test('a gate named at the start opens by itself, and an effect that throws is an error of the pad', async () => {
    const { run } = open({}, { open: ['charge'] });
    expect(at(await run(ledger(3)), 3)).toBe("'charge 3!'");
    const failed = await run(
      `import { gate } from 'usher-anvil/pad';\nawait gate('charge', () => { throw new Error('no ink'); });\n`,
    );
    expect([failed.gates[0]!.state, failed.errors[0]!.message]).toEqual(['failed', 'no ink']);
  });
});
