// Pads with large packages: records that come before the next of five edits a second, and the first record beside plain node.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createSession } from '../dist/hosts/node/index.js';

const PADS = {
  none: { head: '', body: (n) => `const depth = Math.sqrt(${n})\n` },
  mathjs: { head: "import { evaluate } from 'mathjs'\n", body: (n) => `const depth = evaluate('sqrt(${n})')\n` },
  typescript: {
    head: "import ts from 'typescript'\n",
    body: (n) => `const made = ts.transpile('const depth: number = ${n}')\n`,
  },
  jsdom: {
    head: "import { JSDOM } from 'jsdom'\n",
    body: (n) => `const text = new JSDOM('<p>${n}</p>').window.document.body.textContent\n`,
  },
};
const EDITS = 25;
const EDIT_MS = 200;
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

function installed() {
  const dir = join(tmpdir(), 'usher-anvil-bench-packages');
  if (existsSync(join(dir, 'node_modules/jsdom'))) return dir;
  mkdirSync(dir, { recursive: true });
  writeFileSync(join(dir, 'package.json'), '{ "private": true, "type": "module" }');
  const { status } = spawnSync('npm', ['install', 'mathjs@15', 'typescript@5', 'jsdom@26', '--no-audit', '--no-fund'], {
    cwd: dir,
    stdio: 'inherit',
  });
  if (status !== 0) throw new Error('the packages could not be installed');
  return dir;
}

/** `times`: milliseconds from an edit to its record, for those that came before the next edit. */
export async function packagesBench(rounds) {
  const dir = installed();
  const rows = [];
  for (const [name, { head, body }] of Object.entries(PADS)) {
    const [plain, first, times] = [[], [], []];
    for (let round = 0; round < rounds; round++) {
      const file = join(dir, `${name}.mjs`);
      writeFileSync(file, head + body(0));
      const begin = performance.now();
      spawnSync(process.execPath, [file], { stdio: 'ignore' });
      plain.push(performance.now() - begin);
      const opened = performance.now();
      const session = createSession({ file, text: head + body(0) });
      session.rehearse();
      session.execute();
      await session.settled();
      first.push(performance.now() - opened);
      await wait(2_500);
      let since = 0;
      session.onRecord((record) => {
        if (record.ended && since > 0) times.push(performance.now() - since);
        if (record.ended) since = 0;
      });
      for (let n = 1; n <= EDITS; n++) {
        since = performance.now();
        session.edit(file, head + body(n));
        await wait(EDIT_MS);
      }
      await session.close();
    }
    rows.push({ name, plain, first, times, of: EDITS * rounds });
  }
  return rows;
}
