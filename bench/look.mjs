// Looking closer: opening a value of a million entries, a loop of ten million visits, the cursor over a record of a million samples.
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { launchChromium } from '../scripts/chromium.mjs';
import { runPad } from '../dist/hosts/node/index.js';
import { historiesAt } from '../dist/record/index.js';
import { startServer } from '../dist/server/server.js';
import { linesView } from '../dist/views/margin.js';
import { tapeOf } from '../dist/views/tape.js';

/** Milliseconds from the click that opens a list of so many entries to the frame that shows its first page. */
export async function openInPage(entries, rounds) {
  const file = join(mkdtempSync(join(tmpdir(), 'anvil-bench-')), 'big.ts');
  writeFileSync(file, `const big = Array.from({ length: ${entries} }, (_, i) => i * 2);\n`);
  const server = await startServer({
    root: dirname(file),
    pad: file,
    state: mkdtempSync(join(tmpdir(), 'anvil-bench-')),
  });
  const browser = await launchChromium();
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(server.url);
    await page.waitForSelector('.margin');
    await page.locator('.margin').first().click();
    await page.waitForSelector('.card .open');
    const times = [];
    for (let i = 0; i < rounds; i++) {
      times.push(
        await page.evaluate(
          () =>
            new Promise((resolve) => {
              const start = performance.now();
              const watch = new MutationObserver(() => {
                if (document.querySelectorAll('[role=treeitem]').length < Math.min(100, 100)) return;
                watch.disconnect();
                requestAnimationFrame(() => setTimeout(() => resolve(performance.now() - start)));
              });
              watch.observe(document.querySelector('aside'), { childList: true, subtree: true });
              document.querySelector('.card .open').click();
            }),
        ),
      );
      await page.getByRole('button', { name: 'Close the opened value' }).click();
      await page.waitForTimeout(50);
    }
    return times;
  } finally {
    await browser.close();
    await server.close();
  }
}

/** A loop of so many visits: the size of its record, and whether the first and last sample and the count are right. */
export async function longLoop(visits) {
  const file = join(mkdtempSync(join(tmpdir(), 'anvil-bench-')), 'long.ts');
  writeFileSync(file, `let level = 0;\nfor (let i = 1; i <= ${visits}; i++) {\n  level = i * 2;\n}\nlevel;\n`);
  globalThis.gc?.();
  const before = process.memoryUsage();
  const record = await runPad({ file, timeLimitMs: 120_000 });
  globalThis.gc?.();
  const after = process.memoryUsage();
  const history = historiesAt(record, { line: 2 })[0];
  const last = history.at(history.length - 1);
  return {
    ms: record.durationMs,
    samples: record.samples.length,
    mb: Math.max(0, after.heapUsed + after.arrayBuffers - before.heapUsed - before.arrayBuffers) / 1e6,
    right:
      history.visits === visits &&
      history.at(0).visit === 1 &&
      last.visit === visits &&
      last.value.text === String(visits * 2),
  };
}

/** Milliseconds of one step of the cursor over a record with so many samples: lines and tape as of a moment. */
export async function cursorSteps(samples, steps) {
  const file = join(mkdtempSync(join(tmpdir(), 'anvil-bench-')), 'cursor.ts');
  const lines = [
    'let a = 0;',
    'for (let i = 0; i < 2; i++) {',
    ...Array.from({ length: 60 }, (_, i) => `  a = i * ${i};`),
    '}',
  ];
  writeFileSync(file, lines.join('\n'));
  const small = await runPad({ file });
  const sites = small.program.files[0].sites.filter((site) => site.kind === 'assignment');
  // The same program as if each of its sites had been sampled many times.
  const columns = {
    length: samples,
    site: new Int32Array(samples),
    visit: new Float64Array(samples),
    moment: new Float64Array(samples),
    tag: new Uint8Array(samples),
    number: new Float64Array(samples),
    rest: [],
  };
  for (let i = 0; i < samples; i++) {
    columns.site[i] = sites[i % sites.length].id;
    columns.visit[i] = Math.floor(i / sites.length) + 1;
    columns.moment[i] = i + 1;
    columns.number[i] = i;
  }
  const counts = new Map([
    [
      small.program.files[0].unit,
      new Float64Array(small.program.files[0].sites.length).fill(Math.floor(samples / sites.length)),
    ],
  ]);
  const record = { ...small, samples: columns, counts, moments: samples };
  const first = performance.now();
  linesView(record, record.file);
  tapeOf(record);
  const shown = performance.now() - first;
  const times = [];
  for (let i = 0; i < steps; i++) {
    const moment = Math.floor(((i * 7919) % steps) * (samples / steps)) + 1;
    const start = performance.now();
    linesView(record, record.file, moment);
    times.push(performance.now() - start);
  }
  return { times, shown };
}
