/** Values are read at any width, by keyboard, and with what a checker of accessibility asks for. */
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Page } from 'playwright-core';
import { useWorkbench } from './browser.js';
import { PADS } from './reading-pads.js';

const bench = useWorkbench();
const WIDTHS = [480, 640, 800, 1280, 1600, 1920, 2560];

/** Values that are cut off at an edge, or do not stand beside their line, and whether values make the code scroll. */
function misplaced(page: Page): Promise<{ outside: string[]; scrolls: boolean; values: number }> {
  return page.evaluate(() => {
    const scroller = document.querySelector('.cm-scroller')!;
    const box = scroller.getBoundingClientRect();
    const margins = Array.from(document.querySelectorAll<HTMLElement>('.cm-line > .margin'));
    const outside = margins.filter((one) => {
      const { left, right, width, top } = one.getBoundingClientRect();
      const line = one.closest('.cm-line')!.getBoundingClientRect();
      const isThin = width < 60 && one.textContent.length > 8;
      return left < box.left || right > box.right + 1 || isThin || Math.abs(top - line.top) > 3;
    });
    const code = Array.from(document.querySelectorAll('.cm-line')).map((line) => {
      const range = document.createRange();
      range.selectNodeContents(line);
      const margin = line.querySelector('.margin');
      if (margin) range.setEndBefore(margin);
      return range.getBoundingClientRect().right;
    });
    const scrolls = scroller.scrollWidth > scroller.clientWidth + 1 && Math.max(...code) <= box.right;
    return { outside: outside.map((one) => one.textContent), scrolls, values: margins.length };
  });
}

describe('at any width', () => {
  test.each(Object.keys(PADS))('the values of %s are in the window', async (name) => {
    await bench.open(name, PADS[name]);
    const { page } = bench;
    for (const width of WIDTHS) {
      await page.setViewportSize({ width, height: 800 });
      await page.waitForFunction((w) => innerWidth === w && !document.querySelector('.stale'), width);
      // Until all is laid out for it.
      await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
      await page.waitForTimeout(60);
      const { outside, scrolls, values } = await misplaced(page);
      expect({ width, outside, scrolls }).toEqual({ width, outside: [], scrolls: false });
      expect(values).toBeGreaterThan(3);
    }
  });

  test('a value that is cut is whole below its line, with one key, and goes with Escape', async () => {
    await bench.open('long.ts', PADS['long.ts']);
    const { page } = bench;
    await page.setViewportSize({ width: 480, height: 800 });
    await page
      .locator('.cm-line')
      .nth(3)
      .click({ position: { x: 20, y: 8 } });
    await page.keyboard.press('Alt+i');
    const below = page.getByRole('region', { name: 'Values of line 4' });
    await below.getByText("note: 'changed by the council'").first().waitFor();
    const { width, x } = (await below.boundingBox())!;
    expect(x + width).toBeLessThanOrEqual(480);
    // It follows the run.
    await page.keyboard.press('Home');
    await page.keyboard.insertText('/* . */ ');
    await page.waitForFunction(() => !document.querySelector('.stale'));
    expect(await below.count()).toBe(1);
    await page.keyboard.press('Escape');
    await below.waitFor({ state: 'detached' });
  });

  test('a long line is whole while the cursor is at its end', async () => {
    await bench.open('long.ts', PADS['long.ts']);
    const { page } = bench;
    const margin = page.locator('.cm-line').nth(2).locator('.margin');
    expect(await margin.evaluate((one) => getComputedStyle(one).opacity)).toBe('1');
    await page
      .locator('.cm-line')
      .nth(2)
      .click({ position: { x: 20, y: 8 } });
    await page.keyboard.press('End');
    await page.waitForFunction(
      () => getComputedStyle(document.querySelectorAll('.cm-line')[2]!.querySelector('.margin')!).opacity === '0',
    );
  });

  test('folded code keeps the value of its first line, and all of them when it is unfolded', async () => {
    await bench.open('fold.ts', 'for (const depth of [1.2, 1.9]) {\n  const cm = depth * 100\n}\nconst after = 7\n');
    const { page } = bench;
    await page.locator('.cm-line', { hasText: 'const cm' }).locator('.margin', { hasText: '120 · 190' }).waitFor();
    await page
      .locator('.cm-line')
      .first()
      .click({ position: { x: 20, y: 8 } });
    await page.keyboard.press('Control+Shift+BracketLeft');
    await page.locator('.cm-foldPlaceholder').waitFor();
    expect(await page.locator('.cm-line', { hasText: 'const cm' }).count()).toBe(0);
    expect(await page.locator('.cm-line').first().locator('.margin').innerText()).toContain('1.2 · 1.9');
    expect((await misplaced(page)).outside).toEqual([]);
    await page.keyboard.press('Control+Shift+BracketRight');
    await page.locator('.cm-line', { hasText: 'const cm' }).locator('.margin', { hasText: '120 · 190' }).waitFor();
  });

  test('the last of ten thousand lines has its value', async () => {
    const text = Array.from({ length: 10_000 }, (_, i) => `const level${i} = ${i} / 7`).join('\n');
    await bench.open('many.ts', `${text}\n`);
    const { page } = bench;
    await page.locator('.cm-scroller').evaluate((one) => one.scrollTo(0, one.scrollHeight));
    await page.waitForFunction(() =>
      Array.from(document.querySelectorAll('.cm-line')).some(
        (line) =>
          line.textContent.includes('level9999 = 9999 / 7') &&
          line.querySelector('.margin')?.textContent === '1428.42…',
      ),
    );
    expect((await misplaced(page)).outside).toEqual([]);
  });
});

