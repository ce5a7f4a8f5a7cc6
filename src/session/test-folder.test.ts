import type { PadRecord } from '#dist/record/record.js';
import { TestFolder, type Round } from '#dist/session/test-folder.js';

interface Started {
  file: string;
  cancelled: boolean;
  end(outcome: 'ok' | 'failed', code?: string): void;
}

/** A folder whose runs end when the test says so. */
function folder(programs: Record<string, string[]>, slots = 1) {
  const started: Started[] = [];
  const rounds: Round[] = [];
  const tests = new TestFolder({
    slots,
    start(file) {
      let resolve: (record: PadRecord) => void;
      const record = new Promise<PadRecord>((given) => (resolve = given));
      const run: Started = {
        file,
        cancelled: false,
        end: (outcome, code) => resolve({ outcome, errors: code ? [{ code }] : [], tests: [] } as unknown as PadRecord),
      };
      started.push(run);
      const cancel = (): void => {
        run.cancelled = true;
        run.end('failed');
      };
      return { record, files: () => [file, ...(programs[file] ?? [])], cancel };
    },
    changed: () => undefined,
    ended: (round) => rounds.push(round),
  });
  const turn = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 0));
  /** Lets all that is asked for run; files that fail are named. */
  const run = async (failing: readonly string[] = []): Promise<string[]> => {
    const ran: string[] = [];
    for (let at = started.findIndex((one) => !ran.includes(one.file)); at < started.length && at >= 0; at++) {
      const one = started[at]!;
      ran.push(one.file);
      one.end(failing.includes(one.file) ? 'failed' : 'ok');
      await turn();
    }
    started.length = 0;
    return ran;
  };
  return { tests, started, rounds, run, turn };
}

const PROGRAMS = { 'a.test': ['toll', 'gate', 'boat'], 'b.test': ['gate'], 'c.test': ['toll'] };
const ALL = Object.keys(PROGRAMS);

describe('the tests of a folder', () => {
  test('all run at first, and then those that a save can have touched', async () => {
    const { tests, rounds, run } = folder(PROGRAMS);
    tests.found(ALL);
    expect(await run()).toEqual(ALL);
    tests.found(ALL, ['gate']);
    // The smaller program is more of what was saved.
    expect(await run()).toEqual(['b.test', 'a.test']);
    tests.found(ALL, ['readme']);
    expect(await run()).toEqual([]);
    expect(rounds).toEqual([
      { saved: [], asked: ALL },
      { saved: ['gate'], asked: ['a.test', 'b.test'] },
    ]);
  });

  test('those that fail run first and stand first', async () => {
    const { tests, run } = folder(PROGRAMS);
    tests.found(ALL);
    await run(['a.test']);
    expect(tests.files.map(({ file }) => file)).toEqual(['a.test', 'b.test', 'c.test']);
    tests.found(ALL, ['gate']);
    expect(await run(['b.test'])).toEqual(['a.test', 'b.test']);
    expect(tests.files.map(({ file }) => file)).toEqual(['b.test', 'a.test', 'c.test']);
  });

  test('new ones run, and those that are gone are forgotten', async () => {
    const { tests, run } = folder(PROGRAMS);
    tests.found(['a.test', 'b.test']);
    await run();
    tests.found(['b.test', 'c.test'], ['c.test', 'a.test']);
    expect(await run()).toEqual(['c.test']);
    expect(tests.files.map(({ file }) => file)).toEqual(['b.test', 'c.test']);
  });

  test('what imports nothing that is there is tried again at every save', async () => {
    const { tests, started, turn } = folder({});
    tests.found(['a.test']);
    started[0]!.end('failed', 'E_RESOLVE');
    await turn();
    tests.found(['a.test'], ['elsewhere']);
    expect(started).toHaveLength(2);
  });

  test('a save ends a run that has begun with the text from before, and its result is none', async () => {
    const { tests, started, rounds, turn } = folder(PROGRAMS, 2);
    tests.found(['a.test', 'b.test']);
    expect(started.map(({ file }) => file)).toEqual(['a.test', 'b.test']);
    tests.found(['a.test', 'b.test'], ['a.test']);
    expect(started[0]!.cancelled).toBe(true);
    await turn();
    expect(started.map(({ file }) => file)).toEqual(['a.test', 'b.test', 'a.test']);
    expect(tests.files[0]).toMatchObject({ file: 'a.test', record: undefined, pending: true });
    started[1]!.end('ok');
    started[2]!.end('ok');
    await turn();
    expect(tests.files.map(({ record, pending }) => [record?.outcome, pending])).toEqual([
      ['ok', false],
      ['ok', false],
    ]);
    expect(rounds).toEqual([{ saved: ['a.test'], asked: ['a.test', 'b.test'] }]);
  });

  test('a file that cannot be read says why', async () => {
    const tests = new TestFolder({
      slots: 1,
      start: () => ({ record: Promise.reject(new Error('no text')), files: () => [], cancel: () => undefined }),
      changed: () => undefined,
      ended: () => undefined,
    });
    tests.found(['a.test']);
    await new Promise((resolve) => setTimeout(resolve, 0));
    expect(tests.files).toMatchObject([{ problem: 'no text', pending: false }]);
    tests.close();
  });
});
