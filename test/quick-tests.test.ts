import { join } from 'node:path';
import { symlinkSync } from 'node:fs';
import { createSession, type PadRecord } from 'usher-anvil';
import { eventually, folder, root } from './harness.js';

/** Many tests, of which one is edited. */
function many(kind: 'node:test' | 'vitest'): { file: string; text: string } {
  const head =
    kind === 'vitest'
      ? "import { describe, test, expect } from 'vitest'\nconst equal = (a, b) => expect(a).toBe(b)\n"
      : "import test, { describe } from 'node:test'\nimport assert from 'node:assert'\nconst { equal } = assert\n";
  const tests = Array.from({ length: 200 }, (_, i) => `  test('boat ${i}', () => { equal(toll(${i}), ${4 + i}) })\n`);
  const text = `${head}let calls = 0\nconst toll = length => { calls++; return 4 + length }\ndescribe('tolls', () => {\n${tests.join('')}})\ntest('calls', () => { equal(calls, 200) })\n`;
  const dir = folder({ 'package.json': '{ "type": "module" }', 'tolls.test.js': text });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  return { file: join(dir, 'tolls.test.js'), text };
}

const stateOf = (record: PadRecord | undefined, name: string): string | undefined =>
  record?.tests.find((one) => one.name === name)?.state;

test.each(['node:test', 'vitest'] as const)(
  'of many tests of %s the one that is edited runs at once, and all of them when nobody types',
  async (kind) => {
    const { file, text } = many(kind);
    const session = createSession({ file, text });
    const records: PadRecord[] = [];
    session.onRecord((record) => records.push(record));
    const last = (): PadRecord => records.at(-1)!;
    try {
      session.execute();
      expect((await session.settled()).tests.filter(({ state }) => state === 'passed')).toHaveLength(202);

      records.length = 0;
      session.edit(file, text.replace('equal(toll(70), 74)', 'equal(toll(70), 75)'));
      await eventually(() => last()?.ended);
      const quick = last();
      expect(quick.tests).toHaveLength(202);
      expect(quick.tests.filter(({ reused, suite }) => !reused && !suite).map(({ name }) => name)).toEqual(['boat 70']);
      expect(stateOf(quick, 'boat 70')).toBe('failed');
      expect(stateOf(quick, 'tolls')).toBe('failed');
      expect(quick.outcome).toBe('failed');

      // What depends on the others is told once all have run.
      records.length = 0;
      session.edit(file, text.replace('equal(calls, 200)', 'equal(calls, 0)'));
      await eventually(() => last()?.ended);
      expect(stateOf(last(), 'calls')).toBe('passed');
      await eventually(() => last().ended && !last().tests.some(({ reused }) => reused));
      expect(last().tests.find(({ name }) => name === 'calls')).toMatchObject({
        state: 'failed',
        notes: ['it passed a moment before, not all ran anew then'],
      });
    } finally {
      await session.close();
    }
  },
);
