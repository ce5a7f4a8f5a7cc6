import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { useWorkbench } from './browser.js';
import { eventually } from './harness.js';

const bench = useWorkbench();
const { open } = bench;
let page: Page;
let dir: string;

/** As the helper, with the page at hand. */
async function openPad(...asked: Parameters<typeof open>): Promise<void> {
  await open(...asked);
  ({ page, dir } = bench);
}

const line = (n: number) => page.locator('.cm-line').nth(n - 1);
/** Waits until what stands behind a line matches. */
const margin = (n: number, pattern: RegExp, ms = 60_000) =>
  line(n).locator('.margin', { hasText: pattern }).waitFor({ timeout: ms });

async function typeAtEnd(text: string): Promise<void> {
  await page.locator('.cm-content').focus();
  await page.keyboard.press('Control+End');
  await page.keyboard.insertText(text);
}

test('tests: a tree with what failed first, one alone, all again; the difference in the errors', async () => {
  await openPad(
    'rules.ts',
    `import { describe, it, test } from 'node:test';\nimport { deepEqual } from 'node:assert';\ntest('first', () => {});\ndescribe('locks', () => {\n  it('fills', () => {});\n  it('leaks', () => deepEqual({ rise: 4, name: 'Dun' }, { rise: 5, name: 'Dun' }));\n});\n`,
  );
  await page.getByRole('tab', { name: 'Tests 2 of 3' }).click();
  const tree = page.getByRole('tree', { name: 'Tests' });
  await expect(tree.getByRole('treeitem').locator('pre').allTextContents()).resolves.toEqual([
    'locks',
    'leaks',
    'fills',
    'first',
  ]);
  await tree.getByRole('button', { name: 'Fold locks' }).click();
  expect(await tree.getByRole('treeitem').count()).toBe(2);
  await tree.getByRole('button', { name: 'Unfold locks' }).click();
  await tree.getByRole('treeitem').nth(2).hover();
  await tree.getByRole('treeitem').nth(2).getByRole('button', { name: 'Run alone' }).click();
  await page.getByText('One test runs alone.').waitFor();
  await margin(6, /skipped/);
  await page.getByRole('button', { name: 'Run all' }).click();
  await margin(6, /it\.rise: received 4, expected 5/);
  await page.getByRole('tab', { name: /Errors 1/ }).click();
  await expect(page.locator('table.differences td').allTextContents()).resolves.toEqual([
    'it.rise',
    '4',
    '5',
    '1 part is the same',
  ]);
});

test('an error in words, its values, and its path a step away', async () => {
  await openPad(
    'error.ts',
    `const boat: any = { name: 'Otter' };\nfunction weigh() {\n  return boat.cargo.tonnes;\n}\n\nweigh();\n`,
  );
  await margin(3, /boat\.cargo is undefined/);
  await page.getByRole('tab', { name: /Errors 1/ }).click();
  await page
    .getByText("boat = { name: 'Otter' }")
    .or(page.locator('.took-part dd', { hasText: "{ name: 'Otter' }" }))
    .first()
    .waitFor();
  await page
    .getByLabel('Path')
    .getByRole('button', { name: /top level error\.ts:6/ })
    .click();
  await eventually(async () => (await line(6).getAttribute('class'))?.includes('cm-activeLine') || undefined);
});

test('a dial turned is a run; written into the source it stands there', async () => {
  await openPad(
    'dial.ts',
    `import { dial } from 'usher-anvil/pad';\nconst rate = dial('fill rate', 0.4, { min: 0, max: 1, step: 0.1 });\nconst dry = dial('dry', false);\nrate * 10;\n`,
  );
  await margin(4, /^│ 4$|4/);
  await page.getByRole('slider', { name: 'fill rate' }).fill('0.7');
  await margin(4, /7/);
  await page.getByRole('checkbox', { name: 'dry' }).check();
  await margin(3, /true/);
  await page.getByRole('button', { name: 'Write into the source' }).click();
  await eventually(async () => (await line(2).textContent())?.includes("dial('fill rate', 0.7,") || undefined);
  expect(await line(3).textContent()).toContain("dial('dry', true)");
  await page.getByRole('status').filter({ hasText: 'unsaved' }).waitFor();
});

test('a gate is opened by its button, and the pad goes on behind it; an edit before it stays live', async () => {
  await openPad(
    'gate.ts',
    `import { gate } from 'usher-anvil/pad';\nconst query = 'charge 1';\nconst rows = await gate('charge', () => query.length);\nrows + 1;\n`,
  );
  await margin(3, /closed/);
  await page.getByRole('button', { name: 'Open the gate' }).click();
  await margin(4, /9/);
  await typeAtEnd('// more\n');
  await margin(3, /closed; last time done: 8/);
  await page.keyboard.press('Control+Alt+g');
  await margin(4, /9/);
});

test('data is pasted, and the pad runs on it', async () => {
  await openPad('filter.ts', `import { input } from 'usher-anvil/pad';\ninput.lines.length;\n`);
  await margin(2, /no data is there/);
  await page.keyboard.press('Control+Alt+i');
  await page.getByRole('textbox', { name: 'Text that input reads' }).fill('Heron 20\nOtter 5\n');
  await page.keyboard.press('Control+Enter');
  await margin(2, /2 lines, split at/);
  await page.getByRole('button', { name: 'data: pasted text' }).waitFor();
});

