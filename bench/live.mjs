// Programs that are changed while they run: from a save to the patch, the pause it makes, many patches, a loop of frames.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { programs } from './programs.mjs';
import { createLive } from '../dist/hosts/node/live.js';

/** What looking at a file costs the program: rounds untouched, counted, with the values of its first large function, and untouched again. */
async function lookingCost(open, dir, name, code, use) {
  const file = join(dir, 'program.cjs');
  writeFileSync(file, code);
  const { live, output, stop } = await open(
    'round.cjs',
    `const text = require('node:fs').readFileSync(${JSON.stringify(file)}, 'utf8');\nconst acornText = text, decimalText = text;\nconst round = (${String(use)})(require('./program.cjs'));\nsetInterval(() => { const start = performance.now(); round(); console.log('took ' + (performance.now() - start) + ';'); }, 1);\nconsole.log('ready');\n`,
  );
  const { session } = live;
  const times = async () => {
    await wait(900);
    const from = output().length;
    await wait(1_200);
    return [
      ...output()
        .slice(from)
        .matchAll(/took ([\d.]+);/g),
    ].map((match) => Number(match[1]));
  };
  const untouched = await times();
  await session.observe(file);
  const counts = await times();
  const { counts: cells, program } = session.record;
  const known = program.files.findIndex((one) => one.file === file);
  const hot = program.files[known].sites
    .filter((site) => site.kind === 'function' && site.end - site.start > 120)
    .sort((a, b) => (cells.get(known)[b.cell] ?? 0) - (cells.get(known)[a.cell] ?? 0))[0];
  await session.openFunction(file, program.files[known].lines.lineAt(hot.start));
  const values = await times();
  await session.unobserve(file);
  const again = await times();
  await stop();
  return { name, untouched, counts, values, opened: hot.name, again };
}

const cli = fileURLToPath(new URL('../dist/bin/main.js', import.meta.url));
setFlagsFromString('--expose-gc');
const collect = runInNewContext('gc');
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/** A program of so many lines: functions, a class, a loop that holds them. */
function programText(lines, salt, typed = true) {
  const number = typed ? ': number' : '';
  const text = [`let frame = 0;`, `const LIMIT = 40;`];
  for (let i = 0; text.length < lines - 12; i++)
    text.push(
      `function toll${i}(tonnes${number}, rate${number} = 0.5)${number} {`,
      `  if (tonnes > LIMIT) return tonnes * rate * 2;`,
      `  const due = tonnes * rate + ${i};`,
      `  return due > 100 ? 100 : due;`,
      `}`,
    );
  text.push(
    `class Barge {`,
    `  at = 0;`,
    `  advance()${number} {`,
    `    this.at += toll1(1);`,
    `    return this.at;`,
    `  }`,
    `}`,
    `const barge = new Barge();`,
    `function render()${typed ? ': void' : ''} {`,
    `  frame += ${salt};`,
    `  barge.advance();`,
    `}`,
  );
  return text.join('\n') + '\n';
}

