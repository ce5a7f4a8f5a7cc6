// `npm run bench`: all figures in one process tree on one machine, medians with their spread. Nothing here asserts a time.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createSession } from '../dist/hosts/node/index.js';
import { ENGINE_FLAGS } from '../dist/hosts/node/spawning.js';
import { editorTables } from './editor.mjs';
import { compareBench } from './compare.mjs';
import { answerBench, watchingBench } from './entries.mjs';
import { holdingBench } from './holding.mjs';
import { kills } from './kills.mjs';
import { liveBench } from './live.mjs';
import { observedBench } from './observed.mjs';
import { ownRunsBench } from './own-runs.mjs';
import { packagesBench } from './packages.mjs';
import { programs } from './programs.mjs';
import { quietBench } from './quiet.mjs';
import { soakEdits, soakOutput } from './soak.mjs';
import { walkBench } from './walk.mjs';

const option = (name, fallback) => {
  const found = process.argv.find((text) => text.startsWith(`--${name}=`));
  return found ? found.slice(name.length + 3) : fallback;
};
const only = option(
  'only',
  'edit,cost,paint,pages,published,pictures,look,tests,live,observed,quiet,holding,entries,memory,kills',
).split(',');
const edits = Number(option('edits', '600'));
const here = fileURLToPath(new URL('.', import.meta.url));
const dir = mkdtempSync(join(tmpdir(), 'anvil-bench-'));

const sorted = (list) => [...list].sort((a, b) => a - b);
const at = (list, part) => sorted(list)[Math.min(list.length - 1, Math.floor(list.length * part))];
const median = (list) => at(list, 0.5);
const spread = (list, digits = 1) =>
  `${median(list).toFixed(digits)} (${at(list, 0.1).toFixed(digits)}–${at(list, 0.9).toFixed(digits)})`;
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

function table(title, head, rows) {
  console.log(`\n${title}\n`);
  const all = [head, ...rows.map((row) => row.map(String))];
  const widths = head.map((_, i) => Math.max(...all.map((row) => row[i].length)));
  all.forEach((row, index) => {
    console.log(`| ${row.map((cell, i) => cell.padEnd(widths[i])).join(' | ')} |`);
    if (index === 0) console.log(`| ${widths.map((width) => '-'.repeat(width)).join(' | ')} |`);
  });
}

/** A pad of so many lines in the demo's style: half TypeScript declarations and functions, half calls. */
function padText(lines, salt) {
  const text = [`const salt = ${salt};`];
  for (let i = 0; text.length < lines - 8; i++) {
    text.push(
      `interface Barge${i} { name: string; tonnes: number }`,
      `function toll${i}(barge: Barge${i}, rate = 0.5): number {`,
      `  if (barge.tonnes > 20) return barge.tonnes * rate;`,
      `  return barge.tonnes + ${i};`,
      `}`,
      `const boat${i}: Barge${i} = { name: 'Heron', tonnes: ${i % 40} };`,
      `const due${i} = toll${i}(boat${i});`,
      `console.log(due${i});`.slice(0, i % 5 === 0 ? undefined : 0) || `due${i} * 2;`,
    );
  }
  while (text.length < lines) text.push('');
  return text.join('\n');
}

async function editBench() {
  const rows = [];
  for (const lines of [30, 100, 1000, 5000]) {
    const file = join(dir, `pad${lines}.ts`);
    const plain = join(dir, `pad${lines}.mjs`);
    const { stripTypes } = await import('./strip.mjs');
    writeFileSync(plain, stripTypes(padText(lines, 0)));
    const session = createSession({ file, text: padText(lines, 0) });
    session.execute();
    await session.settled();
    const times = [];
    const cold = [];
    const rounds = lines >= 5000 ? 15 : 40;
    for (let i = 0; i < rounds + 5; i++) {
      const before = performance.now();
      spawnSync(process.execPath, [plain], { stdio: 'ignore' });
      if (i >= 5) cold.push(performance.now() - before);
      // A person pauses between keystrokes; the next thread is ready then.
      await wait(150);
      const text = padText(lines, i + 1);
      const start = performance.now();
      session.edit(file, text);
      await session.settled();
      if (i >= 5) times.push(performance.now() - start);
    }
    await session.close();
    const reach = { 100: '0.12', 1000: '0.50' }[lines] ?? '';
    rows.push([lines, spread(times), spread(cold), (median(times) / median(cold)).toFixed(3), reach]);
  }
  table(
    'Edit to complete record, beside the cold start of node on the same program (ms, median and 10th–90th percentile)',
    ['lines', 'edit to record', 'cold node', 'ratio', 'reach'],
    rows,
  );
}

