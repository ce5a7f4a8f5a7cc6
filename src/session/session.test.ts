import { chmodSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, runPad, type PadRecord, type Session } from 'usher-anvil';
import { historiesAt, lineStates, samplesAt, valueText } from 'usher-anvil/record';
import { eventually, folder, wait } from '../../test/harness.js';

const open: Session[] = [];
afterEach(async () => {
  await Promise.all(open.splice(0).map((session) => session.close()));
});

function session(
  files: Record<string, string>,
  options: Partial<Parameters<typeof createSession>[0]> = {},
): { session: Session; dir: string; file: string } {
  const dir = folder(files);
  const file = join(dir, Object.keys(files)[0]!);
  const made = createSession({ file, ...options });
  open.push(made);
  return { session: made, dir, file };
}

/** Text beside a one-based line, for short expectations. */
function beside(record: PadRecord, line: number): string[] {
  return samplesAt(record, { line: line - 1 })
    .filter((sample) => sample.kind !== 'stage')
    .map((sample) => valueText(sample.value));
}

async function after(made: Session, file: string, text: string): Promise<PadRecord> {
  made.edit(file, text);
  return made.settled();
}

describe('an edit', () => {
  test('re-executes the pad and gives a new record; the old one stays as it was', async () => {
    const { session: made, file } = session({ 'toll.ts': '' });
    const first = await after(made, file, 'const rate: number = 4;\nrate * 2;\n');
    const second = await after(made, file, 'const rate: number = 5;\nrate * 2;\n');
    expect([first.outcome, second.outcome]).toEqual(['ok', 'ok']);
    expect([beside(first, 2), beside(second, 2)]).toEqual([['8'], ['10']]);
  });

  test('cancels what runs: only the last of many edits is reported', async () => {
    const { session: made, file } = session({ 'toll.ts': '' });
    const seen: string[] = [];
    made.onRecord((record) => record.ended && seen.push(beside(record, 1).join()));
    for (let i = 0; i < 30; i++) made.edit(file, `const value = ${i};\n`);
    await made.settled();
    expect(seen).toEqual(['29']);
  });

  test('in a local module re-executes the pad, unsaved', async () => {
    const {
      session: made,
      file,
      dir,
    } = session({ 'toll.ts': "import { rate } from './rates';\nrate;\n", 'rates.ts': 'export const rate = 1;\n' });
    const first = await after(made, file, "import { rate } from './rates';\nrate;\n");
    const second = await after(made, join(dir, 'rates.ts'), 'export const rate = 7;\n');
    expect([beside(first, 2), beside(second, 2)]).toEqual([['1'], ['7']]);
    expect(made.files).toEqual([file, join(dir, 'rates.ts')]);
  });

  test('starts with no leftovers of the run before', async () => {
    const { session: made, file } = session({ 'toll.js': '' });
    made.edit(file, 'globalThis.left = 1; Array.prototype.left = 2; setInterval(() => console.log("old"), 5);');
    await eventually(() => (made.record?.console.length ?? 0) > 2);
    made.edit(file, 'console.log(typeof left, [].left);');
    const record = await made.settled();
    await wait(60);
    expect(made.record!.console.map((entry) => entry.text)).toEqual(['undefined undefined']);
    expect(record.outcome).toBe('ok');
  });

  test('late output arrives until the next edit', async () => {
    const { session: made, file } = session({ 'toll.ts': '' });
    made.edit(file, 'setTimeout(() => console.log("late"), 120);\nconsole.log("early");\n');
    const first = await eventually(() => (made.record?.console.length === 1 ? made.record : undefined));
    expect(first.ended).toBe(false);
    const record = await made.settled();
    expect(record.console.map((entry) => [entry.text, entry.range!.start.line])).toEqual([
      ['early', 1],
      ['late', 0],
    ]);
  });

  test('a syntax error keeps the last good record, and the next good edit runs', async () => {
    const { session: made, file } = session({ 'toll.ts': '' });
    await after(made, file, 'const a = 1;\n');
    const broken = await after(made, file, 'const a = ;\n');
    expect(broken.outcome).toBe('syntax');
    expect(beside(made.goodRecord!, 1)).toEqual(['1']);
    expect((await after(made, file, 'const a = 3;\n')).outcome).toBe('ok');
  });

  test('all syntax errors are reported, each at its line', async () => {
    const { session: made, file } = session({ 'toll.ts': '' });
    const record = await after(made, file, 'const a = { b: };\nconst c = 2;\nfoo(1, ;\nconst d = [1, 2;\n');
    expect(record.errors.map((error) => error.range.start.line)).toEqual([0, 2, 3]);
    expect(new Set(record.errors.map((error) => error.kind))).toEqual(new Set(['syntax']));
  });
});

