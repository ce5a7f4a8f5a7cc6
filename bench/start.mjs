// How long it takes from a command to its first value: whole processes in pairs, and a page that is opened.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { launchChromium } from '../scripts/chromium.mjs';

const COMMAND = fileURLToPath(new URL('../dist/bin/main.js', import.meta.url));

function took(args, cwd) {
  const begin = performance.now();
  spawnSync(process.execPath, args, { cwd, stdio: 'ignore' });
  return performance.now() - begin;
}

/** A pad of two lines in plain node, and in a run of it: each as often, by turns. */
export function runs(rounds) {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-bench-'));
  writeFileSync(join(dir, 'pad.mjs'), 'const rise = 4\nrise * 2\n');
  const plain = [];
  const ours = [];
  for (let i = 0; i < rounds; i++) {
    plain.push(took(['pad.mjs'], dir));
    ours.push(took([COMMAND, 'run', 'pad.mjs'], dir));
  }
  return { plain, ours };
}

/** From the command to its address, and on to the first value that is painted for what is typed on the start page. */
export async function firstValues(rounds) {
  const browser = await launchChromium();
  const addresses = [];
  const values = [];
  for (let i = 0; i < rounds; i++) {
    const dir = mkdtempSync(join(tmpdir(), 'anvil-bench-'));
    const env = { ...process.env, XDG_STATE_HOME: mkdtempSync(join(tmpdir(), 'anvil-bench-')) };
    const page = await browser.newPage();
    const begin = performance.now();
    const child = spawn(process.execPath, [COMMAND, 'open', '.'], { cwd: dir, env });
    let text = '';
    const url = await new Promise((resolve) => {
      child.stdout.on('data', (chunk) => {
        text += chunk;
        const found = /http:\S+/.exec(text);
        if (found) resolve(found[0]);
      });
    });
    addresses.push(performance.now() - begin);
    await page.goto(url);
    await page.waitForSelector('.start .choice');
    await page.keyboard.type('4 * 2');
    await page.waitForFunction(() => document.querySelector('.margin')?.textContent === '8', undefined, {
      polling: 'raf',
    });
    values.push(performance.now() - begin);
    child.kill();
    await page.close();
  }
  await browser.close();
  return { addresses, values };
}
