/** Single-file components of a framework as pads: shown beside their code, importing each other, mended, published. */
import { cpSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Browser, Page } from 'playwright-core';
import { startServer } from '#dist/server/server.js';
import { launch } from './browser.js';
import { cli, eventually, folder, root } from './harness.js';
import { margin, openPublished } from './publishing.js';

let browser: Browser;
beforeAll(async () => void (browser = await launch()));
afterAll(() => browser.close());

function project(): string {
  const dir = folder();
  cpSync(join(root, 'examples/components'), dir, { recursive: true });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  return dir;
}

/** Waits until a frame of the page shows a text. */
const shows = (page: Page, text: string): Promise<unknown> =>
  eventually(async () => {
    for (const frame of page.frames()) {
      const body = await frame.evaluate('document.body?.innerText ?? ""').catch(() => '');
      if (frame !== page.mainFrame() && String(body).includes(text)) return frame;
    }
    return undefined;
  });

async function typeInstead(page: Page, line: string, text: string): Promise<void> {
  await page.locator('.cm-line', { hasText: line }).first().click();
  await page.keyboard.press('Home');
  await page.keyboard.press('Shift+End');
  await page.keyboard.insertText(text);
}

test('a component is shown, with its values, and shown anew when it or one that it imports changes', async () => {
  const dir = project();
  const server = await startServer({
    ...{ ownPads: true, root: dir, pad: join(dir, 'Lock.svelte'), state: folder(), types: false },
  });
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(20_000);
    await page.goto(server.url);
    await page.getByText('Of this project: Svelte (./svelte.mjs)').waitFor();
    await shows(page, '2.1 m of 4.2 m');
    await margin(page, 'const rise').filter({ hasText: '4.2' }).waitFor();
    await margin(page, 'fill(0.7)').filter({ hasText: '2.0999' }).waitFor();
    await typeInstead(page, 'const rise', '  const rise = 6');
    await shows(page, '2.1 m of 6 m');
    await typeInstead(page, 'const rise', '  const rise = (6');
    await page
      .getByText(/Svelte: .*/)
      .first()
      .waitFor();
    // What was shown stays, and what is mended is shown again.
    await shows(page, '2.1 m of 6 m');
    await typeInstead(page, 'const rise', '  const rise = 7');
    await shows(page, '2.1 m of 7 m');
    await page.close();
  } finally {
    await server.close();
  }
});

test('a published component is shown, and compiled in the page', async () => {
  const dir = project();
  const { code, stderr } = cli(['publish', 'Lock.svelte', '--runs'], { cwd: dir });
  expect({ code, stderr }).toEqual({ code: 0, stderr: '' });
  const page = await openPublished(browser, pathToFileURL(join(dir, 'Lock.html')).href);
  await shows(page, '2.1 m of 4.2 m');
  await typeInstead(page, 'const rise', '  const rise = 6');
  await shows(page, '2.1 m of 6 m');
  await margin(page, 'const rise').filter({ hasText: '6' }).waitFor();
  await page.close();
});

test('a careful window executes nothing of the project to show a component, and says so', async () => {
  const dir = project();
  const server = await startServer({
    ...{ ownPads: true, careful: true, root: dir, pad: join(dir, 'Lock.svelte'), state: folder(), types: false },
  });
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(20_000);
    await page.goto(server.url);
    await page
      .getByText(/is not executed while the pad holds/)
      .first()
      .waitFor();
    await page.close();
  } finally {
    await server.close();
  }
});
