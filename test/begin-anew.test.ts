/** What runs once is seen when it runs again: a page that is loaded anew says from its first line on what it does. */
import { mkdirSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { launch } from './browser.js';
import { folder, root, start, targetWith } from './harness.js';

let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
});

const FILES = {
  'package.json': '{ "type": "module" }',
  'index.html': '<output></output><script type="module" src="/main.js"></script>',
  'main.js': `import { opened } from './lock.js'

document.querySelector('output').textContent = opened
document.querySelector('output').onclick = () => import('./later.js')
`,
  'later.js': `function late () {
  return 4
}

export const four = late()
`,
  'lock.js': `class Lock {
  #level = 2
  raise (by) {
    this.#level += by
    return this.#level
  }
}

function open (depth) {
  const lock = new Lock()
  const level = lock.raise(depth)
  return 'level ' + level
}

export const opened = open(5)
`,
};

async function served() {
  const dir = folder(FILES);
  mkdirSync(join(dir, 'node_modules'));
  symlinkSync(join(root, 'node_modules/vite'), join(dir, 'node_modules/vite'));
  const env = { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() };
  const vite = join(root, 'node_modules/vite/bin/vite.js');
  const live = start(['live', '--', 'node', vite, '--port', '0', '--host', '127.0.0.1'], { cwd: dir, env });
  const url = await live.until(/http:\/\/127\.0\.0\.1:\d+\//);
  return { live, url, env };
}

test('a function that is called while a page loads shows its values', async () => {
  const { live, url, env } = await served();
  const page = await browser.newPage();
  const wrong: string[] = [];
  page.on('pageerror', (error) => wrong.push(error.message));
  await page.goto(url);
  await page.getByText('level 7').waitFor();
  const name = await targetWith('lock.js', env);
  const workbench = start(['open', name], { env });
  const bench = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await bench.goto(await workbench.until(/http:\S+/));
  await bench.getByLabel('File', { exact: true }).selectOption('lock.js');
  // A file that the page has not loaded is listed as such, and can be opened.
  const idle = bench.locator('optgroup[label="not loaded"] option');
  expect(await idle.allInnerTexts()).toEqual(['later.js']);
  await bench.getByLabel('File', { exact: true }).selectOption('later.js');
  await bench.locator('header .pill', { hasText: 'not loaded' }).waitFor();
  await bench.getByLabel('File', { exact: true }).selectOption('lock.js');
  const line = (text: string) => bench.locator('.cm-line', { hasText: text });
  await line('const level').click();
  await bench.keyboard.press('Control+i');
  await bench.getByText('values of open').waitFor();
  expect(await line('const level').locator('.margin').count()).toBe(0);

  await bench.keyboard.press('Control+Alt+a');
  await line('const level').locator('.margin', { hasText: '7' }).waitFor();
  await line('function open').locator('.margin', { hasText: 'depth 5' }).waitFor();
  await page.getByText('level 7').waitFor();
  expect(wrong).toEqual([]);

  // It is loaded while the page goes on, and moves up.
  await page.getByText('level 7').click();
  await idle.first().waitFor({ state: 'detached' });
  await bench.getByLabel('File', { exact: true }).selectOption('later.js');
  await bench.locator('header .pill', { hasText: 'not loaded' }).waitFor({ state: 'detached' });

  // A page that nobody looks at any more begins as it did.
  await bench.close();
  await page.reload();
  await page.getByText('level 7').waitFor();
  await workbench.end();
  await live.end();
});

test('only a page of the server itself is told what is looked at', async () => {
  const { live, url } = await served();
  const ask = async (path: string, init: RequestInit = {}) => (await fetch(new URL(path, url), init)).status;
  const ours = { 'x-usher-anvil': '1' };
  expect(await ask('/@usher-anvil/looked')).toBe(403);
  expect(await ask('/@usher-anvil/looked', { headers: { ...ours, origin: 'http://lock.example' } })).toBe(403);
  expect(await ask('/@usher-anvil/looked', { headers: ours })).toBe(200);
  expect(await ask('/@usher-anvil/begun', { method: 'POST', headers: ours, body: 'lock' })).toBe(200);
  await expect(
    ask('/@usher-anvil/begun', { method: 'POST', headers: ours, body: 'x'.repeat(1_000_000) }),
  ).rejects.toThrow();
  expect(await ask('/main.js')).toBe(200);
  await live.end();
});
