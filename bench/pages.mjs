// A page beside its code in a real Chromium: from a key to what is painted in the page, and frames of an animation that is patched.
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { launchChromium } from '../scripts/chromium.mjs';
import { startServer } from '../dist/server/server.js';

const LEVELS = Array.from({ length: 92 }, (_, i) => `const level${i} = (by) => by * ${i} + level`).join('\n');
const PAGE = `const level = 1
const sign = document.createElement('p')
sign.textContent = level
document.body.append(sign)
requestAnimationFrame(() => {
  const { port1, port2 } = new MessageChannel()
  port1.onmessage = () => (document.body.dataset.painted = level + ' ' + (performance.timeOrigin + performance.now()))
  port2.postMessage(0)
})
${LEVELS}
`;
const ANIMATION = `const canvas = document.createElement('canvas')
document.body.append(canvas)
const pen = canvas.getContext('2d')
let frames = 0
function barge(at) {
  pen.clearRect(0, 0, 300, 150)
  pen.fillRect(at % 300, 60, 40, 10)
  return 1
}
function frame() {
  frames++
  barge(frames)
  document.body.dataset.frames = frames
  requestAnimationFrame(frame)
}
frame()
${LEVELS.replaceAll('+ level', '+ 1')}
`;

async function withPage(text, measure) {
  const root = mkdtempSync(join(tmpdir(), 'anvil-bench-'));
  writeFileSync(join(root, 'page.js'), text);
  const state = mkdtempSync(join(tmpdir(), 'anvil-bench-'));
  const server = await startServer({ ownPads: true, root, pad: join(root, 'page.js'), state, types: false });
  const browser = await launchChromium();
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(server.url);
    const seen = page.frameLocator('section[aria-label=Page] iframe').frameLocator('iframe.shown');
    await seen.locator('body').waitFor();
    await page.waitForTimeout(1_000);
    return await measure(page, seen);
  } finally {
    await browser.close();
    await server.close();
  }
}

/** Milliseconds from a key to the frame of the page that shows what was typed. */
export function keysToPage(count) {
  return withPage(PAGE, async (page, seen) => {
    await page.evaluate(() => {
      window.addEventListener('keydown', () => (window.pressed = performance.timeOrigin + performance.now()), true);
    });
    await page.locator('.cm-line').first().click();
    await page.keyboard.press('End');
    const times = [];
    let level = '1';
    for (let i = 0; i < count; i++) {
      const key = i % 2 === 1 ? 'Backspace' : String((i * 7) % 9 || 1);
      level = key === 'Backspace' ? level.slice(0, -1) : level + key;
      await page.keyboard.press(key);
      const pressed = await page.evaluate(() => window.pressed);
      for (let tries = 0; tries < 200; tries++) {
        const [shown, at] = (
          (await seen
            .locator('body')
            .getAttribute('data-painted')
            .catch(() => '')) ?? ''
        ).split(' ');
        if (shown === level && Number(at) > pressed) {
          times.push(Number(at) - pressed);
          break;
        }
        await page.waitForTimeout(10);
      }
      await page.waitForTimeout(120);
    }
    return times.slice(10);
  });
}

/** Frames of an animation that is patched four times a second, as a part of those of one that is left alone. */
export function patchedFrames(ms) {
  return withPage(ANIMATION, async (page, seen) => {
    await page.getByLabel('keep its state').check();
    await page.waitForTimeout(1_500);
    const frames = async () => Number(await seen.locator('body').getAttribute('data-frames'));
    await page.locator('.cm-line', { hasText: 'return 1' }).click();
    await page.keyboard.press('End');
    const count = async (typing) => {
      const [first, began] = [await frames(), Date.now()];
      for (let i = 0; Date.now() - began < ms; i++) {
        if (typing) await page.keyboard.press(i % 2 === 1 ? 'Backspace' : '7');
        await page.waitForTimeout(250);
      }
      return ((await frames()) - first) / (Date.now() - began);
    };
    const alone = await count(false);
    const patched = await count(true);
    return { rate: alone * 1_000, ratio: patched / alone };
  });
}
