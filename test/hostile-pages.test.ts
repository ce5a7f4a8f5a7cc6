/** Pages that try to reach what is not theirs: the workbench goes on, and so does the pad at its next edit. */
import { symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { launch } from './browser.js';
import { eventually, folder } from './harness.js';
import { HOSTILE_PAGES } from './hostile/pages.js';

let browser: Browser;
let server: WorkbenchServer;
let page: Page;
const outside = folder({ 'secret.txt': 'SECRET' });
const dir = folder({ 'pad.ts': "document.body.append('begin')\n", '.env': 'SECRET' });

beforeAll(async () => {
  symlinkSync(join(outside, 'secret.txt'), join(dir, 'link.txt'));
  writeFileSync(join(dir, '..', 'secret.txt'), 'SECRET');
  browser = await launch();
  server = await startServer({ ownPads: true, root: dir, pad: join(dir, 'pad.ts'), state: folder(), types: false });
  page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(20_000);
  await page.goto(server.url);
});
afterAll(async () => {
  await browser.close();
  await server.close();
});

const seen = () => page.frameLocator('section[aria-label=Page] iframe').frameLocator('iframe.shown');

/** In the pad's text the word is not to be found. */
const REACHED = "const reached = (...what: unknown[]) => console.log('REA' + 'CHED', ...what)\n";

async function write(text: string): Promise<void> {
  await page.locator('.cm-content').click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText(text);
}

test.each(HOSTILE_PAGES)('$name', async ({ name, code, ends }) => {
  await write(`${REACHED}${code.replaceAll('PORT', String(server.port))}\n${ends ? '' : `console.log('end of it')\n`}`);
  if (ends) await page.waitForTimeout(1_000);
  else await page.getByText('end of it', { exact: true }).first().waitFor();
  await page.waitForTimeout(200);
  // The window is what it was, nothing was opened beside it, and nothing was reached.
  expect(page.url()).toBe(server.url);
  expect(page.context().pages()).toHaveLength(1);
  expect(await page.evaluate(() => (window as unknown as { x?: unknown }).x)).toBeUndefined();
  expect(await page.getByText(/REACHED/).count()).toBe(0);
  expect(await page.locator('img[src="x"]').count()).toBe(0);
  // The next edit is executed, where it is typed.
  await write(`document.body.append(${JSON.stringify(`after ${name}`)})\n`);
  await eventually(
    async () =>
      (
        await seen()
          .locator('body')
          .textContent({ timeout: 300 })
          .catch(() => '')
      )?.includes(`after ${name}`),
    15_000,
  );
});
