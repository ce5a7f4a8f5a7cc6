/** What is selected shows its values, and nothing of the program changes by it. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { compile } from '#dist/instrument/compile.js';
import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { eachChild, type Node } from '#dist/syntax/node.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';
import { selectedMark } from '#dist/syntax/selection.js';
import { useWorkbench } from './browser.js';
import { inTurn, root } from './harness.js';

const bench = useWorkbench();

/** Selects a part of a one-based line with the keyboard. */
async function select(page: Page, line: number, part: string): Promise<void> {
  const at = page.locator('.cm-line').nth(line - 1);
  const text = await at.evaluate((element) => {
    const copy = element.cloneNode(true) as HTMLElement;
    copy.querySelectorAll('.margin').forEach((one) => one.remove());
    return copy.textContent;
  });
  await at.click({ position: { x: 3, y: 8 } });
  await page.keyboard.press('Home');
  for (let i = text.indexOf(part); i > 0; i--) await page.keyboard.press('ArrowRight');
  for (let i = part.length; i > 0; i--) await page.keyboard.press('Shift+ArrowRight');
}

const PAD = [
  "const barges = [{ name: 'Heron', tonnes: 18 }, { name: 'Otter', tonnes: 5 }]",
  'const toll = (tonnes: number) => tonnes * 50 + (tonnes > 10 ? 7 : 0)',
  'const all = barges.map((one) => toll(one.tonnes) + one.name.length)',
  'all',
].join('\n');

test('a selected expression shows all its visits; its text stays', async () => {
  await bench.open('toll.ts', PAD);
  const { page } = bench;
  const card = page.locator('.selected-card');
  await select(page, 2, 'tonnes * 50');
  await card.getByText('900').waitFor();
  expect(await card.locator('li').allInnerTexts()).toEqual(['1\n900', '2\n250']);
  await page.keyboard.press('ArrowLeft');
  await card.waitFor({ state: 'detached' });
  // Blanks and parentheses around it are no part of it; a name alone is one too.
  await select(page, 2, ' (tonnes > 10 ? 7 : 0)');
  await card.getByText('evaluated 2 times').waitFor();
  expect(await card.locator('li').allInnerTexts()).toEqual(['1\n7', '2\n0']);
  await select(page, 3, 'one');
  await card.getByText('What is selected is no expression').waitFor();
  expect(await page.getByTestId('saved').innerText()).toBe('saved');
  expect(await page.locator('.cm-line').nth(1).locator('.margin').innerText()).toContain('907 · 250');
});

test('what the run did not come by, or what threw, says so and runs no more', async () => {
  await bench.open('weir.ts', 'const fill = (by: number) => by * 3\nif (Date.now() < 5) fill(2)\n');
  const { page } = bench;
  await select(page, 1, 'by * 3');
  const card = page.locator('.selected-card');
  await card.getByText('The last run has no value of it').waitFor();
  await page.keyboard.press('ArrowLeft');
  await card.waitFor({ state: 'detached' });
});

test('it is put in as a mark, or as a test that passes', async () => {
  await bench.open('toll.ts', PAD);
  const { page } = bench;
  await select(page, 2, 'tonnes * 50');
  await page.locator('.selected-card').getByText('900').waitFor();
  await page.keyboard.press('Alt+m');
  await page.locator('.cm-line', { hasText: '(tonnes * 50) /*~*/' }).waitFor();
  await page.waitForFunction(() =>
    document.querySelectorAll('.cm-line')[1]!.querySelector('.margin')?.textContent?.startsWith('900 · 250'),
  );
  await select(page, 3, 'barges.map((one) => toll(one.tonnes) + one.name.length)');
  await page.locator('.selected-card').getByText('[912, 255]').waitFor();
  await page.keyboard.press('Alt+t');
  await page.locator('.margin .passed').first().waitFor();
  expect(await page.locator('.cm-content').innerText()).toContain('toll(one.tonnes) + one.name.length), [912,255])');
});

describe('whatever is selected', () => {
  const files = [
    'examples/tolls/fleet.ts',
    'examples/passages/passages.ts',
    'examples/lock-house/rules.ts',
    'examples/pilot/barge.ts',
  ];
  const packages = ['csv-parse/lib/sync.js', 'decimal.js/decimal.mjs', 'diff/libesm/diff/base.js'].map((path) =>
    join('node_modules', path),
  );

  test.each([...files, ...packages])('the code of %s is as sound as before', (name) => {
    const file = join(root, name);
    const parsed = parse(readFileSync(file, 'utf8'), { file, packageType: 'module' });
    const outline = outlineOf(parsed);
    const nodes: Node[] = [];
    const visit = (node: Node): void => {
      if (/Expression$|Literal$|Identifier/.test(node.type)) nodes.push(node);
      eachChild(node, visit);
    };
    visit(parsed.program!);
    let reported = 0;
    for (const { start, end } of inTurn(nodes, Math.max(1, Math.floor(nodes.length / 40)))) {
      const selected = { start, end };
      const { code, sites, notes } = compile(outline, { translator: nodeTranslator, selected });
      expect(() => new Function(`return ${code}`)).not.toThrow();
      expect(notes).toEqual([]);
      const has = sites.some((site) => site.mark?.selected);
      if (has) reported++;
      if (has) expect(selectedMark(outline, selected)).toBeDefined();
    }
    expect(reported).toBeGreaterThan(5);
  });
});