function costBench() {
  const depths = ['plain', 'live', 'counts', 'values', 'yardstick'];
  const ratios = { live: [], counts: [], values: [], yardstick: [] };
  const rows = [];
  const runs = 3;
  programs.forEach((program, index) => {
    const times = Object.fromEntries(depths.map((depth) => [depth, []]));
    const first = Object.fromEntries(depths.map((depth) => [depth, []]));
    for (let run = 0; run < runs; run++) {
      // In turn, so that a drift of the machine meets all of them.
      for (const depth of depths) {
        // Plain code and yardstick run as a person would run them; ours with the flags its targets have.
        const flags = depth === 'plain' || depth === 'yardstick' ? [] : ENGINE_FLAGS;
        const { stdout, stderr } = spawnSync(
          process.execPath,
          [...flags, join(here, 'cost.mjs'), String(index), depth, '45'],
          { encoding: 'utf8' },
        );
        if (!stdout) throw new Error(stderr);
        const rounds = JSON.parse(stdout);
        first[depth].push(rounds[0]);
        times[depth].push(...rounds.slice(Math.floor(rounds.length / 3)));
      }
    }
    const plain = median(times.plain);
    for (const depth of depths.slice(1)) ratios[depth].push(median(times[depth]) / plain);
    rows.push([
      program.name,
      spread(times.plain, 2),
      ...depths
        .slice(1)
        .map(
          (depth) =>
            `${(median(times[depth]) / plain).toFixed(2)} (${(at(times[depth], 0.1) / plain).toFixed(2)}–${(at(times[depth], 0.9) / plain).toFixed(2)})`,
        ),
      (median(first.values) / median(first.plain)).toFixed(1),
      (median(first.yardstick) / median(first.plain)).toFixed(1),
    ]);
  });
  const mean = (list) => Math.exp(list.reduce((sum, value) => sum + Math.log(value), 0) / list.length).toFixed(2);
  rows.push([
    'geometric mean',
    '',
    mean(ratios.live),
    mean(ratios.counts),
    mean(ratios.values),
    mean(ratios.yardstick),
    '',
    '',
  ]);
  table(
    'Cost of instrumentation as a multiple of plain code (yardstick: istanbul-lib-instrument, which only counts); reach for values: 1.5 and below the yardstick; for a live program with patch points that nothing has patched: 1.10',
    ['program', 'plain ms', 'live', 'counts', 'values', 'yardstick', 'first round: values', 'yardstick'],
    rows,
  );
}

async function liveTables() {
  const { taken, cold, pauses, seen, memory, each, quiet, busy, watching, cost } = await liveBench(
    Number(option('rounds', '40')),
  );
  const lost = (gaps) => gaps.filter((gap) => gap > 25).length;
  table(
    'A save of a 1,000-line program that runs (ms, median and 10th–90th percentile); reach for the save: 0.2 of a cold node, for the pause: 5 ms',
    ['save to patched', 'cold node', 'ratio', 'pause of the program', 'with the command and its watcher'],
    [[spread(taken), spread(cold), (median(taken) / median(cold)).toFixed(2), spread(pauses, 2), spread(seen)]],
  );
  table(
    `10,000 patches one after the other (${each.toFixed(1)} ms each): memory after a collection`,
    ['patches', 'program, heap MB', 'session, heap MB'],
    memory,
  );
  table(
    'A loop of 60 frames a second (gaps between frames, ms); a frame is lost where the gap is above 25 ms',
    ['', 'frames', 'gap', 'longest', 'lost'],
    [
      ['not patched', quiet.length, spread(quiet), Math.max(...quiet).toFixed(1), lost(quiet)],
      ['patched 100 times', busy.length, spread(busy), Math.max(...busy).toFixed(1), lost(busy)],
    ],
  );
  table(
    'A 1,000-line program that is looked at (ms): its 200 functions are counted, one shows its values',
    ['look at it', 'pause of the program', 'save to patched', 'of a cold node', 'pause of the program'],
    [
      [
        spread(watching.begin),
        spread(watching.pause, 2),
        spread(watching.taken),
        (median(watching.taken) / median(cold)).toFixed(2),
        spread(watching.pauses, 2),
      ],
    ],
  );
  table(
    '2,000 patches of a program that is looked at: memory after a collection',
    ['patches', 'program, heap MB', 'session, heap MB'],
    watching.memory,
  );
  table(
    'What looking at a file costs a program, as a multiple of the same round when nobody has looked; values are those of the function that is called most',
    ['program', 'untouched, ms', 'counted', 'values of', '', 'when nobody looks any more'],
    cost.map(({ name, untouched, counts, values, opened, again }) => [
      name,
      spread(untouched),
      ...[counts, opened, values, again].map((one) =>
        typeof one === 'string' ? one : (median(one) / median(untouched)).toFixed(2),
      ),
    ]),
  );
}

