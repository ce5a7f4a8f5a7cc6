/** Breakpoints that never hold change nothing of a pad: what it gives, prints, tests and fails with is the same. */
import { cpSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { format } from 'prettier';
import { createSession, type PadRecord } from 'usher-anvil';
import { lineStates, samplesAt, valueText } from 'usher-anvil/record';
import { folder, inTurn, root } from './harness.js';
import { PADS } from './reading-pads.js';

const EXAMPLES = ['ledger/ledger.ts', 'tolls/tolls.ts', 'tolls/fleet.ts', 'passages/passages.ts', 'pilot/barge.ts'];

/** What came of a run, each thing with its line. */
function outcome(record: PadRecord): object {
  const { file, program, console: lines, errors, tests, outcome: how } = record;
  const { lineCount } = program.files.find((one) => one.file === file)!.lines;
  const plain = (text: string): string => text.replace(/\d+(\.\d+)? ?ms|dbfile_\d+/g, '…');
  const shown = Array.from({ length: lineCount }, (_, line) =>
    samplesAt(record, { file, line }).map(({ value }) => plain(valueText(value, 200))),
  );
  return {
    how,
    shown,
    ran: lineStates(record, file),
    console: lines.map(({ level, text }) => `${level} ${plain(text)}`),
    errors: errors.map(({ name, message }) => `${name}: ${plain(message)}`),
    tests: tests.map(({ state, path, name }) => [state, ...path, name].join(' > ')),
  };
}

/** Runs a pad without and with a breakpoint at each of its lines, in its functions' entries and before their values. */
async function bothWays(file: string): Promise<[plain: object, stopped: object, set: number]> {
  const pad = createSession({ file, timeLimitMs: 20_000 });
  try {
    pad.execute();
    const plain = outcome(await pad.settled());
    const count = readFileSync(file, 'utf8').split('\n').length;
    let set = 0;
    for (let line = 0; line < count; line++)
      for (const where of ['statement', 'entry', 'return'] as const) {
        const { state } = await pad.pausing.set({ file, line, where, condition: '1 > 2' });
        if (state === 'set') set++;
      }
    pad.execute();
    return [plain, outcome(await pad.settled()), set];
  } finally {
    await pad.close();
  }
}

describe.each(Object.entries(PADS))('%s', (name, text) => {
  test('gives the same with breakpoints', async () => {
    const file = join(folder({ [name]: text }), name);
    const [plain, stopped, set] = await bothWays(file);
    expect(set).toBeGreaterThan(2);
    expect(stopped).toEqual(plain);
  });
});

test.each(inTurn(EXAMPLES, 2))(
  'the example %s gives the same with breakpoints, with semicolons and without',
  async (pad) => {
    const dir = folder();
    cpSync(join(root, 'examples'), dir, { recursive: true });
    symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'), 'dir');
    const file = join(dir, pad);
    const text = readFileSync(file, 'utf8');
    for (const own of [text, await format(text, { parser: 'typescript', semi: false })]) {
      writeFileSync(file, own);
      const [plain, stopped, set] = await bothWays(file);
      expect(set).toBeGreaterThan(10);
      expect(stopped).toEqual(plain);
    }
  },
);
