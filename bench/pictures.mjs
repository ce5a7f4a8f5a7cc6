// The soundings with a clock: pictures a second, and how fine, on the threads that there are and on the pad's own.
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createSession } from 'usher-anvil';

const SECONDS = 4;

/** @returns rows: where it was painted, pictures a second, and the pixels of a block */
export async function picturesBench() {
  const pad = readFileSync(fileURLToPath(new URL('../examples/soundings/soundings.ts', import.meta.url)), 'utf8')
    .replace('(x, y) => depth(x / 50, y / 50), {', '(x, y, { time }) => depth(x / 50 + time, y / 50), { animate: true,')
    .replace('const seed', 'let seed');
  const dir = mkdtempSync(join(tmpdir(), 'anvil-pictures-'));
  const rows = [];
  try {
    for (const [where, text] of [
      ['its own thread', pad],
      [`${availableParallelism()} threads`, pad.replace('let seed', 'const seed')],
    ]) {
      const file = join(dir, 'soundings.ts');
      writeFileSync(file, text);
      const session = createSession({ file });
      session.execute();
      const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
      const shown = () => session.record?.shown.find(({ kind }) => kind === 'paint');
      while (!shown()?.clock) await wait(20);
      await wait(2_000);
      const first = shown().clock.frame;
      const blocks = [];
      const begun = performance.now();
      while (performance.now() - begun < SECONDS * 1_000) {
        blocks.push(shown().pixels.block);
        await wait(50);
      }
      const rate = (shown().clock.frame - first) / ((performance.now() - begun) / 1_000);
      blocks.sort((a, b) => a - b);
      rows.push([where, rate.toFixed(0), blocks[blocks.length >> 1]]);
      await session.close();
    }
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
  return rows;
}
