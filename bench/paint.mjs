// Keystrokes in a real Chromium: from the key event to the frame that shows the new value.
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { launchChromium } from '../scripts/chromium.mjs';

export async function keystrokes(file, count) {
  // The workbench as a person starts it: a process of its own.
  const cli = fileURLToPath(new URL('../dist/bin/main.js', import.meta.url));
  const server = spawn(process.execPath, [cli, 'open', file], {
    env: { ...process.env, XDG_STATE_HOME: mkdtempSync(join(tmpdir(), 'anvil-bench-')) },
  });
  const url = await new Promise((resolve, reject) => {
    let text = '';
    server.stdout.on('data', (data) => {
      text += data;
      const found = /http:\S+/.exec(text);
      if (found) resolve(found[0]);
    });
    server.once('exit', () => reject(new Error(`the workbench did not start: ${text}`)));
  });
  const browser = await launchChromium();
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(url);
    await page.waitForSelector('.margin');
    await page
      .locator('.cm-line')
      .first()
      .click({ position: { x: 4, y: 8 } });
    await page.keyboard.press('End');
    await page.evaluate(() => {
      window.times = [];
      let pressed = 0;
      window.addEventListener('keydown', () => (pressed = performance.now()), true);
      let shown = '';
      new MutationObserver(() => {
        const now = document.querySelector('.cm-line .margin')?.textContent ?? '';
        const written = document.querySelector('.cm-line')?.textContent ?? '';
        // The value beside `let level = 123` is painted when it is what was written.
        if (now === shown || !written.startsWith(`let level = ${now}`) || pressed === 0) return;
        shown = now;
        const from = pressed;
        pressed = 0;
        requestAnimationFrame(() => {
          const channel = new MessageChannel();
          channel.port1.onmessage = () => window.times.push(performance.now() - from);
          channel.port2.postMessage(0);
        });
      }).observe(document.querySelector('.cm-content'), { childList: true, subtree: true, characterData: true });
    });
    let seen = 0;
    for (let i = 0; i < count; i++) {
      await page.keyboard.press(i % 2 === 1 ? 'Backspace' : String((i * 7) % 9 || 1));
      await page.waitForTimeout(180);
      // On a slow machine the next key would cancel the run: it is pressed when the value is there, or does not come.
      await page
        .waitForFunction((seen) => window.times.length > seen, seen, { timeout: 1_500, polling: 20 })
        .catch(() => undefined);
      seen = await page.evaluate(() => window.times.length);
    }
    const times = await page.evaluate(() => window.times);
    if (times.length < count / 2) throw new Error(`only ${times.length} of ${count} keystrokes were seen`);
    return times.slice(30);
  } finally {
    await browser.close();
    server.kill('SIGTERM');
  }
}
