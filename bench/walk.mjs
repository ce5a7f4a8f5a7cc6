// What depth `steps` costs: each program runs once as a pad, plainly and at that depth, in turns; and how moves answer. A
// long run is repeated for its end: its clock is the first run's there as well, so what it takes in all is told beside it.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { runPad } from '../dist/hosts/node/index.js';
import { walk } from '../dist/record/index.js';
import { programs, texts } from './programs.mjs';

const ROUNDS = 5;
const median = (list) => [...list].sort((a, b) => a - b)[list.length >> 1];

/** A pad that uses a program once and prints how long that took, in a folder of its own. */
function padOf({ file, text, use }) {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-bench-'));
  writeFileSync(
    join(dir, 'program.cjs'),
    text.replace(
      /require\('(\.[^']+)'\)/g,
      (_, name) => `require(${JSON.stringify(createRequire(file).resolve(name))})`,
    ),
  );
  writeFileSync(join(dir, 'texts.json'), JSON.stringify(texts));
  const pad = join(dir, 'pad.cjs');
  writeFileSync(
    pad,
    `const { acornText, decimalText, ledger } = JSON.parse(require('node:fs').readFileSync(__dirname + '/texts.json', 'utf8'));
const run = (${use.toString()})(require('./program.cjs'));
const begin = performance.now();
run();
console.log(performance.now() - begin);
`,
  );
  return { dir, pad };
}

export async function walkBench(table) {
  const rows = [];
  const ratios = [];
  for (const program of programs) {
    const { dir, pad } = padOf(program);
    const plain = [];
    const steps = [];
    const all = [];
    let count = 0;
    let problem;
    for (let round = 0; round < ROUNDS; round++) {
      try {
        plain.push(Number(execFileSync(process.execPath, [pad], { encoding: 'utf8' })));
      } catch (error) {
        problem = error.message.split('\n')[0];
        break;
      }
      const begin = performance.now();
      const record = await runPad({ file: pad, depth: 'steps', timeLimitMs: 120_000 });
      all.push(performance.now() - begin);
      if (record.outcome !== 'ok') {
        problem = record.errors[0]?.message ?? record.outcome;
        break;
      }
      steps.push(Number(record.console[0].text));
      const run = walk(record);
      count = run.total;
    }
    rmSync(dir, { recursive: true });
    if (problem !== undefined) {
      rows.push([program.name, problem, '', '', '', '']);
      continue;
    }
    const ratio = median(steps.map((took, i) => took / plain[i]));
    if (program.name !== 'integer loop') ratios.push(ratio);
    rows.push([
      program.name,
      median(plain).toFixed(1),
      median(steps).toFixed(1),
      ratio.toFixed(1),
      count.toLocaleString('en-US'),
      median(all).toFixed(0),
    ]);
  }
  const mean = Math.exp(ratios.reduce((sum, one) => sum + Math.log(one), 0) / ratios.length);
  rows.push(['geometric mean without the integer loop', '', '', mean.toFixed(1), '', '']);
  table(
    'depth steps: one run as a pad, ms',
    ['program', 'plain', 'steps', 'times', 'steps', 'in all, with start and repetition'],
    rows,
  );
  await moves(table);
}

/** A long run: what it takes in memory, and how moves answer in what is kept. */
async function moves(table) {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-bench-'));
  const file = join(dir, 'long.cjs');
  writeFileSync(
    file,
    `let total = 0
function add(i) {
  const twice = i * 2
  total += twice
  return twice
}
for (let i = 0; i < 1_700_000; i++) {
  add(i)
}
`,
  );
  globalThis.gc?.();
  const before = process.memoryUsage();
  const record = await runPad({ file, depth: 'steps', timeLimitMs: 300_000 });
  globalThis.gc?.();
  const { heapUsed, arrayBuffers } = process.memoryUsage();
  const run = walk(record);
  let at = run.length - 1;
  const first = performance.now();
  run.variables(at);
  const opened = performance.now() - first;
  const times = [];
  for (let i = 0; i < 2_000; i++) {
    const begin = performance.now();
    at = run.move(at, i % 3 === 0 ? 'into' : 'over', -1) ?? at;
    run.variables(at);
    times.push(performance.now() - begin);
  }
  times.sort((a, b) => a - b);
  const mb = (heapUsed + arrayBuffers - before.heapUsed - before.arrayBuffers) / 1024 / 1024;
  table(
    'a long run',
    ['steps in all', 'kept', 'MB', 'first look ms', 'a move with its variables, ms: median, 99 of 100'],
    [
      [
        run.total.toLocaleString('en-US'),
        run.length.toLocaleString('en-US'),
        mb.toFixed(0),
        opened.toFixed(0),
        `${median(times).toFixed(3)}, ${times[Math.floor(times.length * 0.99)].toFixed(3)}`,
      ],
    ],
  );
  rmSync(dir, { recursive: true });
}
