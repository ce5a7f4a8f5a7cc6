import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { useWorkbench } from './browser.js';

const bench = useWorkbench();
let page: Page;
let dir: string;

beforeEach(async () => {
  await bench.open('tolls/tolls.ts');
  ({ page, dir } = bench);
});

/** The text beside a one-based line. */
const beside = (line: number): Promise<string> =>
  page
    .locator('.cm-line')
    .nth(line - 1)
    .locator('.margin')
    .innerText();

/** Replaces the code of the first visible line that holds `search`. */
async function replaceLine(search: string, by: string): Promise<void> {
  await page
    .locator('.cm-line', { hasText: search })
    .first()
    .click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('End');
  await page.keyboard.press('Shift+Home');
  await page.keyboard.insertText(by);
}

test('typing changes values at every keystroke, without saving', async () => {
  expect(await beside(6)).toContain('{ from: 22, to: 5 }');
  await page
    .locator('.cm-line')
    .nth(5)
    .click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('End');
  for (const key of ['Enter', ...'night.from * 2']) await page.keyboard.press(key);
  await page.waitForFunction(
    () => document.querySelectorAll('.cm-line')[6]?.querySelector('.margin')?.textContent === '44',
  );
  await page.keyboard.press('0');
  await page.waitForFunction(
    () => document.querySelectorAll('.cm-line')[6]?.querySelector('.margin')?.textContent === '440',
  );
  expect(await page.getByTestId('saved').innerText()).toBe('unsaved');
  expect(readFileSync(join(dir, 'tolls/tolls.ts'), 'utf8')).not.toContain('night.from * 2');
  expect(bench.complaints).toEqual([]);
});

test('the rail tells what ran, how often, and what failed, in shapes and words', async () => {
  const rail = (words: string) => page.locator(`.rail[aria-label*="${words}"]`);
  await rail('ran 9 times').nth(3).waitFor({ state: 'attached' });
  await page.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 420));
  await rail('never ran').first().waitFor();
  await page.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 9999));
  await page.locator('.rail-failed').waitFor();
  expect(await page.locator('.bad-line .margin .error').innerText()).toBe('received 750, expected 675');
  await rail('parts never ran').first().waitFor({ state: 'attached' });
});

test('an error stands at its line the moment it exists; old values are dimmed; the next good edit clears it', async () => {
  await page
    .locator('.cm-line')
    .nth(5)
    .click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('End');
  await page.keyboard.press('Enter');
  await page.keyboard.insertText('const half = ;');
  await page.waitForSelector('.bad-line .error');
  expect(await page.getByTestId('trouble').innerText()).toBe('1 syntax error');
  expect(await page.locator('.cm-editor').getAttribute('class')).toContain('stale');
  expect(await beside(6)).toContain('{ from: 22, to: 5 }');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.insertText('8 / 2');
  await page.waitForFunction(
    () =>
      !document.querySelector('.cm-editor')!.classList.contains('stale') &&
      document.querySelectorAll('.cm-line')[6]?.querySelector('.margin')?.textContent === '4',
  );
});

test('an error of a text that was not executed goes with it, and the value that it hid is there again', async () => {
  const before = await beside(6);
  await page
    .locator('.cm-line')
    .nth(5)
    .click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('Home');
  await page.keyboard.insertText('const ');
  await page.locator('.cm-line').nth(5).locator('.error').first().waitFor();
  await page.keyboard.press('Control+Home');
  await page.keyboard.insertText('const half = ;\n');
  await page.locator('.cm-line').nth(0).locator('.error').first().waitFor();
  await page
    .locator('.cm-line')
    .nth(6)
    .click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('Home');
  for (let i = 0; i < 'const '.length; i++) await page.keyboard.press('Delete');
  await page.waitForFunction(() => !document.querySelectorAll('.cm-line')[6]!.querySelector('.error'));
  expect(await page.locator('.cm-line').nth(0).locator('.error').count()).toBeGreaterThan(0);
  expect(await page.locator('.cm-editor').getAttribute('class')).toContain('stale');
  expect(await beside(7)).toBe(before);
});