describe('panels', () => {
  test('inspector and dock take room only when they have something, and keep the size they are given', async () => {
    await bench.open('short.cjs', PADS['short.cjs']);
    const { page } = bench;
    await page.waitForSelector('.margin');
    expect(await page.locator('aside').count()).toBe(0);
    expect((await page.locator('footer').boundingBox())!.height).toBeLessThan(40);
    await page.keyboard.press('Control+i');
    await page.locator('aside').waitFor();
    const border = page.getByRole('separator', { name: 'Size of the inspector' });
    const before = (await page.locator('aside').boundingBox())!.width;
    await border.focus();
    for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowLeft');
    await page.waitForFunction((w) => document.querySelector('aside')!.getBoundingClientRect().width > w + 60, before);
    await page.getByRole('button', { name: 'Close the inspector' }).click();
    await page.locator('aside').waitFor({ state: 'detached' });
    await page.reload();
    await page.waitForSelector('.margin');
    await page.keyboard.press('Control+i');
    await page.locator('aside').waitFor();
    expect((await page.locator('aside').boundingBox())!.width).toBeGreaterThan(before + 60);
    await page.getByRole('button', { name: 'Give the inspector the window' }).click();
    await page.waitForFunction(() => document.querySelector('aside')!.getBoundingClientRect().width > 1200);
  });

  test('two files stand side by side, each with its values; an edit in one is in the other', async () => {
    await bench.open('short.cjs', PADS['short.cjs']);
    const { page } = bench;
    await page.keyboard.press('Control+Alt+e');
    const second = page.frameLocator('iframe');
    await second.locator('.margin').first().waitFor();
    await page
      .locator('.cm-line')
      .nth(0)
      .click({ position: { x: 20, y: 8 } });
    await page.keyboard.press('End');
    await page.keyboard.insertText(' + 40');
    await second.locator('.cm-line', { hasText: 'const a = 1 + 40' }).locator('.margin', { hasText: '41' }).waitFor();
    await page.keyboard.press('Control+Alt+e');
    await page.locator('iframe').waitFor({ state: 'detached' });
  });

  test('files that were open keep their cursor and what can be undone', async () => {
    await bench.open('short.cjs', PADS['short.cjs']);
    const { page } = bench;
    await page
      .locator('.cm-line')
      .nth(0)
      .click({ position: { x: 20, y: 8 } });
    await page.keyboard.press('End');
    await page.keyboard.type(' + 40');
    await page.getByLabel('File', { exact: true }).selectOption('tolls/tolls.ts');
    await page.locator('.cm-line', { hasText: 'toll rules' }).waitFor();
    await page.locator('.file-tabs').getByRole('button', { name: 'short.cjs', exact: true }).click();
    await page.locator('.cm-line', { hasText: 'const a = 1 + 40' }).waitFor();
    await page.locator('.cm-content').focus();
    await page.keyboard.press('Control+z');
    await page.waitForFunction(
      () =>
        document.querySelector('.cm-line')!.textContent.startsWith('const a = 1') &&
        !document.querySelector('.cm-line')!.textContent.includes('40'),
    );
    // The values of the file are its own.
    await page.waitForFunction(
      () => document.querySelectorAll('.cm-line')[2]!.querySelector('.margin')?.textContent === '4',
    );
  });

  test('lines stand closer where a person wants it', async () => {
    await bench.open('short.cjs', PADS['short.cjs']);
    const { page } = bench;
    const height = async (): Promise<number> => (await page.locator('.cm-line').nth(0).boundingBox())!.height;
    const airy = await height();
    await page.keyboard.press('Control+Alt+l');
    await page.waitForFunction((h) => document.querySelector('.cm-line')!.getBoundingClientRect().height < h - 3, airy);
    expect((await misplaced(page)).outside).toEqual([]);
  });
});