async function startBench() {
  const { runs, firstValues } = await import('./start.mjs');
  const { plain, ours } = runs(12);
  const { addresses, values } = await firstValues(6);
  table(
    'Starting (ms; whole processes, by turns)',
    ['what', 'measured', 'of a cold node', 'reach'],
    [
      ['node pad.mjs, two lines', spread(plain), '1', ''],
      ['usher-anvil run pad.mjs', spread(ours), (median(ours) / median(plain)).toFixed(2), '2.5'],
      ['usher-anvil open: to its address', spread(addresses), (median(addresses) / median(plain)).toFixed(2), ''],
      [
        '… to the first value of what is typed',
        spread(values),
        (median(values) / median(plain)).toFixed(2),
        '1,500 ms',
      ],
    ],
  );
}

async function paintBench() {
  const { keystrokes } = await import('./paint.mjs');
  const rows = [];
  for (const lines of [30, 100, 1000]) {
    const file = join(dir, `paint${lines}.ts`);
    writeFileSync(file, `let level = 1\n${padText(lines - 1, 0)}`);
    const times = await keystrokes(file, 110);
    rows.push([lines, spread(times), { 100: '50' }[lines] ?? '']);
  }
  table(
    'Keystroke to painted value in Chromium (ms; the workbench in a process of its own, after 30 keystrokes)',
    ['lines', 'keystroke to paint', 'reach'],
    rows,
  );
}

async function publishedTable() {
  const { publishedBench } = await import('./published.mjs');
  const rows = await publishedBench(padText);
  table(
    'A published pad, opened from a file in Chromium without a network; asked: a second, 50 ms, 1,000 kB',
    [
      'lines',
      'compressed',
      'until it can be read, with its values, ms',
      'from a key to its value, ms',
      'the first key',
    ],
    rows.map(({ lines, packed, opened, first, keys }) => [
      ...[lines, packed, spread(opened, 0), spread(keys)],
      first.toFixed(0),
    ]),
  );
}

async function pagesBench() {
  const { keysToPage, patchedFrames } = await import('./pages.mjs');
  const times = await keysToPage(70);
  const { rate, ratio } = await patchedFrames(10_000);
  table(
    'A page beside its code, in Chromium',
    ['what', 'measured', 'asked'],
    [
      ['from a key to the page that shows it, 100 lines, ms', spread(times), '80'],
      [
        `frames while patched four times a second, of those left alone (${rate.toFixed(0)} a second)`,
        ratio.toFixed(3),
        '0.98',
      ],
    ],
  );
}