describe('stop for sure', () => {
  const cases: [string, string, RegExp, number | undefined][] = [
    [
      'a loop that never ends',
      'const a = 1;\nlet n = 0;\nwhile (a) {\n  n++;\n}\n',
      /did not come to an end in the loop at line 3/,
      2,
    ],
    [
      'an endless loop inside a function, in a loop that ends',
      'function spin() {\n  for (;;) {\n    for (let i = 0; i < 3; i++) {}\n  }\n}\nspin();\n',
      /in the loop at line 2/,
      1,
    ],
    [
      'an endless chain of promises',
      'async function turn(): Promise<void> {\n  await null;\n  for (;;) await 1;\n}\nvoid turn();\n',
      /did not come to an end/,
      undefined,
    ],
    ['process.exit', 'const a = 1;\nprocess.exit(3);\n', /process\.exit\(3\) was called at line 2/, 1],
    ['process.abort', '\nprocess.abort();\n', /process\.abort\(\) was called at line 2/, 1],
    [
      'SIGKILL to itself',
      'const a = 1;\n\nprocess.kill(process.pid, "SIGKILL");\n',
      /was ended by SIGKILL at line 3/,
      2,
    ],
    [
      'memory',
      'const all: number[][] = [];\nwhile (true) {\n  all.push(new Array(100_000).fill(1.5));\n}\n',
      /used up its memory/,
      undefined,
    ],
  ];
  test.each(cases)(
    '%s ends in a record that says what and where; the next edit runs',
    async (_name, text, message, line) => {
      const { session: made, file } = session(
        { 'toll.ts': '' },
        { hangMs: _name === 'memory' ? 10_000 : 600, memoryMb: 64 },
      );
      const record = await after(made, file, text);
      expect(record.outcome).toBe('stopped');
      expect(record.stop!.message).toMatch(message);
      if (line !== undefined) expect(record.stop!.range!.start.line).toBe(line);
      const next = await after(made, file, 'const fine = 1;\n');
      expect([next.outcome, beside(next, 1)]).toEqual(['ok', ['1']]);
    },
  );

  test('a module under several addresses is several modules, as everywhere', async () => {
    const { session: made, file } = session({
      'toll.ts': '',
      'rate.mjs': 'globalThis.loads = (globalThis.loads ?? 0) + 1;\nexport const loads = globalThis.loads;\n',
    });
    const text = `const one = await import('./rate.mjs?at=' + 1);
const two = await import('./rate.mjs?at=' + 2);
const again = await import('./rate.mjs?at=' + 1);
const three = await import(new URL('./rate.mjs?at=3#x', import.meta.url).href);
const given = await import('./rate.mjs?at=4');
[one.loads, two.loads, again.loads, three.loads, given.loads, one === again].join();
`;
    const record = await after(made, file, text);
    expect(record.outcome).toBe('ok');
    expect(beside(record, 6)).toEqual(["'1,2,1,3,4,true'"]);
  });

  test('a package that takes long to load is none', async () => {
    const slow = 'const end = Date.now() + 2_500;\nwhile (Date.now() < end);\n';
    const { session: made, file } = session(
      {
        'toll.ts': '',
        'node_modules/slow/package.json': '{ "name": "slow", "main": "main.js" }',
        'node_modules/slow/main.js': `${slow}exports.rate = 4;\n`,
        'node_modules/late/package.json': '{ "name": "late", "type": "module", "main": "main.js" }',
        'node_modules/late/main.js': `${slow}export const boats = 3;\n`,
      },
      { hangMs: 400 },
    );
    const record = await after(
      made,
      file,
      "import { rate } from 'slow';\nconst { boats } = await import('late');\nrate * boats;\n",
    );
    expect([record.outcome, record.stop?.message]).toEqual(['ok', undefined]);
    expect(beside(record, 3)).toEqual(['12']);
  });

  test('what was reported before a runaway loop is in the record, and its counts are exact', async () => {
    const { session: made, file } = session({ 'toll.ts': '' }, { hangMs: 500 });
    const record = await after(
      made,
      file,
      'const level = 4.2;\nconsole.log("filling");\nlet n = 0;\nwhile (true) n++;\n',
    );
    expect(beside(record, 1)).toEqual(['4.2']);
    expect(record.console[0]!.text).toBe('filling');
    const states = lineStates(record);
    expect(states.find((line) => line.line === 3)!.state).toBe('failed');
    expect(historiesAt(record, { line: 3 })[0]!.visits).toBeGreaterThan(1000);
  });

  test('a native crash costs one record and nothing else', async () => {
    const { session: made, file } = session({ 'toll.cjs': '' });
    const record = await after(made, file, 'process.dlopen({ exports: {} }, "/dev/null/none.node");');
    expect(record.outcome).toBe('failed');
    const killed = await after(
      made,
      file,
      'require("node:child_process").execSync(`kill -SEGV ${process.pid}`); console.log("after")',
    );
    expect(killed.outcome).toBe('stopped');
    expect(killed.stop!.message).toMatch(/SIGSEGV|ended/);
    expect((await after(made, file, 'exports.fine = 1')).outcome).toBe('ok');
  });

  test('stack overflow is an error at its line', async () => {
    const record = await runPad({
      file: join(folder(), 'deep.ts'),
      text: 'function dig(n: number): number {\n  return dig(n + 1) + 1;\n}\ndig(0);\n',
    });
    expect(record.outcome).toBe('failed');
    expect(record.errors[0]).toMatchObject({ name: 'RangeError', message: 'Maximum call stack size exceeded' });
    // As in plain code: the overflow happens at the head of the function that is called once too often.
    expect(record.errors[0]!.range.start.line).toBe(0);
  });

  test('a million console lines: bounded, counted, first and last kept', async () => {
    const record = await runPad({
      file: join(folder(), 'flood.ts'),
      text: 'for (let i = 0; i < 1_000_000; i++) console.log("line", i);\n',
      timeLimitMs: 25_000,
    });
    expect(record.outcome).toBe('ok');
    expect(record.console.length + record.consoleOmitted).toBe(1_000_000);
    expect(record.console.length).toBeLessThan(13_000);
    expect(record.console[0]!.text).toBe('line 0');
    expect(record.console.at(-1)!.text).toMatch(/^line 9999\d\d$/);
  });

  test('a pad that replaces built-ins is still reported', async () => {
    const text = `Array.prototype.push = () => { throw new Error('push'); };
Map.prototype.get = Map.prototype.set = () => { throw new Error('map'); };
Object.keys = Object.defineProperty = Reflect.ownKeys = () => { throw new Error('keys'); };
globalThis.Promise = class {} as never;
JSON.stringify = () => 'no';
performance.now = () => { throw new Error('now'); };
const value = { level: 4.2, list: [1, 2] };
console.log('still', value);
`;
    const record = await runPad({ file: join(folder(), 'mean.ts'), text });
    expect(record.errors).toEqual([]);
    expect(beside(record, 7)).toEqual(['{ level: 4.2, list: [1, 2] }']);
    expect(record.console[0]!.text).toBe('still { level: 4.2, list: [1, 2] }');
  });

  test('a pending timer is ended at the time limit, and said so', async () => {
    const record = await runPad({
      file: join(folder(), 'timer.ts'),
      text: 'setInterval(() => {}, 20);\n',
      timeLimitMs: 300,
    });
    expect(record.outcome).toBe('stopped');
    expect(record.stop).toMatchObject({ reason: 'time-limit' });
  });
});

