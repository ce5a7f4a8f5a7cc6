import { existsSync, readFileSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, type PadRecord } from 'usher-anvil';
import { cli, eventually, folder, recorder, root } from './harness.js';

function project(files: Record<string, string>, script = 'jest'): string {
  const dir = folder({
    'package.json': JSON.stringify({ type: 'commonjs', scripts: { test: script } }),
    'toll.js': 'module.exports = 4\n',
    ...files,
  });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  return dir;
}

async function recordOf(text: string): Promise<PadRecord> {
  const dir = project({ 'toll.test.js': text });
  const { run, close } = recorder(join(dir, 'toll.test.js'));
  try {
    return await run(text);
  } finally {
    await close();
  }
}

describe('tests that do what they should not', () => {
  test('one that ends the program is told, and those before it stand', async () => {
    const record = await recordOf("test('a', () => {})\ntest('b', () => { process.exit(3) })\ntest('c', () => {})\n");
    expect(record).toMatchObject({ outcome: 'stopped', stop: { reason: 'exit', code: 3 } });
    expect(record.tests.map(({ name, state }) => [name, state])).toEqual([
      ['a', 'passed'],
      ['b', 'failed'],
    ]);
  });

  test('timers that are left running end with a run that nobody looks at', () => {
    const dir = project({ 'toll.test.js': "test('leaks', () => { setInterval(() => {}, 10) })\n" });
    const { stdout, code } = cli(['run', 'toll.test.js', '--time-limit', '30s'], { cwd: dir });
    expect(stdout).toMatch(/1 test passed/);
    expect(stdout).toMatch(/Pending\ntimer every 10 ms/);
    expect(code).toBe(0);
  });

  test('modules of the platform that are replaced stay what they are for the tool', async () => {
    const record = await recordOf(`const none = () => ({})
jest.mock('node:worker_threads', () => ({}))
jest.mock('module', () => ({}))
jest.mock('fs', () => ({ readFileSync () { throw new Error('no files') } }))
jest.mock('process', () => ({}))
test('fs', () => { expect(() => require('node:fs').readFileSync('a')).toThrow('no files') })
test('a module that is asked for later', () => { expect(require('./toll')).toBe(4) })
`);
    expect(record.tests.map(({ state }) => state)).toEqual(['passed', 'passed']);
    expect(record.outcome).toBe('ok');
  });

  test('what stands in the place of a module and throws is an error at its line, with no name of ours', async () => {
    const record = await recordOf(
      "const a = 1\njest.mock('./toll', () => { throw new Error('no water') })\nrequire('./toll')\ntest('b', () => {})\n",
    );
    expect(record.errors).toMatchObject([{ message: 'no water', range: { start: { line: 1 } } }]);
    const wrong = await recordOf("test('a', () => {})\njest.mock(5)\n");
    expect(wrong.errors[0]).toMatchObject({
      message: expect.stringContaining('moduleName'),
      range: { start: { line: 1 } },
    });
    expect(JSON.stringify([record.errors, wrong.errors])).not.toContain('$ua');
  });

  test('globals that are changed do not reach the next run', async () => {
    const text = "test('a', () => { globalThis.water = (globalThis.water ?? 0) + 1; expect(water).toBe(1) })\n";
    const dir = project({ 'toll.test.js': text });
    const session = createSession({ file: join(dir, 'toll.test.js') });
    try {
      session.execute();
      expect((await session.settled()).tests[0]!.state).toBe('passed');
      for (let i = 0; i < 4; i++) {
        session.edit(join(dir, 'toll.test.js'), `${text}// ${i}\n`);
        await eventually(() => session.record?.ended && session.record.tests.length === 1);
        expect(session.record!.tests[0]!.state).toBe('passed');
      }
    } finally {
      await session.close();
    }
  });

  test.each(['jest', 'vitest'])(
    'a new snapshot of a text that is not saved is compared with nothing, and written nowhere: %s',
    async (framework) => {
      const head = framework === 'jest' ? '' : "import { test, expect } from 'vitest'\n";
      const text = `${head}test('a', () => { expect({ due: 4 }).toMatchSnapshot(); expect(1).toMatchInlineSnapshot() })\n`;
      const dir = project({ 'toll.test.mjs': '', 'toll.test.js': '' }, framework);
      const file = join(dir, framework === 'jest' ? 'toll.test.js' : 'toll.test.mjs');
      const session = createSession({ file, text, ownRuns: 'at-end' });
      try {
        session.execute();
        const record = await session.settled();
        // Its own run, which has the text too, may not write either.
        expect(record.ownRun).toMatchObject({ framework, state: 'done', differing: 0 });
        expect(record.tests).toMatchObject([{ name: 'a', state: 'passed' }]);
        expect(existsSync(join(dir, '__snapshots__'))).toBe(false);
        expect(readFileSync(file, 'utf8')).toBe('');
      } finally {
        await session.close();
      }
    },
  );

  test('two versions of what expects are two: each compares by itself', async () => {
    const other = `const { expect: jestExpect } = require('expect')
const chai = require('chai')
test('theirs', () => { jestExpect([1]).toEqual([1]); expect(() => jestExpect(1).toBe(2)).toThrow('Received: 1') })
test('another', () => { expect(() => chai.expect(1).to.equal(2)).toThrow('expected 1 to equal 2') })
`;
    const record = await recordOf(other);
    expect(record.tests.map(({ name, state, error }) => [name, state, error?.message])).toEqual([
      ['theirs', 'passed', undefined],
      ['another', 'passed', undefined],
    ]);
  });
});
