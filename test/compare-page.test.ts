/** Ways that a pad compares, in the window: while one of them is written, what differs first. */
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { launch } from './browser.js';
import { folder } from './harness.js';

let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());

let server: WorkbenchServer | undefined;
afterEach(async () => {
  for (const context of browser.contexts()) await context.close();
  await server?.close();
});

const PAD = `import { compare } from 'usher-anvil/pad'
const byAdding = (levels: number[]) => levels.reduce((sum, one) => sum + one, 0)
const byLoop = (levels: number[]) => {
  let sum = 0
  for (const level of levels) sum += level
  return sum
}
const many = (size: number) => Array.from({ length: size }, (_, i) => i % 7)
compare({ byAdding, byLoop }, many(200), { generate: (random) => many(Math.floor(random() * 9)), inputs: [[]] })
`;

test('what differs is told first; mended, both give the same and are timed', async () => {
  const dir = folder({ 'levels.ts': PAD.replace('sum += level', 'sum += level || 1') });
  server = await startServer({ ownPads: true, root: dir, pad: join(dir, 'levels.ts'), state: folder() });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(120_000);
  const complaints: string[] = [];
  page.on('pageerror', (error) => complaints.push(error.message));
  await page.goto(server.url);
  const card = page.getByRole('region', { name: 'byAdding and byLoop' });
  await card.getByText('they give different results').waitFor();
  const text = (await card.locator('pre').textContent())!;
  // The smallest input that shows it: a level of 0.
  expect(text).toMatch(/input +\[0\]\n +byAdding +0\n +byLoop +1/);
  expect(await card.locator('.pale').count()).toBe(1);
  // The call itself says what it does.
  await page.locator('.margin', { hasText: 'compares byAdding, byLoop' }).waitFor();
  await page.locator('.cm-line', { hasText: 'level || 1' }).click();
  await page.keyboard.press('End');
  for (let i = 0; i < ' || 1'.length; i++) await page.keyboard.press('Backspace');
  await card.getByText('both give the same').waitFor();
  await card.locator('.compared-points circle').first().waitFor();
  expect(await card.locator('tbody th').allTextContents()).toEqual(['byAdding', 'byLoop']);
  expect(await card.getByText('they give different results').count()).toBe(0);
  // Handed on as a page that stands alone.
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    card.getByRole('button', { name: 'Export as a page' }).click(),
  ]);
  expect(file.suggestedFilename()).toBe('byAdding and byLoop.html');
  const alone = await browser.newPage();
  const saved = join(folder(), 'compared.html');
  await file.saveAs(saved);
  await alone.goto(`file://${saved}`);
  await alone.getByRole('heading', { name: 'byAdding and byLoop' }).waitFor();
  expect(await alone.locator('pre').textContent()).toMatch(/both give the same for [\d,]+ inputs/);
  expect(await alone.locator('circle.one').count()).toBeGreaterThan(0);
  expect(await alone.locator('script').count()).toBe(0);
  expect(complaints).toEqual([]);
});
