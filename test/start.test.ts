/** The start page, new pads, and files that are named, moved, deleted and tried: in a real page. */
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { launch } from './browser.js';
import { eventually, folder } from './harness.js';

let browser: Browser;
let server: WorkbenchServer | undefined;
let page: Page;
let dir: string;
let state: string;
const complaints: string[] = [];

beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());
afterEach(async () => {
  await page.close();
  await server?.close();
  expect(complaints.splice(0)).toEqual([]);
});

async function serve(pad?: string): Promise<void> {
  server = await startServer({
    root: dir,
    state,
    start: true,
    types: false,
    ...(pad === undefined ? {} : { pad: join(dir, pad) }),
  });
  page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(60_000);
  page.on('pageerror', (error) => complaints.push(error.message));
  page.on('console', (message) => message.type() === 'error' && complaints.push(message.text()));
  await page.goto(server.url);
  await page.waitForSelector('.cm-content');
}

async function begin(files: Record<string, string> = {}, pad?: string): Promise<void> {
  dir = folder(files);
  state = folder();
  await serve(pad);
}

/** Chooses a command by its words. */
async function command(words: string): Promise<void> {
  await page.keyboard.press('Control+k');
  await page.getByLabel('Search commands').fill(words);
  await page.keyboard.press('Enter');
}

async function answer(name: string): Promise<void> {
  const dialog = page.getByRole('dialog');
  await dialog.locator('input').fill(name);
  await page.keyboard.press('Enter');
  await dialog.waitFor({ state: 'detached' });
}

const margin = (line: number, text: string) =>
  page.waitForFunction(
    ([at, wanted]) => document.querySelectorAll('.cm-line')[at - 1]?.querySelector('.margin')?.textContent === wanted,
    [line, text] as const,
  );
const code = (): Promise<string> => page.locator('.cm-content').innerText();

test('one types on the start page, and reads; nothing is asked, and nothing is written', async () => {
  await begin({ 'lock.ts': 'export const rise = 4\n' });
  await page.getByRole('region', { name: 'Start' }).waitFor();
  await page.keyboard.type("import { rise } from './lock.ts'\nrise * 2\n");
  await margin(2, '8');
  expect(await page.locator('.start').count()).toBe(0);
  expect(await page.getByTestId('saved').innerText()).toBe('untitled');
  expect(existsSync(join(dir, 'untitled-1.ts'))).toBe(false);
  // It is saved where and when the person says.
  await page.keyboard.press('Control+s');
  await answer('sub/tolls.ts');
  await page.waitForFunction(() => document.querySelector('[data-testid=saved]')?.textContent === 'saved');
  expect(readFileSync(join(dir, 'sub/tolls.ts'), 'utf8')).toBe("import { rise } from './lock.ts'\nrise * 2\n");
  // From there its import leads nowhere: it runs as what it is now.
  await page.locator('.margin .error').first().waitFor();
  await page.keyboard.press('Control+Home');
  await page
    .locator('.cm-line')
    .nth(0)
    .click({ position: { x: 220, y: 8 } });
  await page.keyboard.press('Home');
  await page.keyboard.press('Shift+End');
  await page.keyboard.insertText("import { rise } from '../lock.ts'");
  await margin(2, '8');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await page.waitForFunction(() => document.querySelector('.cm-content')!.textContent.includes("from './lock.ts'"));
});

test('what was typed and has no name is there again, also after the tool has ended', async () => {
  await begin();
  await page.keyboard.type('40 + 2\n');
  await margin(1, '42');
  await page.close();
  await server!.close();
  await serve();
  await page
    .locator('.start')
    .getByRole('button', { name: /untitled-1\.ts/ })
    .click();
  await margin(1, '42');
  expect(await page.getByTestId('saved').innerText()).toBe('untitled');
});

test('templates are offered, those of the project first, and found by words', async () => {
  await begin();
  mkdirSync(join(dir, '.usher-anvil/templates'), { recursive: true });
  writeFileSync(join(dir, '.usher-anvil/templates/lock.mjs'), '// A lock of ours\n\nconst rise = 4\nrise + 1\n');
  await page.reload();
  const list = page.getByRole('region', { name: 'New from a template' });
  await list.getByRole('button').first().waitFor();
  expect(await list.getByRole('button').first().innerText()).toMatch(/^lock\s+A lock of ours$/);
  await page.getByLabel('Search templates').fill('lock ours');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await margin(2, '5');
  expect(await code()).not.toContain('A lock of ours');
  // Another, from the list of commands, beside the first.
  await command('new pad from tests');
  await page.locator('.margin .passed').first().waitFor();
  expect(await page.locator('.file-tabs .tab').count()).toBe(2);
});

