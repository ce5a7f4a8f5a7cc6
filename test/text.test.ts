/** What a person types, in real pages: while servers end, windows are loaded anew, others type, and the disk changes. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { launch } from './browser.js';
import { eventually, folder, wait } from './harness.js';

let browser: Browser;
let server: WorkbenchServer;
let dir: string;
let state: string;
let context: BrowserContext;

beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());
beforeEach(async () => {
  dir = folder({ 'toll.ts': 'const rate = 4;\n' });
  state = folder();
  context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  await start();
});
afterEach(async () => {
  await context.close();
  await server.close();
});

async function start(port?: number, token?: string): Promise<void> {
  server = await startServer({ root: dir, pad: join(dir, 'toll.ts'), state, types: false, port, token });
}

/** Ends the server, and starts it where it was. */
async function restart(between: () => Promise<unknown> = () => Promise.resolve()): Promise<void> {
  const { port, token } = server;
  await server.close();
  await between();
  await start(port, token);
}

/** All pages share what the browser stores. */
async function open(ready = true): Promise<Page> {
  const page = await context.newPage();
  page.setDefaultTimeout(60_000);
  await page.goto(server.url);
  if (ready) await page.waitForSelector('.margin');
  return page;
}

async function toEnd(page: Page): Promise<void> {
  await page.locator('.cm-content').click();
  await page.keyboard.press('Control+End');
}

const textOf = (page: Page): Promise<string> =>
  page.evaluate(() =>
    Array.from(document.querySelectorAll('.cm-line'))
      .map((line) => {
        const copy = line.cloneNode(true) as Element;
        copy.querySelectorAll('.margin').forEach((margin) => margin.remove());
        return copy.textContent;
      })
      .join('\n'),
  );
const connected = async (page: Page): Promise<void> => {
  await wait(400);
  await page.locator('.pill', { hasText: 'not connected' }).waitFor({ state: 'detached' });
};

/** Types while the server is away, and closes the window. */
async function leaveTextBehind(): Promise<void> {
  const page = await open();
  await toEnd(page);
  await server.close();
  await page.locator('.pill', { hasText: 'not connected' }).waitFor();
  await page.keyboard.type('let away = 2;\n');
  await wait(150);
  await page.close();
}

test('two windows that type at the same time end up equal, with all that was typed', async () => {
  const [one, other] = [await open(), await open()];
  await toEnd(one);
  await one.keyboard.type('\n\n');
  await other.waitForFunction(() => document.querySelectorAll('.cm-line').length === 4);
  await toEnd(other);
  await toEnd(one);
  await one.keyboard.press('ArrowUp');
  const typing = async (page: Page, words: string): Promise<void> => {
    for (const letter of words) await page.keyboard.type(letter);
  };
  await Promise.all([typing(one, '// the lock keeper of Wenlow'), typing(other, '// and the one of Heron')]);
  await eventually(async () => (await textOf(one)) === (await textOf(other)));
  expect((await textOf(one)).trim().split('\n')).toEqual([
    'const rate = 4;',
    '',
    '// the lock keeper of Wenlow',
    '// and the one of Heron',
  ]);
});

test('what is typed while the server is away is there when it comes back, in order and once', async () => {
  const page = await open();
  await toEnd(page);
  await page.keyboard.type('let before = 1;\n');
  await restart(async () => {
    await page.locator('.pill', { hasText: 'not connected' }).waitFor();
    await page.keyboard.type('let away = before + 1;\n');
  });
  await page.keyboard.type('let after = away + 1;\n');
  await connected(page);
  await page.locator('.margin', { hasText: /^│? ?3$/ }).waitFor();
  expect((await textOf(page)).trim()).toBe(
    'const rate = 4;\nlet before = 1;\nlet away = before + 1;\nlet after = away + 1;',
  );
});

test('a window that is closed while the server is away has left its text in the browser', async () => {
  const { port, token } = server;
  await leaveTextBehind();
  await start(port, token);
  const again = await open(false);
  await again.getByText('is here again').waitFor();
  await again.locator('.margin', { hasText: '2' }).waitFor();
  expect(await textOf(again)).toBe('const rate = 4;\nlet away = 2;\n');
  // It is told once.
  await wait(300);
  await again.reload();
  await again.waitForSelector('.margin');
  expect(await textOf(again)).toBe('const rate = 4;\nlet away = 2;\n');
});

test('a draft that may be in the file already is asked about', async () => {
  const { port, token } = server;
  await leaveTextBehind();
  writeFileSync(join(dir, 'toll.ts'), 'const rate = 5; // the council\n');
  await start(port, token);
  const again = await open(false);
  await again.getByText('a window was closed').waitFor();
  expect(await textOf(again)).toBe('const rate = 5; // the council\n');
  await again.getByRole('button', { name: 'Put its changes in' }).click();
  await eventually(async () => (await textOf(again)) === 'const rate = 5; // the council\nlet away = 2;\n');
});

test('a conflict with the disk shows both texts; each can be taken', async () => {
  const page = await open();
  await toEnd(page);
  await page.keyboard.type('let mine = 1;\n');
  await wait(100);
  writeFileSync(join(dir, 'toll.ts'), 'const rate = 4;\nlet theirs = 2;\n');
  await page.keyboard.press('Control+s');
  await page.getByRole('button', { name: 'Show both' }).click();
  const dialog = page.getByRole('dialog', { name: "The file's text and yours" });
  await dialog.getByText('let theirs = 2;').waitFor();
  await dialog.getByText('let mine = 1;').waitFor();
  expect(readFileSync(join(dir, 'toll.ts'), 'utf8')).toContain('theirs');
  await dialog.getByRole('button', { name: "Take the file's text" }).click();
  await eventually(async () => (await textOf(page)) === 'const rate = 4;\nlet theirs = 2;\n');
  await page.keyboard.press('Control+z');
  expect(await page.getByRole('alert').count()).toBe(0);
});

test('when it executes: at each edit, when saved, on command; remembered for the file', async () => {
  const page = await open();
  const when = page.getByLabel('When it executes');
  await when.selectOption('save');
  await toEnd(page);
  await page.keyboard.type('rate * 10\n');
  await page.getByTestId('behind').waitFor();
  await page.keyboard.press('Control+s');
  await page.locator('.margin', { hasText: '40' }).waitFor();
  await when.selectOption('command');
  await toEnd(page);
  await page.keyboard.type('rate * 20\n');
  await page.keyboard.press('Control+s');
  await page.getByTestId('saved').getByText('saved', { exact: true }).waitFor();
  expect(await page.locator('.margin', { hasText: '80' }).count()).toBe(0);
  await restart();
  await connected(page);
  await page.getByTestId('behind').waitFor();
  expect(await when.inputValue()).toBe('command');
  await page.keyboard.press('Control+Enter');
  await page.locator('.margin', { hasText: '80' }).waitFor();
  await page.getByTestId('behind').waitFor({ state: 'detached' });
});

test('more than a text can have is not taken, and nothing is lost', async () => {
  const page = await open();
  await toEnd(page);
  await page.keyboard.type('let kept = 1;');
  await page.evaluate(() => {
    const data = new DataTransfer();
    data.setData('text/plain', 'x'.repeat(9_000_000));
    document
      .querySelector('.cm-content')!
      .dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  });
  await page.getByText('8,000,000 characters').waitFor();
  expect(await textOf(page)).toBe('const rate = 4;\nlet kept = 1;');
});
