// Ends a process or the browser's tab at random while a scripted person types, and counts what of it was lost.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { launchChromium } from '../scripts/chromium.mjs';

const CLI = fileURLToPath(new URL('../dist/bin/main.js', import.meta.url));
/** Milliseconds before an end in which a keystroke may be lost. */
const GRACE_MS = 100;

export async function kills({ rounds = 200, seed = Date.now() % 1e9 } = {}) {
  let state = seed;
  const random = (most) => (state = (state * 1_103_515_245 + 12_345) % 2 ** 31) % most;
  const dir = mkdtempSync(join(tmpdir(), 'anvil-kills-'));
  writeFileSync(join(dir, 'pad.js'), '//\n');
  const env = { ...process.env, XDG_STATE_HOME: join(dir, 'state'), NODE_OPTIONS: '' };
  let server;
  let url;
  const start = async () => {
    server = spawn(process.execPath, [CLI, 'open', 'pad.js'], { cwd: dir, env });
    const text = await new Promise((resolve) => server.stdout.once('data', (data) => resolve(String(data))));
    const found = /http:\S+/.exec(text)[0];
    if (url !== undefined && found !== url) throw new Error(`the address has changed: ${found}`);
    url = found;
  };
  await start();
  const browser = await launchChromium();
  const context = await browser.newContext();
  let page;
  const open = async () => {
    page = await context.newPage();
    await page.goto(url);
    await page.waitForFunction(() => document.querySelector('.cm-line')?.textContent.startsWith('//'));
    await page.locator('.cm-line').first().click();
    await page.keyboard.press('End');
  };
  await open();
  const lost = { tab: 0, server: 0, pads: 0 };
  const ends = { tab: 0, server: 0, pads: 0 };
  const wrong = [];
  /** What the line holds, and when each of its letters was typed. */
  let typed = [];
  let counter = 0;
  const shown = () =>
    page.evaluate(() => {
      const line = document.querySelector('.cm-line').cloneNode(true);
      for (const margin of line.querySelectorAll('.margin')) margin.remove();
      return line.textContent.slice(2);
    });
  for (let round = 0; round < rounds; round++) {
    const what = ['tab', 'server', 'pads'][random(3)];
    const at = 3 + random(12);
    let ended = 0;
    let restarted = Promise.resolve();
    for (let key = 0; key < 18; key++) {
      if (key === at) {
        ended = Date.now();
        ends[what]++;
        if (what === 'server') {
          server.kill('SIGKILL');
          restarted = new Promise((resolve) => server.once('exit', resolve)).then(start);
        } else if (what === 'pads') spawnSync('pkill', ['-KILL', '-P', String(server.pid)]);
        else break;
      }
      const letter = (counter++ % 36).toString(36);
      // The letter is there when the key is down: what happens to it from then on is counted.
      await page.keyboard.press(letter);
      typed.push({ letter, at: Date.now() });
    }
    if (what === 'tab') {
      const session = await context.newCDPSession(page);
      session.send('Page.crash').catch(() => undefined);
      ended = Date.now();
      await new Promise((resolve) => setTimeout(resolve, 150));
      await page.close().catch(() => undefined);
      await open();
    }
    await restarted;
    await page.waitForFunction(() => !document.body.textContent.includes('not connected'), undefined, {
      timeout: 30_000,
    });
    await new Promise((resolve) => setTimeout(resolve, 120));
    const text = await shown();
    const whole = typed.map((one) => one.letter).join('');
    const missing = whole.length - text.length;
    if (!whole.startsWith(text)) wrong.push({ round, what, whole: whole.slice(-60), text: text.slice(-60) });
    const old = typed.filter((one) => one.at < ended - GRACE_MS).length;
    if (text.length < old) lost[what] += old - text.length;
    if (missing > 0) typed = typed.slice(0, text.length);
    if (typed.length > 2_000) {
      await page.keyboard.press('Control+a');
      await page.keyboard.type('//');
      typed = [];
    }
  }
  // The same in the file, when it is saved.
  await page.keyboard.press('Control+s');
  await browser.close();
  server.kill('SIGTERM');
  return { rounds, seed, ends, lost, wrong };
}