describe('a process of its own', () => {
  test('is taken by itself for what a worker has not', async () => {
    const record = await runPad({ file: join(folder(), 'dir.ts'), text: "process.chdir('/');\nprocess.cwd();\n" });
    expect([record.outcome, record.target, beside(record, 2)]).toEqual(['ok', 'process', ["'/'"]]);
  });

  test('is taken when a worker turns out not to be enough', async () => {
    const record = await runPad({
      file: join(folder(), 'dir.ts'),
      text: "const name = 'chdir';\nprocess[name]('/');\nprocess.cwd();\n",
    });
    expect([record.outcome, record.target, beside(record, 3)]).toEqual(['ok', 'process', ["'/'"]]);
  });

  test('takes signals, stops endless loops, and dies alone', async () => {
    const made = createSession({ file: join(folder(), 'signal.ts'), text: '', target: 'process', hangMs: 700 });
    open.push(made);
    const { file } = made.options;
    const signals = await after(
      made,
      file,
      "process.on('SIGUSR2', () => { console.log('signal'); clearInterval(t); });\n" +
        "const t = setInterval(() => {}, 1000);\nprocess.kill(process.pid, 'SIGUSR2');\n",
    );
    expect(signals.console.map((entry) => entry.text)).toEqual(['signal']);
    const endless = await after(made, file, 'let n = 0;\nfor (;;) n++;\n');
    expect(endless.stop!.message).toMatch(/did not come to an end in the loop at line 2/);
    const killed = await after(made, file, "process.kill(process.pid, 'SIGKILL');\n");
    expect(killed.stop).toMatchObject({ reason: 'killed', code: 'SIGKILL' });
    expect((await after(made, file, 'const fine = 1;\n')).outcome).toBe('ok');
  });
});