test('a failing test turns when its line is mended, unsaved', async () => {
  expect(await page.getByTestId('trouble').innerText()).toBe('1 of 3 tests failed');
  await page.keyboard.press('F8');
  await page.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 420));
  await page.locator('.cm-line', { hasText: 'return passages' }).waitFor();
  await replaceLine('return passages', 'return passages >= 5 ? 0.9 : 1;');
  await page.locator('.pill.pass', { hasText: '3 tests passed' }).waitFor();
  await page.getByRole('tab', { name: /Tests 3 of 3/ }).click();
  expect(await page.locator('.test-passed').count()).toBe(3);
});

test('saving with the keyboard; a reload brings unsaved text back; a change on disk is asked about', async () => {
  const file = join(dir, 'tolls/tolls.ts');
  await page
    .locator('.cm-line')
    .nth(0)
    .click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('End');
  await page.keyboard.insertText(' kept');
  await page.keyboard.press('Control+s');
  await page.waitForFunction(() => document.querySelector('[data-testid=saved]')!.textContent === 'saved');
  expect(readFileSync(file, 'utf8').split('\n')[0]).toMatch(/ kept$/);
  await page.keyboard.insertText(' again');
  await page.waitForFunction(() => document.querySelector('[data-testid=saved]')!.textContent === 'unsaved');
  await page.reload();
  await page.waitForSelector('.margin');
  expect(await page.locator('.cm-line').nth(0).innerText()).toMatch(/ kept again$/);
  writeFileSync(file, '// from elsewhere\nconst level = 31;\n');
  await page.getByRole('alert').getByText('Keep mine').waitFor();
  expect(await page.locator('.cm-line').nth(0).innerText()).toMatch(/ kept again$/);
  await page.getByRole('alert').getByText("Take the file's text").click();
  await page.waitForFunction(
    () => document.querySelectorAll('.cm-line')[1]?.querySelector('.margin')?.textContent === '31',
  );
});

test('the keyboard alone reaches the commands, the files and the values', async () => {
  await page.keyboard.press('Control+k');
  await page.keyboard.type('broken');
  await page.keyboard.press('Enter');
  // It was merely opened: it runs when it is told to.
  await page.getByTestId('behind').waitFor();
  await page.keyboard.press('Control+Enter');
  await page.waitForFunction(() => document.querySelectorAll('.bad-line').length === 3);
  await page.keyboard.press('Control+k');
  await page.keyboard.type('open tolls/tolls');
  await page.keyboard.press('Enter');
  await page.locator('.margin', { hasText: 'Heron' }).first().waitFor();
  await page
    .locator('.cm-line')
    .nth(6)
    .click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('Control+i');
  await page.locator('aside .card', { hasText: 'Heron' }).waitFor();
  await page.keyboard.press('Control+Alt+t');
  expect(await page.locator('html').getAttribute('data-theme')).toBe('dark');
});

test('nothing a pad prints, throws or computes becomes markup or script', async () => {
  const hostile = '<img src=x onerror="window.hit=1"><script>window.hit=1</script>';
  writeFileSync(
    join(dir, 'tolls/tolls.ts'),
    `const text = '${hostile}';\nconsole.log(text, { [text]: text });\nconsole.table([{ [text]: text }]);\nconst made = class { static name = text };\nnew made();\nPromise.reject(new Error(text));\nthrow Object.assign(new Error(text), { name: text });\n`,
  );
  await page.locator('.row', { hasText: 'onerror' }).first().waitFor();
  await page.getByRole('tab', { name: /Errors/ }).click();
  await page.locator('.row.bad', { hasText: 'onerror' }).first().waitFor();
  await page.locator('.margin').first().click();
  await page.locator('aside .card', { hasText: 'onerror' }).waitFor();
  expect(await page.evaluate(() => (window as unknown as { hit?: number }).hit)).toBeUndefined();
  expect(await page.locator('#root img:not(.cm-widgetBuffer), #root script').count()).toBe(0);
});