async function lookBench() {
  const { openInPage, longLoop, cursorSteps } = await import('./look.mjs');
  const small = await openInPage(1_000, 15);
  const big = await openInPage(1_000_000, 15);
  const loop = await longLoop(10_000_000);
  const steps = await cursorSteps(1_000_000, 200);
  table(
    'Looking closer',
    ['what', 'measured', 'reach'],
    [
      ['open a value of 1,000 entries in the page (ms)', spread(small), ''],
      ['open a value of 1,000,000 entries in the page (ms)', spread(big), '100'],
      ['the same as a multiple of 1,000 entries', (median(big) / median(small)).toFixed(2), ''],
      [
        'loop of 10,000,000 visits: its record (MB)',
        `${loop.mb.toFixed(1)}, ${loop.samples} samples, ${loop.ms.toFixed(0)} ms`,
        '200',
      ],
      ['the same: count, first and last sample right', loop.right ? 'yes' : 'NO', 'yes'],
      ['a step of the cursor over 1,000,000 samples (ms)', spread(steps.times, 2), '16'],
      ['the same: showing the record at first, which groups its samples (ms)', steps.shown.toFixed(0), ''],
    ],
  );
}

async function testsTables() {
  const { testsBench } = await import('./tests.mjs');
  const { pairs, edits: edited } = await testsBench(3);
  table(
    '2,000 tests of a millisecond each: ms, the platform without its start-up beside ours (reach: 1.3)',
    ['platform', 'ours', 'ratio'],
    [
      [
        spread(
          pairs.map((one) => one.theirs),
          0,
        ),
        spread(
          pairs.map((one) => one.ours),
          0,
        ),
        spread(
          pairs.map((one) => one.ours / one.theirs),
          2,
        ),
      ],
    ],
  );
  table(
    'An edit to one test of a file: ms until its result is there (reach: 50)',
    ['tests', 'ms', 'results reused'],
    [
      [100, spread(edited.small.times), edited.small.reused],
      [2_000, spread(edited.large.times), edited.large.reused],
    ],
  );
}

async function memoryBench() {
  const file = join(dir, 'memory.ts');
  const session = createSession({ file, text: padText(100, 0) });
  session.execute();
  await session.settled();
  const samples = [];
  const start = performance.now();
  for (let i = 1; i <= edits; i++) {
    session.edit(file, padText(100, i));
    await session.settled();
    if (i % Math.ceil(edits / 6) === 0) {
      globalThis.gc?.();
      samples.push([
        i,
        (process.memoryUsage().heapUsed / 1e6).toFixed(1),
        (process.memoryUsage.rss() / 1e6).toFixed(0),
      ]);
    }
  }
  table(
    `${edits} edits one after the other (${((performance.now() - start) / edits).toFixed(1)} ms each, with a fresh thread for each): memory of the session's process`,
    ['edits', 'heap MB', 'resident MB'],
    samples,
  );
  await session.close();
}