test('every template runs as it is', async () => {
  await begin();
  const list = page.getByRole('region', { name: 'New from a template' });
  await list.getByRole('button').first().waitFor();
  const names = await list.locator('.name').allInnerTexts();
  const pages = ['page', 'animation', 'component'];
  expect(names).toEqual([
    ...['typescript', 'javascript', 'tests', 'data', 'request', 'drawing'],
    ...pages,
    ...['server', 'extension'],
  ]);
  // What a component needs is added when a person says so: test/pages.test.ts has it.
  for (const name of names.slice(2).filter((one) => one !== 'component')) {
    await command(`new pad from ${name}`);
    await page.locator('.margin').first().waitFor();
    await page.waitForFunction(
      () => document.querySelector('[data-testid=behind]') === null && !document.querySelector('.stale'),
    );
    await page.waitForFunction(
      () => !/running|did not run/.test(document.querySelector('header .pill')?.textContent ?? 'did not run'),
    );
    expect(await page.locator('.margin .error').allInnerTexts()).toEqual([]);
    expect(await page.getByTestId('trouble').count()).toBe(0);
  }
});

test('a file is renamed and moved with its text and undo; a name that is taken is refused, and nothing is lost', async () => {
  await begin({ 'lock.ts': 'const rise = 4\nrise\n', 'other.ts': 'const other = 1\n' }, 'lock.ts');
  await margin(2, '4');
  await page
    .locator('.cm-line')
    .nth(1)
    .click({ position: { x: 10, y: 8 } });
  await page.keyboard.press('End');
  await page.keyboard.type(' + 1');
  await margin(2, '5');
  await command('rename');
  await answer('other.ts');
  await page.getByRole('alert').getByText('E_EXISTS').waitFor();
  expect(readFileSync(join(dir, 'other.ts'), 'utf8')).toBe('const other = 1\n');
  await command('rename');
  await answer('locks/dun.mts');
  await eventually(() => existsSync(join(dir, 'locks/dun.mts')) && !existsSync(join(dir, 'lock.ts')));
  await page.waitForFunction(
    () => (document.querySelector('select.file') as HTMLSelectElement | null)?.value === 'locks/dun.mts',
  );
  // What was not saved is not saved by it.
  expect(readFileSync(join(dir, 'locks/dun.mts'), 'utf8')).toBe('const rise = 4\nrise\n');
  expect(await code()).toContain('rise + 1');
  await page.locator('.cm-content').focus();
  await page.keyboard.press('Control+z');
  await margin(2, '4');
  await command('rename');
  await answer('../outside.ts');
  await page.getByRole('alert').getByText('not below the folder').waitFor();
  expect(existsSync(join(dir, '../outside.ts'))).toBe(false);
});

test('a copy has no name yet, and what is deleted can be put back', async () => {
  await begin({ 'lock.ts': 'const rise = 4\nrise\n' }, 'lock.ts');
  await margin(2, '4');
  await command('a copy of this pad');
  await page.waitForFunction(() =>
    (document.querySelector('select.file') as HTMLSelectElement | null)?.value.startsWith('untitled'),
  );
  await margin(2, '4');
  expect(existsSync(join(dir, 'untitled-1.ts'))).toBe(false);
  await page.locator('.file-tabs').getByRole('button', { name: 'lock.ts', exact: true }).click();
  await page.waitForFunction(() => document.querySelector('[data-testid=saved]')?.textContent === 'saved');
  await command('delete this file');
  await eventually(() => !existsSync(join(dir, 'lock.ts')));
  await page.locator('.start').waitFor();
  await command('put the file back');
  await eventually(() => existsSync(join(dir, 'lock.ts')));
  expect(readFileSync(join(dir, 'lock.ts'), 'utf8')).toBe('const rise = 4\nrise\n');
  await margin(2, '4');
});

test('an example is copied into the folder and runs; it stands among the recent ones with what came of it', async () => {
  await begin();
  await page.getByRole('button', { name: /Toll rules/ }).click();
  await page.getByTestId('trouble').waitFor();
  expect(existsSync(join(dir, 'tolls/fleet.ts'))).toBe(true);
  expect(existsSync(join(dir, 'tolls/example.json'))).toBe(false);
  await page.keyboard.press('Alt+h');
  await page
    .locator('.start')
    .getByRole('button', { name: /tolls\/tolls\.ts.*1 of 3 tests failed/s })
    .waitFor();
});

test('a function of the project is tried in a pad of its own', async () => {
  await begin(
    {
      'lib/tolls.ts':
        'interface Barge { name: string; tonnes: number; cargo?: string }\n' +
        'export function toll({ tonnes }: Barge, night: boolean): number {\n  return tonnes * (night ? 75 : 50)\n}\n' +
        'export const half = (pence: number) => pence / 2\nhalf(850)\nfunction hidden() {}\n' +
        'export default async function (locks: string[]) { return locks.length }\n',
    },
    'lib/tolls.ts',
  );
  const tryLine = async (line: number): Promise<void> => {
    await page.getByLabel('File', { exact: true }).selectOption('lib/tolls.ts');
    await page.locator('.cm-line', { hasText: 'interface Barge' }).waitFor();
    await margin(6, '425');
    await page
      .locator('.cm-line')
      .nth(line - 1)
      .click({ position: { x: 60, y: 8 } });
    await page.keyboard.press('Control+Alt+n');
  };
  await tryLine(3);
  await margin(4, '75');
  expect(await code()).toMatch(/toll of tolls\.ts, with made-up values\n+toll\(\{ name: 'name', tonnes: 1 \}, true\)/);
  await tryLine(5);
  await margin(4, '425');
  await tryLine(8);
  await margin(4, '1');
  await tryLine(7);
  await page.getByRole('alert').getByText('is not exported').waitFor();
});