describe('bad input', () => {
  const run = (name: string, content: string | Buffer) => runPad({ file: join(folder({ [name]: content }), name) });

  test('an empty file and only comments run to nothing', async () => {
    for (const text of ['', '// nothing yet\n/* at all */\n', '\n\n']) {
      const record = await run('empty.ts', text);
      expect([record.outcome, lineStates(record)]).toEqual(['ok', []]);
    }
  });

  test.each(['pad.js', 'pad.cjs', 'pad.ts', 'pad.mjs', 'pad.cts'])(
    'a text that no file holds yet, as %s',
    async (name) => {
      const record = await runPad({ file: join(folder(), name), text: 'const level = 4\nconsole.log(level * 2)\n' });
      expect([record.errors, record.console.map((entry) => entry.text)]).toEqual([[], ['8']]);
    },
  );

  test('code that is nested too deep says so, as a record; the next text runs', async () => {
    const text = `const lock = ${'['.repeat(6_000)}${']'.repeat(6_000)}`;
    const record = await run('deep.ts', text);
    expect([record.outcome, record.errors.map((error) => error.message)]).toEqual([
      'syntax',
      [expect.stringMatching(/nested too deep/)],
    ]);
  });

  test.each([
    ['a binary file', 'pad.ts', Buffer.from([0x7f, 0x45, 0x4c, 0x46, 0, 0, 1]), 'E_BINARY'],
    ['text that is not UTF-8', 'pad.ts', Buffer.from([0x61, 0xff, 0xfe, 0x62]), 'E_BINARY'],
    ['a text of five megabytes', 'pad.ts', `const a = '${'x'.repeat(5 * 1024 * 1024)}';`, 'E_TOO_LARGE'],
  ])('%s is refused with its code', async (_what, name, content, code) => {
    await expect(run(name, content)).rejects.toMatchObject({ code });
  });

  test('a file of two megabytes runs', async () => {
    const record = await run(
      'big.ts',
      `const data = [\n${Array.from({ length: 60_000 }, (_, i) => `  { lock: 'Alder', level: ${i} },`).join('\n')}\n];\ndata.length;\n`,
    );
    expect([record.outcome, beside(record, 60_003)]).toEqual(['ok', ['60000']]);
  });

  test('a missing file, a folder, and one that cannot be read', async () => {
    const dir = folder({ 'locked.ts': '1' });
    mkdirSync(join(dir, 'folder.ts'));
    await expect(runPad({ file: join(dir, 'none.ts') })).rejects.toMatchObject({ code: 'E_NOT_FOUND' });
    await expect(runPad({ file: join(dir, 'folder.ts') })).rejects.toMatchObject({ code: 'E_IS_FOLDER' });
    chmodSync(join(dir, 'locked.ts'), 0);
    if (process.getuid!() !== 0)
      await expect(runPad({ file: join(dir, 'locked.ts') })).rejects.toMatchObject({ code: 'E_UNREADABLE' });
  });

  test('a byte-order mark, CRLF, emoji, and a path with spaces and signs', async () => {
    const record = await run(
      'näme of a päd #1 ?.ts',
      "\uFEFFconst boat = '🛶 Heron';\r\nconst größe = [...boat].length;\r\nif (größe > 3) {\r\n" +
        "  größe;\r\n}\r\nthrow new Error('🛶');\r\n",
    );
    expect(beside(record, 1)).toEqual(["'🛶 Heron'"]);
    expect(beside(record, 2)).toEqual(['7']);
    expect(lineStates(record).map((line) => line.line)).toEqual([0, 1, 2, 3, 4, 5]);
    expect(record.errors[0]).toMatchObject({ message: '🛶', range: { start: { line: 5, character: 6 } } });
  });

  test('writing past the console still belongs to the record', async () => {
    const record = await run(
      'write.ts',
      "process.stdout.write('one\\n');\nprocess.stderr.write('two\\n');\n" +
        "import { writeSync } from 'node:fs';\nwriteSync(1, 'three\\n');\n",
    );
    const lines = record.console.map((entry) => [entry.level, entry.text]);
    expect(lines).toContainEqual(['stdout', 'one']);
    expect(lines).toContainEqual(['stderr', 'two']);
    expect(lines).toContainEqual(['stdout', 'three']);
  });

  test('getters that throw and proxies that throw in every trap', async () => {
    const text = `const trap = () => { throw new Error('trap'); };
const all = Object.fromEntries(Reflect.ownKeys(Reflect).map((name) => [name, trap]));
const proxy = new Proxy(function () {}, all);
const mean = { get level() { throw new Error('level'); }, inner: proxy };
console.log(mean, proxy);
throw proxy;
`;
    const record = await run('mean.ts', text);
    expect(beside(record, 4)).toEqual(['{ level: (getter), inner: Proxy of a function }']);
    expect(record.console[0]!.text).toBe('{ level: (getter), inner: Proxy of a function } Proxy of a function');
    expect(record.errors).toHaveLength(1);
  });

  test('options out of range are refused', async () => {
    for (const options of [
      { file: '' },
      { file: 'a.ts', timeLimitMs: -1 },
      { file: 'a.ts', memoryMb: 4 },
      { file: 'a.ts', target: 'moon' as never },
    ]) {
      expect(() => createSession(options)).toThrow(expect.objectContaining({ code: 'E_OPTION' }));
    }
    const { session: made, file } = session({ 'a.ts': '1' });
    await made.close();
    expect(() => made.edit(file, '2')).toThrow(expect.objectContaining({ code: 'E_CLOSED' }));
  });
});