describe('for everybody', () => {
  const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

  /** What the checker holds for serious or worse. */
  async function wrongs(page: Page): Promise<string[]> {
    if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(AXE);
    return page.evaluate(async () => {
      const { axe } = window as unknown as {
        axe: {
          run(options: object): Promise<{
            violations: { id: string; impact: string; nodes: { target: string[]; failureSummary: string }[] }[];
          }>;
        };
      };
      const { violations } = await axe.run({ iframes: false });
      return violations
        .filter(({ impact }) => impact === 'serious' || impact === 'critical')
        .flatMap(({ id, nodes }) =>
          nodes.map(({ target, failureSummary }) => `${id}: ${target.join(' ')}: ${failureSummary}`),
        );
    });
  }

  test.each(['light', 'dark'])('nothing serious in the %s theme', async (theme) => {
    await bench.open('tolls/tolls.ts');
    const { page } = bench;
    if ((await page.locator('html').getAttribute('data-theme')) !== theme) await page.keyboard.press('Control+Alt+t');
    const found: Record<string, string[]> = {};
    found.code = await wrongs(page);
    await page
      .locator('.cm-line')
      .nth(6)
      .click({ position: { x: 20, y: 8 } });
    await page.keyboard.press('Control+i');
    await page.locator('aside .card').first().waitFor();
    await page.locator('aside .open').first().click();
    await page.locator('.tree').first().waitFor();
    found.inspector = await wrongs(page);
    await page.keyboard.press('Alt+i');
    await page.locator('.below').waitFor();
    found.below = await wrongs(page);
    for (const tab of ['errors', 'tests', 'requests', 'pending', 'tape']) {
      await page.locator(`#tab-${tab}`).click();
      found[tab] = await wrongs(page);
    }
    await page.keyboard.press('Control+k');
    await page.getByRole('dialog', { name: 'Commands' }).waitFor();
    found.commands = await wrongs(page);
    await page.getByLabel('Search commands').fill('rename');
    await page.keyboard.press('Enter');
    await page.getByRole('dialog').waitFor();
    found.naming = await wrongs(page);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Alt+h');
    await page.locator('.start .choice').first().waitFor();
    found.start = await wrongs(page);
    expect(found).toEqual(Object.fromEntries(Object.keys(found).map((key) => [key, []])));
  });
});