export async function liveBench(rounds) {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-bench-'));
  const events = [];
  const open = async (name, text) => {
    const file = join(dir, name);
    writeFileSync(file, text);
    let output = '';
    const live = createLive({ file, stdio: 'pipe', onOutput: (_stream, chunk) => (output += chunk) });
    live.session.onEvent((event) =>
      event.kind === 'failed' || event.kind === 'refused' ? events.push(event.text) : undefined,
    );
    let ended = () => undefined;
    const end = new Promise((resolve) => (ended = resolve));
    live.session.start(() => ended());
    while (!output.includes('ready')) await wait(5);
    return {
      live,
      file,
      output: () => output,
      save: async (next) => {
        writeFileSync(file, next);
        await live.session.changed([file]);
      },
      stop: async () => {
        live.session.stop();
        await end;
      },
    };
  };

  // From a save to the patch, beside a cold start of the same program.
  const loop = `setInterval(render, 5);\nconsole.log('ready');\n`;
  const text = (salt) => programText(1000, salt) + loop;
  const plain = join(dir, 'plain.mjs');
  writeFileSync(plain, programText(1000, 1, false));
  const program = await open('program.ts', text(1));
  const taken = [];
  const cold = [];
  const pauses = [];
  for (let i = 0; i < rounds; i++) {
    const next = text(i + 2);
    writeFileSync(program.file, next);
    let start = performance.now();
    await program.live.session.changed([program.file]);
    taken.push(performance.now() - start);
    pauses.push(program.live.session.lastPauseMs);
    start = performance.now();
    spawnSync(process.execPath, [plain], { stdio: 'ignore' });
    cold.push(performance.now() - start);
  }
  await program.stop();
  if (events.length > 0) throw new Error(events[0]);

  // The same through the command and its file watcher.
  const watched = join(dir, 'watched.ts');
  writeFileSync(watched, text(1));
  const child = spawn(process.execPath, [cli, 'live', watched], { stdio: ['ignore', 'pipe', 'pipe'] });
  let out = '';
  child.stdout.on('data', (chunk) => (out += chunk));
  child.stderr.on('data', (chunk) => (out += chunk));
  while (!out.includes('ready')) await wait(5);
  await wait(700);
  const seen = [];
  for (let i = 0; i < Math.min(rounds, 20); i++) {
    const from = out.length;
    const start = performance.now();
    writeFileSync(watched, text(i + 2));
    while (!/patched/.test(out.slice(from))) await wait(0);
    seen.push(performance.now() - start);
    await wait(150);
  }
  child.kill('SIGTERM');

  // Ten thousand patches.
  const memory = [];
  const counting = (salt) =>
    `import { setFlagsFromString } from 'node:v8';\nimport { runInNewContext } from 'node:vm';\nsetFlagsFromString('--expose-gc');\nconst gc = runInNewContext('gc');\nconst make = (base) => () => base;\nconst held = [1, 2, 3].map((n) => make(n));\nfunction step() { return ${salt} + held[0](); }\nsetInterval(() => { step(); }, 1);\nprocess.on('SIGUSR2', () => { gc(); console.log('heap', process.memoryUsage().heapUsed); });\nconsole.log('ready');\n`;
  const many = await open('many.js', counting(0));
  const COUNT = 10_000;
  const begin = performance.now();
  for (let i = 1; i <= COUNT; i++) {
    await many.save(counting(i));
    if (i === 100 || i % (COUNT / 4) === 0) {
      const from = many.output().length;
      process.kill(many.live.pid(), 'SIGUSR2');
      while (!/heap \d+\n/.test(many.output().slice(from))) await wait(5);
      collect();
      memory.push([
        i,
        (Number(/heap (\d+)/.exec(many.output().slice(from))[1]) / 1e6).toFixed(1),
        (process.memoryUsage().heapUsed / 1e6).toFixed(1),
      ]);
    }
  }
  const each = (performance.now() - begin) / COUNT;
  await many.stop();

  // A loop of sixty frames a second, patched a hundred times in its course, beside itself without patches.
  const frames = (salt) =>
    `let last = performance.now();\nlet frames = 0;\nconst gaps = [];\nfunction draw() { let sum = ${salt}; for (let i = 0; i < 20000; i++) sum += Math.sqrt(i); return sum; }\nfunction frame() {\n  const now = performance.now();\n  gaps.push(now - last);\n  last = now;\n  draw();\n  frames += 1;\n}\nsetInterval(frame, 1000 / 60);\nprocess.on('SIGUSR2', () => { console.log('gaps ' + JSON.stringify(gaps.slice(5)) + ';'); gaps.length = 0; });\nconsole.log('ready');\n`;
  const animation = await open('frames.js', frames(0));
  const gapsOf = async () => {
    const from = animation.output().length;
    process.kill(animation.live.pid(), 'SIGUSR2');
    while (!/gaps .*;/.test(animation.output().slice(from))) await wait(5);
    return JSON.parse(/gaps (.*);/.exec(animation.output().slice(from))[1]);
  };
  await wait(500);
  await gapsOf();
  await wait(3500);
  const quiet = await gapsOf();
  for (let i = 1; i <= 100; i++) {
    await animation.save(frames(i));
    await wait(33);
  }
  const busy = await gapsOf();
  await animation.stop();

  // The same program while somebody looks at it: its functions are counted, one shows its values.
  const looked = await open('looked.ts', text(1));
  const { session } = looked.live;
  const watching = { begin: [], pause: [], taken: [], pauses: [], memory: [] };
  for (let i = 0; i < Math.min(rounds, 10); i++) {
    const start = performance.now();
    await session.observe(looked.file);
    watching.begin.push(performance.now() - start);
    watching.pause.push(session.lastPauseMs);
    if (i < Math.min(rounds, 10) - 1) await session.unobserve(looked.file);
  }
  await session.openFunction(
    looked.file,
    programText(1000, 1)
      .split('\n')
      .findIndex((line) => line.startsWith('function render')),
  );
  for (let i = 0; i < rounds; i++) {
    writeFileSync(looked.file, text(i + 2));
    const start = performance.now();
    await session.changed([looked.file]);
    watching.taken.push(performance.now() - start);
    watching.pauses.push(session.lastPauseMs);
  }
  await looked.stop();
  const counted = await open('counted.js', counting(0));
  await counted.live.session.observe(counted.file);
  await counted.live.session.openFunction(counted.file, 6);
  for (let i = 1; i <= 2_000; i++) {
    await counted.save(counting(i));
    if (i % 500 === 0) {
      const from = counted.output().length;
      process.kill(counted.live.pid(), 'SIGUSR2');
      while (!/heap \d+\n/.test(counted.output().slice(from))) await wait(5);
      collect();
      watching.memory.push([
        i,
        (Number(/heap (\d+)/.exec(counted.output().slice(from))[1]) / 1e6).toFixed(1),
        (process.memoryUsage().heapUsed / 1e6).toFixed(1),
      ]);
    }
  }
  await counted.stop();

  const cost = [];
  for (const { name, text: code, use } of programs.filter((one) => !/formatter/.test(one.name)))
    cost.push(await lookingCost(open, dir, name, code, use));
  mkdirSync(dir, { recursive: true });
  rmSync(dir, { recursive: true, force: true });
  return { taken, cold, pauses, seen, memory, each, quiet, busy, watching, cost };
}
