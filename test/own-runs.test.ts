import { readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, type PadRecord } from 'usher-anvil';
import { CASES, projectOf, type Case } from './framework-files.js';
import { cli, eventually } from './harness.js';

const of = (framework: Case['framework'], files: Record<string, string>, file = 'toll.test.js'): string =>
  projectOf({ framework, what: '', file, files });

const json = (dir: string, file: string, ...more: string[]): PadRecord =>
  JSON.parse(cli(['run', file, '--format', 'json', ...more], { cwd: dir }).stdout) as PadRecord;

describe('the project’s own framework', () => {
  test.each(['jest', 'vitest', 'mocha'] as const)(
    '%s confirms what a pad has found, and writes nothing',
    (framework) => {
      const one = CASES.find((each) => each.framework === framework)!;
      const dir = projectOf(one);
      const before = readdirSync(dir).sort();
      const { ownRun, tests } = json(dir, one.file, '--confirm');
      expect(ownRun).toMatchObject({ framework, state: 'done', differing: 0 });
      expect(tests.length).toBeGreaterThan(5);
      expect(readdirSync(dir).sort()).toEqual(before);
      expect(cli(['run', one.file, '--confirm'], { cwd: dir }).stdout).toContain(`${framework} agrees`);
    },
  );

  test('has the last word where the two differ', () => {
    const dir = of('jest', {
      'toll.test.js':
        "test('knows its runner', () => {\n  expect(process.argv.join(' ')).toContain('--runTestsByPath')\n})\n" +
        "if (!process.argv.join(' ').includes('--runTestsByPath')) test('pad', () => {})\n",
    });
    const record = json(dir, 'toll.test.js', '--confirm');
    expect(record.ownRun).toMatchObject({ state: 'done', differing: 2 });
    expect(record.tests).toMatchObject([
      { name: 'knows its runner', state: 'passed', inPad: 'failed', reason: 'it failed in the pad' },
      { name: 'pad', onlyInPad: true, reason: 'jest has no such test' },
    ]);
    expect(cli(['run', 'toll.test.js', '--confirm'], { cwd: dir }).stdout).toContain('jest has 2 otherwise');
  });

  test.each([
    [
      'all modules are replaced',
      "jest.enableAutomock(); jest.mock('./toll', () => ({ toll: () => 99 }))\n",
      /^line 1 replaces all modules \(jest\.enableAutomock\)$/,
    ],
    ['another environment is asked for', '/** @jest-environment ./water.js */\n', /^its environment is \.\/water\.js$/],
  ])('runs the tests alone where %s', (_what, head, why) => {
    const dir = of('jest', {
      'toll.js': 'module.exports = { toll: () => 4 }\n',
      'water.js':
        "const { TestEnvironment } = require('jest-environment-node')\nmodule.exports = class extends TestEnvironment {}\n",
      'toll.test.js':
        `${head}const { toll } = require('./toll')\n` +
        `test('gives', () => { expect(toll()).toBe(${head.startsWith('jest') ? 99 : 4}) })\ntest('fails', () => { expect(toll()).toBe(1) })\n`,
    });
    const record = json(dir, 'toll.test.js');
    expect(record.ownRun).toMatchObject({ framework: 'jest', state: 'done', differing: 0 });
    expect(record.ownRun!.instead).toMatch(why);
    expect(record.tests).toMatchObject([
      { name: 'gives', state: 'passed', line: 2 },
      { name: 'fails', state: 'failed', line: 3 },
    ]);
    expect(record.outcome).toBe('failed');
  });

  test('settings that ask for more than a pad has are seen', () => {
    const dir = of('jest', {
      'jest.config.js': "module.exports = {\n  // testEnvironment: 'jsdom'\n  globalSetup: './before.js',\n}\n",
      'before.js': 'module.exports = () => { process.env.WATER = 3 }\n',
      'toll.test.js': "test('has water', () => { expect(process.env.WATER).toBe('3') })\n",
    });
    const record = json(dir, 'toll.test.js');
    expect(record.ownRun).toMatchObject({ state: 'done', instead: 'its settings have globalSetup' });
    expect(record.tests).toMatchObject([{ name: 'has water', state: 'passed' }]);
  });

  test('a framework that cannot load the file says why', () => {
    const dir = of('jest', { 'toll.test.js': "jest.enableAutomock()\nnull.gate\ntest('a', () => {})\n" });
    const { stdout, code } = cli(['run', 'toll.test.js'], { cwd: dir });
    expect(stdout).toMatch(/jest itself: .*TypeError: Cannot read properties of null/);
    expect(code).toBe(1);
  });

  test('unsaved text is not run by it, and that is said', async () => {
    const dir = of('jest', { 'toll.test.js': "jest.enableAutomock()\ntest('a', () => {})\n" });
    const file = join(dir, 'toll.test.js');
    const session = createSession({ file, text: `${readFileSync(file, 'utf8')}\n// unsaved` });
    try {
      session.execute();
      expect((await session.settled()).ownRun).toMatchObject({
        state: 'failed',
        problem: 'the text has to be saved first',
      });
    } finally {
      await session.close();
    }
  });

  test('comes a moment later where a person types', async () => {
    const dir = of('mocha', { 'toll.test.js': "it('a', () => {})\n" });
    const file = join(dir, 'toll.test.js');
    const session = createSession({ file, ownRuns: 'at-rest' });
    const records: PadRecord[] = [];
    session.onRecord((record) => records.push(record));
    try {
      session.execute();
      const first = await session.settled();
      expect(first.ownRun).toBeUndefined();
      await eventually(() => records.at(-1)?.ownRun?.state === 'done');
      expect(records.at(-1)!.ownRun).toMatchObject({ framework: 'mocha', differing: 0 });
      // What is typed next takes it back.
      writeFileSync(file, "it('b', () => {})\n");
      session.edit(file, "it('b', () => {})\n");
      expect((await session.settled()).ownRun).toBeUndefined();
      await eventually(() => records.at(-1)?.ownRun?.state === 'done');
      expect(records.at(-1)!.tests).toMatchObject([{ name: 'b', state: 'passed' }]);
    } finally {
      await session.close();
    }
  });

  test('runs a file that a pad cannot run once its text is saved', async () => {
    const dir = of('jest', { 'toll.test.js': "jest.enableAutomock()\ntest('a', () => {})\n" });
    const file = join(dir, 'toll.test.js');
    const session = createSession({ file, ownRuns: 'at-rest' });
    const records: PadRecord[] = [];
    session.onRecord((record) => records.push(record));
    try {
      const text = "jest.enableAutomock()\ntest('b', () => {})\n";
      session.edit(file, text);
      expect((await session.settled()).ownRun).toMatchObject({ state: 'failed' });
      writeFileSync(file, text);
      session.afterSave();
      await eventually(() => records.at(-1)?.ownRun?.state === 'done');
      expect(records.at(-1)!.tests).toMatchObject([{ name: 'b', state: 'passed' }]);
    } finally {
      await session.close();
    }
  });
});
