import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, type PadRecord } from 'usher-anvil';
import { CASES, firstLine, lineOf, projectOf, theirs, type Case, type Row } from './framework-files.js';
import { AROUND, REPLACING } from './framework-projects.js';
import { cli, folder, recorder, wait } from './harness.js';

async function recordOf(file: string): Promise<PadRecord> {
  const { run, close } = recorder(file);
  try {
    return await run(readFileSync(file, 'utf8'));
  } finally {
    await close();
  }
}

function rowsOf(record: PadRecord, { framework }: Case): Row[] {
  return record.tests
    .filter((test) => !test.suite)
    .map(({ path, name, state, error }): Row => [
      [...path, name].join(' > '),
      // Mocha and Jasmine have one word for what has no body and what is left out.
      state === 'todo' && framework !== 'jest' && framework !== 'vitest' ? 'skipped' : state,
      state === 'failed' ? firstLine(error?.message) : '',
    ]);
}

const sorted = (rows: readonly Row[]): string[] => rows.map((row) => JSON.stringify(row)).sort();

describe('tests of a framework of the project', () => {
  test.each([...CASES, ...REPLACING, ...AROUND].map((one): [string, Case] => [`${one.framework}: ${one.what}`, one]))(
    'are what the framework makes of them: %s',
    async (_name, one) => {
      const dir = projectOf(one);
      const record = await recordOf(join(dir, one.file));
      const snapshots = join(dir, '__snapshots__');
      expect(existsSync(snapshots)).toBe(false);
      const wanted = theirs(one, dir);
      // Of what lasts too long one of them prints no message.
      const silent = new Set(wanted.filter(([, , said]) => said === 'STACK_TRACE_ERROR').map(([name]) => name));
      const plain = ([name, how, said]: Row): Row => [name, how, silent.has(name) ? '' : said];
      expect(sorted(rowsOf(record, one).map(plain))).toEqual(sorted(wanted.map(plain)));
    },
    60_000,
  );

  test('stand at the lines that declare them, each row of a table too', async () => {
    const one = CASES[0]!;
    const dir = projectOf(one);
    const record = await recordOf(join(dir, one.file));
    const lines = (name: RegExp): number[] =>
      record.tests.filter((test) => name.test(test.name)).map((test) => test.line);
    const table = lineOf(dir, one.file, 'it.each');
    expect(lines(/^of \d+ is \d+$/)).toEqual([table, table, table, table + 3, table + 3]);
    expect(lines(/^toll$/)).toEqual([lineOf(dir, one.file, "describe('toll'")]);
    const wrong = record.tests.find((test) => test.name === 'that is wrong')!;
    expect(wrong.error!.differences!.list).toMatchObject([{ path: 'it.due' }]);
  });

  test.each(CASES.filter(({ files, file }) => files[file]!.includes("describe('toll'")))(
    'a suite has failed with what is in it: $framework',
    async (one) => {
      const record = await recordOf(join(projectOf(one), one.file));
      const toll = record.tests.find(({ name, suite }) => suite && name === 'toll')!;
      const inIt = record.tests.filter(({ path, suite, state }) => path[0] === 'toll' && !suite && state === 'failed');
      expect(inIt.length).toBeGreaterThan(1);
      expect(toll).toMatchObject({ state: 'failed', failure: 'subtests', reason: `${inIt.length} in it failed` });
      const whole = record.tests.filter(({ name, suite }) => suite && name === 'of a barge');
      for (const suite of whole) expect(suite.state).toBe('passed');
    },
  );

  test('what is expected shows what it compares', async () => {
    const one = CASES.find(({ framework }) => framework === 'vitest')!;
    const dir = projectOf(one);
    const { stdout } = cli(['run', one.file], { cwd: dir });
    expect(stdout).toMatch(/expect\(office\.ask\(\)\)\.toBe\(7\) │ 7/);
    expect(stdout).not.toMatch(/vi\.useFakeTimers\(\) │/);
  });

  test('a file that asks for another environment while it is typed gets that one, and no other', async () => {
    const one = AROUND.find(({ what }) => what === 'a document for one file')!;
    const dir = projectOf(one);
    const file = join(dir, one.file);
    const kinds = "test('a', () => { expect([typeof document, typeof fetch]).toEqual(WANTED) })\n";
    const text = (head: string, wanted: string[]): string => head + kinds.replace('WANTED', JSON.stringify(wanted));
    const session = createSession({ file, text: text('/** @jest-environment jsdom */\n', ['object', 'undefined']) });
    try {
      session.execute();
      const states = [(await session.settled()).tests[0]!.state];
      for (const head of ['', '/** @jest-environment jsdom */\n', '', '/** @jest-environment jsdom */\n', '']) {
        // Threads get ready meanwhile for what was there before.
        await wait(900);
        session.edit(file, text(head, head === '' ? ['undefined', 'function'] : ['object', 'undefined']));
        states.push((await session.settled()).tests[0]!.state);
      }
      expect(states).toEqual(Array.from(states, () => 'passed'));
    } finally {
      await session.close();
    }
  });

  test('one runs alone, and unsaved text counts', async () => {
    const one = CASES[0]!;
    const dir = projectOf(one);
    const file = join(dir, one.file);
    const text = readFileSync(file, 'utf8');
    const session = createSession({ file, text: text.replace('toBe(6)', 'toBe(5)') });
    try {
      session.execute();
      const first = await session.settled();
      expect(first.tests.find((test) => test.name === 'of a boat')).toMatchObject({ state: 'failed' });
      session.testAlone(['toll', 'throws']);
      const alone = await session.settled();
      expect(alone.tests.filter((test) => !test.suite && test.state !== 'skipped').map((test) => test.name)).toEqual([
        'throws',
      ]);
      expect(alone.tests.find((test) => test.name === 'of a boat')).toMatchObject({ leftOut: 'one-asked' });
    } finally {
      await session.close();
    }
  });

  test('an error outside of them is an error of the pad', async () => {
    const one: Case = {
      ...CASES[0]!,
      files: { 'toll.test.js': "test('a', () => {})\nnull.gate\n" },
    };
    const record = await recordOf(join(projectOf(one), one.file));
    expect(record.errors[0]).toMatchObject({ name: 'TypeError', range: { start: { line: 1 } } });
  });

  test('names that no installed framework gives are errors, as everywhere', () => {
    const dir = folder({ 'package.json': '{ "scripts": { "test": "jest" } }', 'a.test.js': "test('a', () => {})\n" });
    const { stdout, code } = cli(['run', 'a.test.js'], { cwd: dir });
    expect(stdout).toContain('ReferenceError: test is not defined');
    expect(code).toBe(1);
  });
});