try {
  console.log(`node ${process.version}, ${process.platform} ${process.arch}`);
  if (only.includes('start')) await startBench();
  if (only.includes('edit')) await editBench();
  if (only.includes('cost')) costBench();
  if (only.includes('paint')) await paintBench();
  if (only.includes('pages')) await pagesBench();
  if (only.includes('published')) await publishedTable();
  if (only.includes('pictures')) {
    const { picturesBench } = await import('./pictures.mjs');
    table(
      'The soundings, 320 × 200, with a clock; asked: 60 a second',
      ['painted on', 'pictures a second', 'pixels along a block'],
      await picturesBench(),
    );
  }
  if (only.includes('look')) await lookBench();
  if (only.includes('tests')) await testsTables();
  if (only.includes('live')) await liveTables();
  if (only.includes('observed'))
    table(
      'A live program as a multiple of plain code: untouched, with all of its functions observed, and when nobody looks any more',
      ['program', 'depth', 'untouched', 'observed', 'after'],
      await observedBench(Number(option('rounds', '60')), median),
    );
  if (only.includes('editor')) await editorTables({ table, spread, median, count: Number(option('keys', '200')) });
  if (only.includes('packages')) {
    const rows = await packagesBench(Number(option('rounds', '3')));
    table(
      'Pads with large packages: five edits a second, milliseconds to the record',
      ['imports', 'records before the next edit', 'to the record', 'of a pad without', 'first record', 'of plain node'],
      rows.map(({ name, plain, first, times, of }) => [
        name,
        `${times.length} of ${of}`,
        spread(times),
        (median(times) / median(rows[0].times)).toFixed(2),
        spread(first, 0),
        (median(first) / median(plain)).toFixed(2),
      ]),
    );
  }
  if (only.includes('own-runs')) {
    const rows = await ownRunsBench(Number(option('rounds', '7')));
    table(
      'A framework kept loaded for its own runs, beside its own watching: ms from a save to the results (reach: 1.3)',
      ['framework', 'its watching', 'kept loaded, unsaved', 'ratio'],
      rows.map(({ name, pairs }) => [
        name,
        spread(
          pairs.map(({ theirs }) => theirs),
          0,
        ),
        spread(
          pairs.map(({ ours }) => ours),
          0,
        ),
        median(pairs.map(({ theirs, ours }) => ours / theirs)).toFixed(2),
      ]),
    );
  }
  // An hour in all: asked for by its name.
  if (only.includes('entries')) {
    const rates = await watchingBench(dir);
    const plain = median(rates['never watched']);
    table(
      'Requests a second of a server, eight at a time, 25 functions each',
      ['', 'requests a second', 'to never watched'],
      Object.entries(rates).map(([name, list]) => [name, spread(list, 0), (median(list) / plain).toFixed(2)]),
    );
    const { pieces, took } = await answerBench(dir);
    table(
      `From an edit to the answer that is asked again, ${pieces} pieces, the request's own time aside`,
      ['median (10–90 %), ms'],
      [[spread(took)]],
    );
  }
  if (only.includes('compare')) {
    const [times, seconds] = [Number(option('times', '20')), Number(option('seconds', '20'))];
    const rows = await compareBench(dir, times, seconds);
    table(
      `Two ways compared, ${times} times each, in ${seconds} s at most`,
      ['the second is', 'faster', 'slower', 'cannot be told', 'ratio told (least to most)', 'seconds (median)'],
      rows.map(({ name, found, ratios, took }) => [
        name,
        found.faster,
        found.slower,
        found['cannot be told'],
        `${Math.min(...ratios).toFixed(2)} to ${Math.max(...ratios).toFixed(2)}`,
        median(took).toFixed(1),
      ]),
    );
  }
  if (only.includes('holding')) {
    const { rows, standsMs } = await holdingBench(dir);
    const [, ns, waits] = rows[0];
    table(
      'Breakpoints and held calls: one call of a function that does next to nothing (a condition asked for at most 5 times as long)',
      ['what stands in its way', 'a call (ns)', 'times as long', 'an async call (ns)', 'times as long'],
      rows.map(([name, one, other]) => [
        name,
        one.toFixed(1),
        (one / ns).toFixed(2),
        other.toFixed(0),
        (other / waits).toFixed(2),
      ]),
    );
    console.log(`\nFrom a call to the program that stands still: ${standsMs.toFixed(0)} ms`);
  }
  if (only.includes('kills')) {
    const { rounds, seed, ends, lost, wrong } = await kills({ rounds: Number(option('kills', '200')) });
    table(
      `Ends at random while somebody types: ${rounds} rounds, seed ${seed}`,
      ['ended', 'times', 'keystrokes lost that were older than 100 ms'],
      Object.keys(ends).map((name) => [name, ends[name], lost[name]]),
    );
    console.log(`texts that were not what was typed, in order: ${wrong.length}`);
    for (const one of wrong.slice(0, 5)) console.log(JSON.stringify(one));
  }
  if (only.includes('soak')) {
    const head = ['MB', 'handles', 'processes', 'files'];
    const row = (one) => [one.mb, one.handles, one.processes, one.files];
    const edited = await soakEdits(Number(option('soak', '20000')));
    table(
      'A workbench, edited',
      ['edits', ...head],
      edited.measured.map((one) => [one.edits, ...row(one)]),
    );
    const printed = await soakOutput();
    table(
      'A live program, printing',
      ['MB printed', ...head],
      printed.measured.map((one) => [one.mbPrinted, ...row(one)]),
    );
  }
  if (only.includes('quiet')) {
    const { depths, memory } = await quietBench();
    table('How deep a live program recurses that nobody looks at', ['what', 'plain', 'live', 'of plain'], depths);
    table(
      'What a server keeps in memory, after a collection: heap and buffers',
      ['program', 'before it serves, MB', 'after, MB', 'what it keeps, of plain'],
      memory,
    );
  }
  if (only.includes('walk')) await walkBench(table);
  if (only.includes('memory')) await memoryBench();
} finally {
  rmSync(dir, { recursive: true, force: true });
}
