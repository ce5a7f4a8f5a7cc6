/** Entry points in the window: a route is picked, its code stands on one page, a rule is changed, the answer changes. */
import { cpSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { targets } from '#dist/server/targets.js';
import { launch } from './browser.js';
import { cli, eventually, folder, root, start, wait } from './harness.js';

let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());

const running: ReturnType<typeof start>[] = [];
const complaints: string[] = [];
afterEach(async () => {
  for (const context of browser.contexts()) await context.close();
  for (const one of running.splice(0).reverse()) await one.end();
  expect(complaints.splice(0).filter((text) => !/WebSocket connection/.test(text))).toEqual([]);
});

async function begin() {
  const dir = folder();
  cpSync(join(root, 'examples/lock-house'), dir, { recursive: true });
  const at = join(folder(), 'targets');
  const env = { USHER_ANVIL_TARGETS: at, XDG_STATE_HOME: folder() };
  const live = start(['live', 'server.ts', '--name', 'lock-house'], { cwd: dir, env });
  running.push(live);
  await eventually(() => targets(at).length > 0 && /http:\S+\/locks/.test(live.text));
  const site = /http:\S+(?=\/locks)/.exec(live.text)![0];
  const opened = start(['open', 'lock-house'], { cwd: dir, env });
  running.push(opened);
  await eventually(() => /http:\S+/.test(opened.text));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(60_000);
  page.on('pageerror', (error) => complaints.push(error.message));
  page.on('console', (message) => message.type() === 'error' && complaints.push(message.text()));
  await page.goto(/http:\S+/.exec(opened.text)![0]);
  await page.waitForSelector('.cm-line');
  await page.keyboard.press('Control+Alt+s');
  await page.getByRole('navigation', { name: 'Entry points' }).waitFor();
  const piece = (name: string) => page.getByRole('article', { name, exact: true });
  const pick = (name: string) =>
    page.getByRole('button', { name: new RegExp(`^${name.replace(/[/:]/g, '\\$&')}`) }).click();
  const entries = () => cli(['entries', 'lock-house'], { cwd: dir, env: { ...env, NO_COLOR: '1' } }).stdout;
  return { dir, site, page, piece, pick, entries };
}

