import { createSession, type PadRecord } from 'usher-anvil';
import { Coverage } from '#dist/record/coverage.js';
import { join } from 'node:path';
import { mkdtempSync, realpathSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';

const dir = realpathSync(mkdtempSync(join(tmpdir(), 'anvil-test-')));
const GATE = 'export function open (side) {\n  if (side === 1) return true\n  return false\n}\n';

async function recordOf(name: string, side: number, gate = GATE): Promise<PadRecord> {
  writeFileSync(join(dir, 'gate.mjs'), gate);
  const session = createSession({ file: join(dir, name), text: `import { open } from './gate.mjs'\nopen(${side})\n` });
  try {
    session.execute();
    return await session.settled();
  } finally {
    await session.close();
  }
}

const never = (coverage: Coverage): number[] =>
  coverage
    .files((file) => !file.endsWith('gate.mjs'))[0]!
    .lines.filter(({ state }) => state === 'never')
    .map(({ line }) => line);

test('counts of several records are one', async () => {
  const coverage = new Coverage();
  coverage.add(await recordOf('a.mjs', 2));
  expect(coverage.files(() => false).map(({ file }) => file)).toEqual([join(dir, 'a.mjs'), join(dir, 'gate.mjs')]);
  coverage.add(await recordOf('b.mjs', 1));
  expect(never(coverage)).toEqual([]);
  const lines = coverage.files((file) => !file.endsWith('gate.mjs'))[0]!.lines;
  expect(lines.map(({ hits }) => hits)).toEqual([2, 2, 1, 2]);
});

test('a text that was saved meanwhile counts from then on', async () => {
  const coverage = new Coverage();
  coverage.add(await recordOf('a.mjs', 1));
  coverage.add(await recordOf('b.mjs', 2, GATE.replace('side === 1', 'side === 2')));
  expect(never(coverage)).toEqual([2]);
});

test('a file that nothing loads has run nowhere, and one that something loads stays what it is', async () => {
  const coverage = new Coverage();
  const record = await recordOf('a.mjs', 1);
  const gate = record.program.files.find(({ file }) => file.endsWith('gate.mjs'))!;
  coverage.addUnreached(gate);
  expect(never(coverage)).toEqual([0, 1, 2, 3]);
  coverage.add(record);
  coverage.addUnreached(gate);
  expect(coverage.testsAt(gate.file, 0)).toEqual([]);
  expect(never(coverage)).toEqual([2]);
});