describe('modules', () => {
  test('live bindings, cycles, top-level await, import(), import.meta, JSON, CommonJS and packages', async () => {
    const dir = folder({
      'package.json': '{ "type": "module" }',
      'main.ts': `import fs, { existsSync } from 'node:fs';
import { count, up, default as start } from './counter.ts';
import * as all from './counter.js';
import { even } from './even';
import data from './locks.json' with { type: 'json' };
import old, { rise } from './old.cjs';
import pack, { named } from 'pack';
import esm from 'esm-pack';
export * from './counter.ts';
up();
[count, start.name, Object.keys(all), even(10)];
[data.length, old.rise, rise, pack.kind, named, esm];
const late = await import('./late.ts');
late.value;
[import.meta.url.startsWith('file:'), existsSync(import.meta.filename), fs.existsSync(import.meta.dirname)];
const name = './late.ts';
(await import(name)).value === late.value;
try { count = 3; } catch (error) { (error as Error).message; }
`,
      'counter.ts': 'export let count = 0;\nexport function up(): void { count++; }\nexport default function () {}\n',
      'even.ts':
        "import { odd } from './odd';\nexport function even(n: number): boolean { return n === 0 || odd(n - 1); }\n",
      'odd.ts': "import { even } from './even';\nexport const odd = (n: number): boolean => n !== 0 && even(n - 1);\n",
      'locks.json': '[1, 2, 3]',
      'old.cjs': 'exports.rise = 4.2; exports.self = this === exports; exports.inner = require("./older.cjs").x;',
      'older.cjs': 'module.exports = { x: __filename.length > 0 };',
      'late.ts': 'export const value = await Promise.resolve(9);\n',
      'node_modules/pack/package.json': '{ "name": "pack", "main": "main.js" }',
      'node_modules/pack/main.js': 'exports.kind = "cjs"; exports.named = 5;',
      'node_modules/esm-pack/package.json':
        '{ "name": "esm-pack", "type": "module", "exports": { "import": "./m.js" } }',
      'node_modules/esm-pack/m.js': 'export default "esm";',
    });
    const record = await runPad({ file: join(dir, 'main.ts') });
    expect(record.errors.map((error) => error.message)).toEqual([]);
    expect(beside(record, 11)).toEqual(["[1, 'default', ['count', 'default', 'up'], true]"]);
    expect(beside(record, 12)).toEqual(["[3, 4.2, 4.2, 'cjs', 5, 'esm']"]);
    expect(beside(record, 14)).toEqual(['9']);
    expect(beside(record, 15)).toEqual(['[true, true, true]']);
    expect(beside(record, 17)).toContain('true');
    expect(beside(record, 18)).toContain("'Assignment to constant variable.'");
  });

  test('imports that lead nowhere are errors at their place, with a way out', async () => {
    const dir = folder({
      'main.ts':
        "import { rates } from './rate';\nimport x from 'not-there';\nimport { tol } from './tolls';\nrates, x, tol;\n",
      'tolls.ts': 'export const toll = 1;\n',
      'rates.ts': '',
    });
    const record = await runPad({ file: join(dir, 'main.ts') });
    expect(record.outcome).toBe('failed');
    expect(record.errors.map((error) => [error.range.start.line, error.message])).toEqual([
      [0, "'./rate' does not exist. Did you mean './rates.ts'?"],
      [1, "the package 'not-there' is not installed. Add it: usher-anvil add not-there --for main.ts"],
      [2, "'./tolls' has no export named 'tol'. Did you mean 'toll'?"],
    ]);
  });

  test('an error in a module has its place and its path in the original texts', async () => {
    const dir = folder({
      'main.ts': "import { climb } from './climb';\ninterface A { b: string }\nclimb(3);\n",
      'climb.ts':
        'type N = number;\nexport function climb(n: N): N {\n' +
        '  const steps = (n as N) * 2; throw new RangeError(`over ${steps}`);\n}\n',
    });
    const record = await runPad({ file: join(dir, 'main.ts') });
    const [error] = record.errors;
    expect(error).toMatchObject({
      name: 'RangeError',
      message: 'over 6',
      file: join(dir, 'climb.ts'),
      range: { start: { line: 2, character: 36 } },
    });
    expect(error!.frames.filter((frame) => frame.local).map((frame) => [frame.name, frame.range.start])).toEqual([
      ['climb', { line: 2, character: 36 }],
      ['', expect.objectContaining({ line: 2 })],
    ]);
    const text =
      'const error = new Error("x");\nconst place = /main\\.ts:(\\d+):(\\d+)/.exec(error.stack!)!.slice(1);\n' +
      'const own = climb.toString();\nimport { climb } from "./climb";\n';
    writeFileSync(join(dir, 'main.ts'), text);
    const stacks = await runPad({ file: join(dir, 'main.ts') });
    expect(beside(stacks, 2)).toEqual(["['1', '15']"]);
    expect(beside(stacks, 3)[0]).toContain('function climb(n: N): N {');
  });

  test('places stay what they are when a package has set a formatter of stacks and put back what was there', async () => {
    const lines = [
      'const before = (Error as any).prepareStackTrace',
      '(Error as any).prepareStackTrace = (_error: unknown, sites: unknown) => sites',
      'const holder: { stack?: unknown[] } = {}',
      'Error.captureStackTrace(holder)',
      'const sites = holder.stack!.length > 0;',
      '(Error as any).prepareStackTrace = before',
      "const place = [4].map((rise) => rise > 2 && /put\\.ts:(\\d+:\\d+)/.exec(new Error('x').stack!)![1])[0]",
    ];
    lines[0] += ';';
    const record = await runPad({ file: join(folder(), 'put.ts'), text: lines.join('\n') });
    expect(record.errors).toEqual([]);
    expect(beside(record, 7)).toContain(`'7:${lines[6]!.indexOf('new Error') + 1}'`);
  });

  test('rejections nobody handles are all reported, with their place', async () => {
    const record = await runPad({
      file: join(folder(), 'r.ts'),
      text:
        "Promise.reject(new Error('one'));\nasync function f() { throw new TypeError('two'); }\n" +
        'void f();\nPromise.reject(undefined);\n',
    });
    expect(record.errors.map((error) => [error.kind, error.name, error.range.start.line])).toEqual(
      expect.arrayContaining([
        ['rejection', 'Error', 0],
        ['rejection', 'TypeError', 1],
        ['rejection', 'undefined', 0],
      ]),
    );
  });
});