test('requests open with headers and body; what is pending is listed, and a timer stopped', async () => {
  await openPad(
    'ask.ts',
    `import { createServer } from 'node:http';\nconst server = createServer((_request, response) => { response.setHeader('content-type', 'application/json'); response.end('{"lock":"<b>Dun</b>"}'); }).listen(0);\nawait new Promise((resolve) => server.once('listening', resolve));\nconst found = await (await fetch(\`http://127.0.0.1:\${(server.address() as any).port}/lock\`)).json();\nserver.closeAllConnections();\nserver.close();\nsetInterval(() => {}, 60000);\n`,
  );
  await page.getByRole('tab', { name: 'Requests 1' }).click();
  await page.locator('.request .link', { hasText: 'GET /lock 200 OK' }).click();
  await page.getByText('content-type: application/json').waitFor();
  await page.locator('.request-details').getByRole('button', { name: 'open' }).click();
  await page.locator('aside [role=treeitem]', { hasText: '<b>Dun</b>' }).first().waitFor();
  await page.getByRole('tab', { name: 'Pending 1' }).click();
  await page.getByRole('button', { name: 'Stop it' }).click();
  await page.getByText('Nothing is pending.').waitFor();
});

test('types are a second, quieter kind, which never takes the place of a value, and can be turned off', async () => {
  await openPad('types.ts', `const rise: string = 4.2;\ninterface Lock {\n  depth: Tides;\n}\nrise;\n`, {
    types: true,
  });
  // Where nothing else stands, it is said; beside a value, on the value's card.
  await margin(3, /^type: Cannot find name 'Tides'/);
  await margin(1, /^4\.2$/);
  const titles = (): Promise<string> =>
    line(1)
      .locator('.margin .item')
      .first()
      .evaluate((one) => (one as HTMLElement).title);
  expect(await titles()).toMatch(/TypeScript 2322: Type 'number' is not assignable/);
  await page.keyboard.press('Control+Alt+y');
  await eventually(async () => (await line(3).locator('.margin').count()) === 0 || undefined);
  expect(await titles()).not.toMatch(/TypeScript/);
  await page.keyboard.press('Control+Alt+y');
  await margin(3, /type: /);
});

test('a package that is not there is one press away, and says so when it cannot come', async () => {
  process.env.npm_config_registry = 'http://127.0.0.1:9/';
  process.env.npm_config_fetch_retries = '0';
  try {
    await openPad('tides.ts', `import { high } from 'wenlow-tides';\nhigh();\n`);
    await page.getByRole('button', { name: 'Add wenlow-tides for this pad' }).first().click();
    await page.getByRole('alert').filter({ hasText: 'E_OFFLINE' }).waitFor({ timeout: 30_000 });
  } finally {
    delete process.env.npm_config_registry;
    delete process.env.npm_config_fetch_retries;
  }
});

test('paste a log, keep a step, see a test fail with its difference, mend it unsaved, and hand over one file', async () => {
  await openPad(
    'log.ts',
    `import { test } from 'node:test';\nimport { deepEqual } from 'node:assert';\nimport { input } from 'usher-anvil/pad';\nconst passages = input.lines.map((line) => line.split(' ')); //~ keep:\nconst heavy = passages.filter(([, tonnes]) => Number(tonnes) > 20).map(([barge]) => barge);\n`,
  );
  await page.keyboard.press('Control+Alt+i');
  await page.getByRole('textbox', { name: 'Text that input reads' }).fill('Heron 20\nOtter 5\nTeal 31\n');
  await page.keyboard.press('Control+Enter');
  await margin(5, /\['Teal'\]/);
  await typeAtEnd(`test('finds the heavy', () => deepEqual(heavy, ['Heron', 'Teal']));\n`);
  await margin(6, /it\[0\]: received nothing, expected 'Heron'/);
  await margin(4, /kept/);
  await page.getByRole('button', { name: /1 kept/ }).waitFor();
  await line(5).click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('Home');
  for (let i = 0; i < `const heavy = passages.filter(([, tonnes]) => Number(tonnes) >`.length; i++)
    await page.keyboard.press('ArrowRight');
  await page.keyboard.insertText('=');
  await margin(6, /✓/);
  expect(readFileSync(join(dir, 'log.ts'), 'utf8')).not.toContain('finds the heavy');
  const download = page.waitForEvent('download');
  await page.keyboard.press('Control+k');
  await page.keyboard.type('one html page');
  await page.keyboard.press('Enter');
  const saved = join(dir, 'handed-over.html');
  await (await download).saveAs(saved);
  expect(existsSync(saved)).toBe(true);
  const html = readFileSync(saved, 'utf8');
  expect(html).toContain('finds the heavy');
  expect(html).not.toMatch(/<script/i);
  const reader = await bench.browser.newPage();
  await reader.goto(`file://${saved}`);
  expect(await reader.locator('table.pad tr').nth(4).textContent()).toContain("['Heron', 'Teal']");
  await reader.close();
});
