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

  test.each<[Case['framework'], Record<string, string>, string]>([
    [
      'jest',
      {
        'jest.config.js': "module.exports = { globalSetup: './before.js' }\n",
        'before.js': 'module.exports = () => {}\n',
        'toll.js': 'exports.toll = () => 4\n',
        'toll.test.js': "const { toll } = require('./toll')\ntest('a', () => { expect(toll()).toBe(4) })\n",
      },
      'its settings have globalSetup',
    ],
    [
      'vitest',
      {
        'vitest.config.mjs': "export default { test: { environment: './water.mjs' } }\n",
        'water.mjs': "export default { name: 'water', transformMode: 'ssr', setup: () => ({ teardown () {} }) }\n",
        'toll.js': 'export const toll = () => 4\n',
        'toll.test.js':
          "import { test, expect } from 'vitest'\nimport { toll } from './toll.js'\ntest('a', () => { expect(toll()).toBe(4) })\n",
      },
      'its environment is ./water.mjs',
    ],
  ])('%s stays loaded while a person types, and runs texts that are not saved', async (framework, files, instead) => {
    const dir = of(framework, files);
    const file = join(dir, 'toll.test.js');
    const text = files['toll.test.js']!;
    const session = createSession({ file });
    const result = async (): Promise<unknown> => {
      const { tests, ownRun } = await session.settled();
      return [
        ownRun?.instead,
        ownRun?.problem,
        tests.map(({ name, state, error }) => [name, state, error?.message.split('\n')[0]]),
      ];
    };
    try {
      session.execute();
      expect(await result()).toEqual([instead, undefined, [['a', 'passed', undefined]]]);
      session.edit(file, `${text.replace("'a'", "'b'").replace('toBe(4)', 'toBe(5)')}test.todo('later')\n`);
      expect(await result()).toMatchObject([
        instead,
        undefined,
        [
          ['b', 'failed', expect.stringMatching(/toBe|expected 4 to be 5/)],
          ['later', 'todo', undefined],
        ],
      ]);
      // What it imports is not saved either; then it is as it was.
      session.edit(file, text);
      session.edit(join(dir, 'toll.js'), files['toll.js']!.replace('4', '7'));
      expect(await result()).toMatchObject([
        instead,
        undefined,
        [['a', 'failed', expect.stringMatching(/toBe|expected 7 to be 4/)]],
      ]);
      session.reload(join(dir, 'toll.js'));
      expect(await result()).toEqual([instead, undefined, [['a', 'passed', undefined]]]);
      expect(readFileSync(file, 'utf8')).toBe(text);
    } finally {
      await session.close();
    }
  });

  test('of a framework that is started anew each time, texts have to be saved first', async () => {
    const dir = of('mocha', { 'toll.test.js': "it('a', () => {})\n" });
    const file = join(dir, 'toll.test.js');
    const session = createSession({ file, ownRuns: 'at-end', text: "it('b', () => {})\n" });
    try {
      session.execute();
      const record = await session.settled();
      expect(record.ownRun).toBeUndefined();
      expect(record.tests).toMatchObject([{ name: 'b', state: 'passed' }]);
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
});