test('a route, its functions on one page, a rule that changes, and the answer at its end', async () => {
  const { dir, site, page, piece, pick, entries } = await begin();
  // Registered, and not called yet.
  await page
    .getByRole('button', { name: /GET \/profile/ })
    .filter({ hasText: 'not yet' })
    .waitFor();
  for (const name of ['Heron', 'Teal']) await fetch(`${site}/tolls/${name}`);
  await page
    .getByRole('button', { name: /GET \/tolls\/:name/ })
    .filter({ hasText: '2' })
    .waitFor();
  await pick('GET /tolls/:name');
  await piece('rules/tolls.ts discount').waitFor();
  const answer = page.frameLocator('iframe.answer-page');
  await answer.getByText('to pay: 531').waitFor();
  // Values of this request alone, at their lines.
  const line = piece('rules/tolls.ts discount').locator('.piece-line').nth(1);
  expect(await line.textContent()).toMatch(/base \* 0\.1 : 0;59 ×2$/);
  await page.locator('.exchange', { hasText: 'templates/page.html' }).waitFor();
  // Layers are switched off.
  const before = await page.locator('article.piece').count();
  await page.getByRole('checkbox', { name: 'templates' }).uncheck();
  await page.getByRole('checkbox', { name: 'routing' }).uncheck();
  expect(await page.locator('article.piece').count()).toBe(before - 8);
  await page.getByText('9 pieces of layers that are switched off').waitFor();
  // A piece is a window on its file.
  await line.click();
  const editor = piece('rules/tolls.ts discount').locator('.cm-content');
  await editor.waitFor();
  expect(await editor.locator('.cm-line').count()).toBe(3);
  await page.keyboard.press('End');
  for (let i = 0; i < ' : 0;'.length; i++) await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('Backspace');
  await page.keyboard.type('2');
  await answer.locator('mark', { hasText: 'to pay: 472' }).waitFor();
  expect(await answer.locator('mark').allTextContents()).toEqual(['own yard: -118', 'to pay: 472']);
  await eventually(async () => /118/.test((await editor.textContent()) ?? ''));
  // What a person does stays inside of the piece.
  await page.keyboard.press('Control+End');
  await page.keyboard.type('// end');
  await page.keyboard.press('Control+s');
  await eventually(() => readFileSync(join(dir, 'rules/tolls.ts'), 'utf8').includes('base * 0.2 : 0;\n}// end\n'));
  await page
    .getByRole('status')
    .filter({ hasText: /^saved$/ })
    .waitFor();
  // A text that it read is edited where it stands, and the answer follows when it is saved.
  await page.getByRole('checkbox', { name: 'templates' }).check();
  const text = page.locator('.exchange', { hasText: 'templates/page.html' });
  await text.getByRole('button', { name: 'Edit' }).click();

  await text.locator('.cm-line', { hasText: '<h1>{title}' }).click();
  await page.keyboard.press('Home');
  await page.keyboard.type('  <p>The office closes at five.</p>');
  await page.keyboard.press('Control+s');
  await answer.locator('mark', { hasText: 'The office closes at five.' }).waitFor();
  await text.getByRole('button', { name: 'Done' }).click();
  await text.locator('.cm-content').waitFor({ state: 'detached' });
  // The page cannot run anything of ours, nor reach us.
  const frame = page.locator('iframe.answer-page');
  expect(await frame.getAttribute('sandbox')).toBe('');
  expect(await answer.locator('body').evaluate(() => window.origin)).toBe('null');
  // Files again, as they were.
  await page.keyboard.press('Control+Alt+s');
  await page.locator('.files .cm-content').waitFor();
  expect(await page.locator('.files .cm-line').count()).toBeGreaterThan(10);
  // When no window shows it any more, nothing is watched that nobody else has asked for.
  await page.keyboard.press('Control+Alt+s');
  await page.getByRole('navigation', { name: 'Entry points' }).waitFor();
  await page.close();
  await wait(500);
  await fetch(`${site}/tolls/Heron`);
  expect(entries()).toContain('nothing came in since this was first asked');
});

test('one that may change something is asked when a person says so; two requests side by side', async () => {
  const { site, page, piece, pick } = await begin();
  await pick('POST /queue');
  await page.getByText('It may change something').waitFor();
  expect(await (await fetch(`${site}/queue`)).json()).toHaveLength(3);
  await page.getByLabel('Body that is sent').fill('{"name":"Wren","length":9,"cargo":"lime","tonnes":2}');
  await page.getByRole('button', { name: 'Ask', exact: true }).click();
  await piece('data/queue.ts wait').waitFor();
  await page.locator('.answer-node', { hasText: 'waiting: 4' }).last().waitFor();
  expect(await (await fetch(`${site}/queue`)).json()).toHaveLength(4);
  // Another one fills in what a route leaves open.
  await pick('GET /tolls/:name');
  await page.getByText('has parts that nobody has filled in yet').waitFor();
  const path = page.getByLabel('Path that is asked');
  await path.fill('/tolls/Heron?hour=23');
  await page.getByRole('button', { name: 'Ask', exact: true }).click();
  const answer = page.frameLocator('iframe.answer-page');
  await answer.getByText('at night: 517.5').waitFor();
  await path.fill('/tolls/Nobody');
  await page.getByRole('button', { name: 'Ask again' }).click();
  await page.locator('.answer-node', { hasText: 'nothing at /tolls/Nobody' }).last().waitFor();
  await page.locator('.piece.faded', { hasText: 'chargeFor' }).filter({ hasText: 'no longer reached' }).waitFor();
  await page.getByRole('button', { name: 'Lay them side by side' }).click();
  await page.locator('.sides tr', { hasText: 'rules/tolls.ts bill' }).filter({ hasText: 'needed' }).waitFor();
  const parting = page.locator('.sides tr', { hasText: 'server.ts line 15' });
  await parting.waitFor();
  expect(await page.locator('.sides tr', { hasText: 'routes.ts line 34' }).textContent()).toMatch(/undefined.*Heron/);
});
