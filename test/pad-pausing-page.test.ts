/** A pad in the workbench that stands still: breakpoints in its rail, its values at the lines, stepped and mended. */
import type { Page } from 'playwright-core';
import { useWorkbench } from './browser.js';
import { eventually } from './harness.js';

const bench = useWorkbench();

const PAD = `import { rateOf } from './rates.ts'
const barges = [{ name: 'Heron', tonnes: 12 }, { name: 'Otter', tonnes: 40 }]
let total = 0
function tollFor(tonnes: number): number {
  const rate = rateOf(tonnes)
  return tonnes * rate
}
for (const barge of barges) {
  const toll = tollFor(barge.tonnes)
  total += toll
}
total
`;
const RATES = 'export const rateOf = (tonnes: number): number => (tonnes > 20 ? 0.25 : 0.5)\n';

/** The text beside a one-based line. */
const beside = (page: Page, line: number): Promise<string> =>
  page
    .locator('.cm-line')
    .nth(line - 1)
    .innerText();

async function toLine(page: Page, line: number): Promise<void> {
  await page
    .locator('.cm-line')
    .nth(line - 1)
    .click({ position: { x: 4, y: 8 } });
}

test('a pad stands at a breakpoint, is asked, stepped and mended, and comes to its end', async () => {
  await bench.open('tolls/stands.ts', PAD, { files: { 'tolls/rates.ts': RATES } });
  const { page } = bench;
  await eventually(async () => (await beside(page, 12)).includes('16'));
  await toLine(page, 6);
  await page.keyboard.press('F9');
  const stands = page.getByRole('region', { name: 'Stands still' });
  await stands.waitFor();
  expect(await stands.innerText()).toMatch(/at breakpoint 1[\s\S]*tollFor\s*stands\.ts:6/);
  await eventually(async () => /rate = 0\.5/.test(await beside(page, 6)));
  expect(await page.locator('.cm-breakpoints .breakpoint').count()).toBe(1);
  // In the frame that stands, an imported name as well.
  await page.keyboard.press('Control+Alt+p');
  await page.keyboard.type('rateOf(tonnes + 20) + total');
  await page.keyboard.press('Enter');
  await eventually(async () => /0\.25/.test(await page.locator('footer').innerText()));
  await page.getByRole('tab', { name: 'Stands still' }).click();
  await page.keyboard.press('Alt+F10');
  await eventually(async () => /behind a step/.test(await stands.innerText()));
  await page.keyboard.press('Alt+Shift+F11');
  await eventually(async () => /top level\s*stands\.ts:\d+/.test(await stands.innerText()));
  expect(await stands.innerText()).not.toContain('arguments');
  // What is mended runs anew, and stands again at the statement, which is two lines further down.
  await toLine(page, 4);
  await page.keyboard.press('Home');
  await page.keyboard.insertText('// Empty boats pay nothing.\n\n');
  await eventually(async () => /tollFor\s*stands\.ts:8/.test(await stands.innerText()));
  await toLine(page, 8);
  await page.keyboard.press('F9');
  await page.keyboard.press('Alt+F5');
  await eventually(async () => (await beside(page, 14)).includes('16'));
  expect(await stands.count()).toBe(0);
});

test('no key stands for two commands, of a pad, while it is walked, and while it stands still', async () => {
  await bench.open('tolls/stands.ts', PAD, { files: { 'tolls/rates.ts': RATES } });
  const { page } = bench;
  const shared = async (): Promise<string[]> => {
    await page.keyboard.press('Control+k');
    const keys = await page.locator('.commands kbd').allInnerTexts();
    await page.keyboard.press('Escape');
    expect(keys.length).toBeGreaterThan(20);
    return keys.filter((key, index) => keys.indexOf(key) !== index);
  };
  await eventually(async () => (await beside(page, 12)).includes('16'));
  expect(await shared()).toEqual([]);
  await toLine(page, 10);
  await page.keyboard.press('F9');
  await page.getByRole('region', { name: 'Stands still' }).waitFor();
  expect(await shared()).toEqual([]);
  await page.keyboard.press('F9');
  await page.keyboard.press('Alt+F5');
  await eventually(async () => (await beside(page, 12)).includes('16'));
  await page.keyboard.press('Control+Alt+b');
  await page.locator('.cm-line.walk-here').waitFor();
  await toLine(page, 10);
  expect(await shared()).toEqual([]);
});

test('a breakpoint with a condition stops where that holds', async () => {
  await bench.open('tolls/stands.ts', PAD, { files: { 'tolls/rates.ts': RATES } });
  const { page } = bench;
  await eventually(async () => (await beside(page, 12)).includes('16'));
  await toLine(page, 10);
  await page.keyboard.press('Shift+F9');
  await page.keyboard.type("barge.name === 'Otter'");
  await page.keyboard.press('Enter');
  const stands = page.getByRole('region', { name: 'Stands still' });
  await stands.waitFor();
  await eventually(async () => /toll = 10/.test(await beside(page, 10)));
  expect(await page.locator('.cm-breakpoints .breakpoint.asks').count()).toBe(1);
  await page.keyboard.press('Alt+F5');
  await eventually(async () => (await beside(page, 12)).includes('16'));
});