describe('console', () => {
  test('levels, formats, groups, counts, timers, tables, traces and assertions, each with its place', async () => {
    const text = `console.log('%s has %d of %i and %f %o %%', 'Heron', 4.5, '7.9', '2.5', { a: 1 }, 'more');
console.info('i'); console.warn('w'); console.error('e'); console.debug('d');
console.group('locks');
console.log('inside');
console.groupEnd();
console.count(); console.count(); console.countReset(); console.count();
console.time('t'); console.timeEnd('t');
console.assert(true, 'no'); console.assert(1 > 2, 'levels differ', 3);
console.table([{ lock: 'Alder', rise: 4.2 }, { lock: 'Birch', rise: 6.1 }]);
function where() { console.trace('here'); }
where();
console.dir({ deep: { x: [1, { y: 2 }] } });
const log = console.log; log('bare');
[1].forEach(console.log);
console.log();
`;
    const record = await runPad({ file: join(folder(), 'c.ts'), text });
    const lines = record.console.map((entry) => [entry.range!.start.line + 1, entry.level, entry.text, entry.indent]);
    expect(lines.slice(0, 12)).toEqual([
      [1, 'log', 'Heron has 4.5 of 7 and 2.5 { a: 1 } % more', 0],
      [2, 'info', 'i', 0],
      [2, 'warn', 'w', 0],
      [2, 'error', 'e', 0],
      [2, 'debug', 'd', 0],
      [3, 'log', 'locks', 0],
      [4, 'log', 'inside', 1],
      [6, 'info', 'default: 1', 0],
      [6, 'info', 'default: 2', 0],
      [6, 'info', 'default: 1', 0],
      [7, 'info', expect.stringMatching(/^t: \d+\.\d+ ms$/), 0],
      [8, 'error', 'assertion failed: levels differ 3', 0],
    ]);
    expect(record.console[12]!.table).toEqual({
      columns: ['lock', 'rise'],
      rows: [
        ['0', 'Alder', '4.2'],
        ['1', 'Birch', '6.1'],
      ],
    });
    expect(
      record.console[13]!.frames!.filter((frame) => frame.local).map((frame) => frame.range.start.line + 1),
    ).toEqual([10, 11]);
    expect(lines.slice(14)).toEqual([
      [12, 'log', '{ deep: { x: [1, { y: 2 }] } }', 0],
      [13, 'log', 'bare', 0],
      [14, 'log', '1 0 [1]', 0],
      [15, 'log', '', 0],
    ]);
  });
});

