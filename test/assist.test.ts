/** Help while one writes: names, types and calls, with the values of the last run. */
import type { Page } from 'playwright-core';
import { useWorkbench } from './browser.js';
import { folder } from './harness.js';
import { registry } from './registry.js';

const bench = useWorkbench();

const PAD = [
  "const barges = [{ name: 'Heron', tonnes: 18 }, { name: 'Otter', tonnes: 5 }]",
  'const first = JSON.parse(\'{"lock":"Dun","gates":2}\')',
  "const text = barges.map((one) => one.name).join(' ')",
  '/** Pence for so many tonnes. @param tonnes of cargo @param night half as much again */',
  'function toll(tonnes: number, night = false) { return tonnes * (night ? 75 : 50) }',
  'toll(3)',
  '',
].join('\n');

async function end(page: Page): Promise<void> {
  await page.locator('.cm-content').focus();
  await page.keyboard.press('Control+End');
}

const names = (page: Page): Promise<string[]> =>
  page.locator('.cm-tooltip-autocomplete li .cm-completionLabel').allInnerTexts();

test('members that the value really has come first, with what they hold; also where no type knows them', async () => {
  await bench.open('toll.ts', PAD, { types: true });
  const { page } = bench;
  await end(page);
  // What the run knows is there before types are loaded.
  await page.keyboard.type('first');
  await page.waitForFunction(() =>
    document.querySelectorAll('.cm-line')[6]?.querySelector('.margin')?.textContent?.includes('gates: 2'),
  );
  await page.keyboard.press('Escape');
  await page.keyboard.type('.');
  // A busy machine may answer when the moment is over: then a person asks again.
  for (let tries = 0; tries < 60 && (await names(page)).length === 0; tries++) {
    await page.waitForTimeout(700);
    if ((await names(page)).length === 0) await page.keyboard.press('Control+ ');
  }
  expect(await names(page)).toEqual(['gates', 'lock']);
  expect(await page.locator('.cm-tooltip-autocomplete li').allInnerTexts()).toEqual(
    expect.arrayContaining([expect.stringContaining("'Dun'")]),
  );
  await page.keyboard.type('lo');
  await page.keyboard.press('Enter');
  await page.waitForFunction(
    () =>
      /first\.lock$/m.test(document.querySelector('.cm-content')!.textContent.replace(/│.*$/, '')) ||
      document.querySelector('.cm-content')!.textContent.includes('first.lock'),
  );
});

test('names, documentation with it, and the call around the cursor', async () => {
  await bench.open('toll.ts', PAD, { types: true });
  const { page } = bench;
  await end(page);
  // Until the checker is there, each key asks anew.
  await expect(
    (async () => {
      for (let i = 0; i < 60; i++) {
        await page.keyboard.type('text.padS');
        await page.waitForTimeout(500);
        if ((await names(page)).includes('padStart')) return true;
        for (let k = 0; k < 9; k++) await page.keyboard.press('Backspace');
      }
      return false;
    })(),
  ).resolves.toBe(true);
  await page.locator('.cm-completionInfo', { hasText: 'padStart(' }).waitFor();
  await page.keyboard.press('Enter');
  await page.keyboard.type('(');
  const call = page.locator('.call-card');
  await call.waitFor();
  expect(await call.locator('strong').innerText()).toBe('maxLength: number');
  await page.keyboard.type('4, ');
  await page.waitForFunction(() => document.querySelector('.call-card strong')?.textContent === 'fillString?: string');
  await page.keyboard.press('Escape');
  await call.waitFor({ state: 'detached' });
});

test('nothing is offered in a comment, in a number, or where nothing was begun', async () => {
  await bench.open('toll.ts', PAD, { types: true });
  const { page } = bench;
  await end(page);
  for (const text of ['// first.', '12', '\n']) {
    await page.keyboard.type(text);
    await page.waitForTimeout(500);
    expect(await names(page)).toEqual([]);
  }
});

test('a package that is not there is offered with its versions, and added when one is chosen', async () => {
  const served = await registry();
  const env = { npm_config_registry: served.url, npm_config_cache: folder(), npm_config_fetch_retries: '0' };
  Object.assign(process.env, env);
  try {
    await bench.open('tide.ts', "import { high } from ''\nhigh()\n");
    const { page } = bench;
    await page.locator('.cm-content').focus();
    await page.keyboard.press('Control+Home');
    for (let i = 0; i < 22; i++) await page.keyboard.press('ArrowRight');
    await page.keyboard.type('wenlow-tides');
    await page.waitForFunction(() =>
      document.querySelector('.cm-tooltip-autocomplete')?.textContent?.includes('0.9.0'),
    );
    expect(await names(page)).toEqual(['wenlow-tides 1.2.3', 'wenlow-tides 0.9.0']);
    // What has just come up takes no key that was meant for the text.
    await page.waitForTimeout(200);
    await page.keyboard.press('Enter');
    await page.waitForFunction(() => document.body.textContent?.includes("'high water'"));
    expect(await page.locator('.cm-line').first().innerText()).toContain("from 'wenlow-tides'");
  } finally {
    for (const name of Object.keys(env)) delete process.env[name];
    served.server.closeAllConnections();
    served.server.close();
  }
});
