// The project's own framework, kept loaded, beside its own way of watching: from a save to the results.
import { spawn } from 'node:child_process';
import { mkdtempSync, realpathSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { warmOwnRuns } from '../dist/hosts/node/own-runs/index.js';
import { TestFrameworks } from '../dist/hosts/node/project/test-framework.js';

const modules = new URL('../node_modules', import.meta.url).pathname;
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

const FRAMEWORKS = {
  vitest: {
    type: 'module',
    head: "import { test, expect } from 'vitest'\n",
    watch: ['vitest/vitest.mjs', '--watch', '--reporter=default'],
    done: /Duration/g,
  },
  jest: { type: 'commonjs', head: '', watch: ['jest/bin/jest.js', '--watchAll', '--watchman=false'], done: /^Time:/gm },
};

/** Milliseconds of each round: theirs from the save, ours from the call. */
export async function ownRunsBench(rounds) {
  const rows = [];
  for (const [name, { type, head, watch, done }] of Object.entries(FRAMEWORKS)) {
    const dir = realpathSync(mkdtempSync(join(tmpdir(), 'anvil-bench-')));
    symlinkSync(modules, join(dir, 'node_modules'));
    writeFileSync(join(dir, 'package.json'), JSON.stringify({ type, scripts: { test: name } }));
    const file = join(dir, 'toll.test.js');
    const text = (n) =>
      head +
      Array.from({ length: 30 }, (_, i) => `test('${i}', () => { expect(${i} + ${n}).toBe(${i + n}) })\n`).join('');
    writeFileSync(file, text(0));
    const [bin, ...options] = watch;
    const watching = spawn(process.execPath, [join(modules, bin), ...options], {
      cwd: dir,
      env: { ...process.env, NO_COLOR: '1', CI: '' },
      stdio: ['pipe', 'pipe', 'pipe'],
    });
    let printed = '';
    for (const stream of [watching.stdout, watching.stderr]) stream.on('data', (data) => (printed += data));
    const ended = async (count) => {
      for (const limit = Date.now() + 30_000; (printed.match(done) ?? []).length < count; await wait(2))
        if (Date.now() > limit) throw new Error(`${name} printed no results: ${printed.slice(-500)}`);
    };
    const place = new TestFrameworks().of(file, undefined);
    const ours = async (n) => warmOwnRuns.start(place, file, new Map([[file, text(n)]]), []).results;
    await ended(1);
    await ours(0);
    const pairs = [];
    for (let n = 1; n <= rounds; n++) {
      await wait(600);
      const seen = (printed.match(done) ?? []).length;
      let start = performance.now();
      writeFileSync(file, text(n));
      await ended(seen + 1);
      const theirs = performance.now() - start;
      await wait(600);
      start = performance.now();
      await ours(n + 1_000);
      pairs.push({ theirs, ours: performance.now() - start });
    }
    watching.kill('SIGKILL');
    rows.push({ name, pairs });
  }
  return rows;
}
