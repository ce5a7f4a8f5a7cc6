// A published pad, opened from a file without a network: until it can be read, and from a key to its value.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { launchChromium } from '../scripts/chromium.mjs';

const cli = fileURLToPath(new URL('../dist/bin/main.js', import.meta.url));
const OPENED = 12;
const KEYS = 25;

/**
 * @param padText makes a pad of so many lines
 * @returns milliseconds from the begin of loading to the first line of code, and from a key to its value, by lines
 */
export async function publishedBench(padText) {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-published-'));
  const browser = await launchChromium();
  try {
    const rows = [];
    for (const lines of [30, 100]) {
      writeFileSync(join(dir, 'pad.ts'), `const typed = 'a';\n${padText(lines, 1)}`);
      const made = spawnSync(process.execPath, [cli, 'publish', 'pad.ts'], { cwd: dir, encoding: 'utf8' });
      const packed = /, (\d+ kB) compressed/.exec(made.stdout)?.[1] ?? made.stderr;
      const address = pathToFileURL(join(dir, 'pad.html')).href;
      const opened = [];
      let page;
      for (let i = 0; i < OPENED; i++) {
        await page?.close();
        page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
        await page.addInitScript(() => {
          const look = () => {
            if (document.querySelector('.cm-line .margin')) window.readAt = performance.now();
            else requestAnimationFrame(look);
          };
          requestAnimationFrame(look);
        });
        await page.goto(address);
        opened.push(await page.waitForFunction(() => window.readAt).then((handle) => handle.jsonValue()));
      }
      // As long as one reads before one types.
      await page.waitForTimeout(1_500);
      await page.locator('.cm-line', { hasText: 'const typed' }).click();
      await page.keyboard.press('End');
      for (const key of ['ArrowLeft', 'ArrowLeft']) await page.keyboard.press(key);
      const keys = [];
      for (let i = 0; i < KEYS; i++) {
        const wanted = `'a${'b'.repeat(i + 1)}'`;
        await page.evaluate((text) => {
          window.took = undefined;
          window.addEventListener(
            'keydown',
            () => {
              const begun = performance.now();
              const margin = () => document.querySelector('.cm-line .margin')?.textContent ?? '';
              const look = new MutationObserver(() => {
                if (!margin().includes(text)) return;
                window.took = performance.now() - begun;
                look.disconnect();
              });
              look.observe(document.body, { subtree: true, childList: true, characterData: true });
            },
            { once: true, capture: true },
          );
        }, wanted);
        await page.keyboard.type('b');
        keys.push(
          await page.waitForFunction(() => window.took, undefined, { timeout: 10_000 }).then((one) => one.jsonValue()),
        );
        await page.waitForTimeout(150);
      }
      rows.push({ lines, packed, opened, first: keys[0], keys: keys.slice(3) });
      await page.close();
    }
    return rows;
  } finally {
    await browser.close();
    rmSync(dir, { recursive: true, force: true });
  }
}