describe('tests', () => {
  test('test, describe and it, sync and async, skipped and failing, at their lines', async () => {
    const text = `import { test, describe, it, before } from 'node:test';
import assert from 'node:assert/strict';
test('passes', () => assert.equal(1, 1));
test('fails', () => {
  assert.deepEqual({ a: [1, 2] }, { a: [1, 3] });
});
describe('locks', () => {
  let ready = false;
  before(() => { ready = true; });
  it('waits', async () => { await null; assert.ok(ready); });
  it('rejects', async () => { await Promise.reject(new Error('late')); });
  it.skip('later', () => assert.fail());
});
test('takes a callback', (_t, done) => setTimeout(done, 5));
test('has subtests', async (t) => { await t.test('inner', () => assert.equal(2, 2)); });
`;
    const record = await runPad({ file: join(folder(), 't.ts'), text });
    const rows = record.tests
      .filter((one) => !one.suite)
      .map((one) => [one.line + 1, one.path.join('>'), one.name, one.state, one.error?.message.split('\n')[0]]);
    expect(rows).toEqual([
      [3, '', 'passes', 'passed', undefined],
      [4, '', 'fails', 'failed', 'Expected values to be strictly deep-equal:'],
      [10, 'locks', 'waits', 'passed', undefined],
      [11, 'locks', 'rejects', 'failed', 'late'],
      [12, 'locks', 'later', 'skipped', undefined],
      [14, '', 'takes a callback', 'passed', undefined],
      [15, '', 'has subtests', 'passed', undefined],
      [15, 'has subtests', 'inner', 'passed', undefined],
    ]);
    const failing = record.tests.find((one) => one.name === 'fails')!;
    expect([valueText(failing.error!.received!), valueText(failing.error!.expected!)]).toEqual([
      '{ a: [1, 2] }',
      '{ a: [1, 3] }',
    ]);
    expect(failing.error!.range.start.line).toBe(4);
    expect(record.outcome).toBe('failed');
  });
});
