// Two thousand tests of a millisecond each, beside the platform's runner; and an edit to one of them.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createSession } from '../dist/hosts/node/index.js';

const COUNT = 2_000;

/** Milliseconds of all tests: the platform's without its start-up, and ours. */
export async function testsBench(rounds) {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-bench-'));
  const head = `import { test } from 'node:test';\nconst busy = () => { const end = performance.now() + 1; while (performance.now() < end); };\n`;
  const waiting = head + Array.from({ length: COUNT }, (_, i) => `test('lock ${i}', busy);\n`).join('');
  const file = join(dir, 'locks.mjs');
  const none = join(dir, 'none.mjs');
  const reporter = join(dir, 'reporter.mjs');
  writeFileSync(file, waiting);
  writeFileSync(none, `import { test } from 'node:test';\ntest('one', () => {});\n`);
  writeFileSync(
    reporter,
    `export default async function* (source) { for await (const { type } of source) if (type === 'never') yield ''; }\n`,
  );
  const platform = (path) => {
    const start = performance.now();
    spawnSync(process.execPath, [`--test-reporter=${reporter}`, path], { stdio: 'ignore' });
    return performance.now() - start;
  };
  const session = createSession({ file, text: waiting });
  const pairs = [];
  for (let i = 0; i < rounds; i++) {
    const theirs = platform(file) - platform(none);
    session.execute();
    const { durationMs } = await session.settled();
    pairs.push({ theirs, ours: durationMs });
  }
  await session.close();

  // Tests that compute, so that an edit can leave their results alone.
  const edit = async (count) => {
    const spin = `import { test } from 'node:test';\nimport { equal } from 'node:assert';\nfunction spin(n) { let x = n; for (let i = 0; i < 12000; i++) x = (x * 31 + i) % 1009; return x; }\n`;
    const text = (salt) =>
      spin +
      Array.from(
        { length: count },
        (_, i) => `test('lock ${i}', () => equal(spin(${i}) >= ${i === 7 ? -salt : 0}, true));\n`,
      ).join('');
    const own = createSession({ file: join(dir, `edit${count}.mjs`), text: text(1) });
    own.execute();
    await own.settled();
    const times = [];
    let reused = 0;
    for (let i = 2; i < 12; i++) {
      await new Promise((resolve) => setTimeout(resolve, 400));
      const start = performance.now();
      const shown = new Promise((resolve) => {
        const off = own.onRecord((record) => {
          const test = record.tests.find((one) => one.name === 'lock 7');
          if (!test || test.state === 'running') return;
          off();
          resolve(performance.now() - start);
        });
      });
      own.edit(own.options.file, text(i));
      times.push(await shown);
      reused = (await own.settled()).tests.filter((one) => one.reused).length;
    }
    await own.close();
    return { times, reused };
  };
  return { pairs, edits: { small: await edit(100), large: await edit(COUNT) } };
}
