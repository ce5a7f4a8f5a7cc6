/** Walking in the window, as a person does it: one key at a failing test, and back to what decided it. */
import { join } from 'node:path';
import { useWorkbench } from './browser.js';

const bench = useWorkbench();

/** The code on which the walk stands. */
async function stands(text: string): Promise<void> {
  await bench.page.locator('.cm-line.walk-here', { hasText: text }).waitFor();
}

const picture = async (name: string): Promise<void> => {
  if (process.env.ANVIL_PICTURES)
    await bench.page.screenshot({ path: join(process.env.ANVIL_PICTURES, `${name}.png`) });
};

test('from the failing discount to the comparison by keys, every value on the way beside its line', async () => {
  await bench.open('tolls/tolls.ts');
  const { page } = bench;
  await page.keyboard.press('Control+Alt+b');
  await page.locator('.walk').waitFor();
  // The assertion compares what tollFor gave: it stands at the last thing that ran before the failure.
  await stands('return passages > 5');
  await page.locator('.walk-error', { hasText: 'AssertionError' }).waitFor();
  await page.locator('.walk-value', { hasText: 'passages = 5' }).waitFor();
  await picture('walk');
  // The keys are the walk's at once.
  await page.keyboard.press('Shift+O');
  await page.locator('.cm-line.walk-way', { hasText: 'return passages > 5' }).waitFor({ state: 'attached' });
  const head = await page.locator('.walk-bar strong').innerText();
  await page.keyboard.press('ArrowRight');
  await page.waitForFunction((before) => document.querySelector('.walk-bar strong')!.textContent !== before, head);
  await page.keyboard.press('ArrowLeft');
  await page.waitForFunction((before) => document.querySelector('.walk-bar strong')!.textContent === before, head);
  await page.keyboard.press('f');
  await stands('return passages > 5');
  // A variable leads to where it got its value, a number to where what is read here comes from.
  await page
    .locator('.walk-columns button', { hasText: /^passages/ })
    .last()
    .click();
  await page.locator('.walk-bar strong', { hasText: 'step' }).waitFor();
  await page.keyboard.press('Escape');
  await page.locator('.walk').waitFor({ state: 'detached' });
  expect(await page.locator('.walk-here').count()).toBe(0);
});

const LOOP = `let total = 0
for (let i = 0; i < 4; i++) {
  const twice = i * 2
  total += twice
}
if (total > 1) throw new Error('too much')
`;

test('an edit keeps the step where one stands, and what is gone is said', async () => {
  await bench.open('loop.mjs', LOOP);
  const { page } = bench;
  await page.keyboard.press('Control+Alt+b');
  await stands('if (total > 1)');
  // The throw, its condition, the last test of the loop.
  for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowUp');
  await stands('total += twice');
  await page.locator('.walk-value', { hasText: 'twice = 6' }).waitFor();
  // A line above is put in: it is the same visit of the same statement in the new run.
  await page.locator('.cm-line', { hasText: 'let total' }).click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('Home');
  await page.keyboard.insertText('const lock = 1\n');
  await page.waitForFunction(() => /of 1[6-9]|of 2\d/.test(document.querySelector('.walk-bar strong')!.textContent));
  await stands('total += twice');
  await page.locator('.walk-value', { hasText: 'twice = 6' }).waitFor();
  await page.locator('.walk-value', { hasText: 'i = 3' }).waitFor();
});

test('the line under the cursor, both ways; frames; a failing test from its list', async () => {
  await bench.open(
    'fares.mjs',
    `import test from 'node:test'
import assert from 'node:assert'
function toll(tonnes) {
  const price = tonnes * 2
  return price
}
test('three tolls', () => {
  const all = [1, 2, 3].map((tonnes) => toll(tonnes))
  assert.deepEqual(all, [2, 4, 7])
})
`,
  );
  const { page } = bench;
  await page.getByRole('tab', { name: /Tests/ }).click();
  await page.locator('.test-failed', { hasText: 'three tolls' }).last().hover();
  await page.locator('.walk-back').click();
  await stands('assert.deepEqual');
  await page.locator('.cm-line', { hasText: 'const price' }).click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('Alt+ArrowUp');
  await stands('const price');
  await page.locator('.walk-columns .changed', { hasText: 'toll' }).first().waitFor();
  await page.locator('.walk-value', { hasText: 'tonnes = 3' }).waitFor();
  await page.locator('.cm-line', { hasText: 'const price' }).click({ position: { x: 4, y: 8 } });
  await page.keyboard.press('Alt+ArrowUp');
  await page.locator('.walk-value', { hasText: 'tonnes = 2' }).waitFor();
  await page.locator('.walk-columns button', { hasText: 'test()' }).click();
  await stands('const all');
  await page.keyboard.press('c');
  await stands('toll(tonnes)');
});

test('a visit from its list; a pixel of a picture, whose call alone is recorded', async () => {
  await bench.open(
    'depth.mjs',
    `import { paint } from 'usher-anvil/pad'
let asked = 0
function depth(x, y) {
  asked++
  const here = x * 10 + y
  const low = here % 7
  return low
}
paint(40, 30, (x, y) => depth(x, y))
for (let i = 0; i < 5; i++) {
  const square = i * i
}
`,
  );
  const { page } = bench;
  await page.locator('.cm-line', { hasText: 'const square' }).locator('.margin').click();
  await page.locator('aside li').nth(3).hover();
  await page.getByLabel('Walk from visit 4').click();
  await stands('const square');
  await page.locator('.walk-columns button', { hasText: /^i 3/ }).waitFor();
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+Alt+5');
  const canvas = page.locator('.pixels canvas');
  const box = (await canvas.boundingBox())!;
  await canvas.dblclick({ position: { x: (box.width * 12.5) / 40, y: (box.height * 7.5) / 30 } });
  await page.locator('.walk-bar', { hasText: 'this call alone was recorded' }).waitFor();
  await picture('pixel');
  await page.locator('.walk-columns button', { hasText: /^x 1[23]/ }).waitFor();
  await page.locator('.walk-columns button', { hasText: /^y [78]/ }).waitFor();
  await stands('return low');
  await page.locator('.walk-value', { hasText: /here = 1[23][78]/ }).waitFor();
  // The code that worked for it stands on one page, with the values of that call; an edit makes it anew.
  const depth = page.getByRole('article', { name: 'depth.mjs depth' });
  const line = (text: string) => depth.locator('.piece-line', { hasText: text });
  await line('const here')
    .filter({ hasText: /here = 1[23][78]/ })
    .waitFor();
  expect(await page.getByRole('region', { name: 'Pieces' }).getByRole('article').count()).toBe(2);
  await line('const low').click();
  await page.keyboard.press('End');
  await page.keyboard.type(' + 100');

  await line('const low')
    .filter({ hasText: /low = 10[0-6]/ })
    .waitFor();
});

const NESTED = `function rate(tonnes) {
  return tonnes > 5 ? 9 : 10
}
function toll(boats) {
  let sum = 0
  for (const tonnes of boats) sum += rate(tonnes) * tonnes
  return sum
}
const all = toll([3, 9])
const more = toll([4])
if (all > 1) throw new Error('too much')
`;

test('the tree of calls: opened, filtered, walked to; what is selected is walked to', async () => {
  await bench.open('nested.mjs', NESTED);
  const { page } = bench;
  await page.keyboard.press('Control+Alt+b');
  await stands('if (all > 1)');
  await page.keyboard.press('t');
  const rows = page.locator('.walk-call code');
  await page.locator('.walk-call', { hasText: 'toll' }).nth(1).waitFor();
  expect(await rows.allInnerTexts()).toEqual(['module', 'toll', 'toll']);
  await page.getByRole('button', { name: 'Open what toll called' }).first().click();
  await page.locator('.walk-call', { hasText: 'rate' }).nth(1).waitFor();
  expect(await rows.allInnerTexts()).toEqual(['module', 'toll', 'rate', 'rate', 'toll']);
  await picture('walk-calls');
  await page.getByRole('button', { name: /^rate/ }).nth(1).click();
  await stands('return tonnes > 5');
  await page.locator('.walk-value', { hasText: 'tonnes = 9' }).waitFor();
  await page.getByLabel('Filter the calls by name or file').fill('RATE');
  await page.locator('.walk-call', { hasText: 'rate' }).nth(2).waitFor();
  await page.waitForFunction(() => document.querySelectorAll('.walk-call').length === 3);
  // Of what is selected the only part that is a step of its own is the 9.
  await page.getByText('tonnes > 5 ? 9 : 10').click();
  await page.evaluate(() => {
    const line = [...document.querySelectorAll('.cm-line')].find((one) => one.textContent!.includes('? 9 : 10'))!;
    const range = document.createRange();
    const walker = document.createTreeWalker(line, NodeFilter.SHOW_TEXT);
    for (let node = walker.nextNode(); node; node = walker.nextNode()) {
      const at = node.textContent!.indexOf('9');
      if (at < 0) continue;
      range.setStart(node, at);
      range.setEnd(node, at + 1);
      break;
    }
    getSelection()!.removeAllRanges();
    getSelection()!.addRange(range);
  });
  const head = await page.locator('.walk-bar strong').innerText();
  await page.keyboard.press('Alt+ArrowDown');
  await page.waitForFunction((before) => document.querySelector('.walk-bar strong')!.textContent !== before, head);
  await page.locator('.walk-value', { hasText: 'tonnes = 9' }).waitFor();
});

const LONG = `let total = 0
function add(by) {
  total += by
  return total
}
for (let i = 0; i < 150_000; i++) add(i)
if (total > 1) throw new Error('too much')
`;

test('of a long run a part is kept, around the failure; one key keeps that around another step', async () => {
  await bench.open('long.mjs', LONG);
  const { page } = bench;
  await page.keyboard.press('Control+Alt+b');
  await stands('if (total > 1)');
  await page.locator('.walk-bar', { hasText: /Of 600,005 steps [\d,]+ to 600,005 are kept/ }).waitFor();
  for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowLeft');
  await page.locator('.walk-bar strong', { hasText: 'step 600,002 of 600,005' }).waitFor();
  await page.keyboard.press('r');
  await page.locator('.walk-bar', { hasText: 'executes once more' }).waitFor();
  await page.locator('.walk-bar', { hasText: /are kept/ }).waitFor();
  await page.locator('.walk-bar strong', { hasText: 'step 600,002 of 600,005' }).waitFor();
  await page.keyboard.press('f');
  await stands('if (total > 1)');
});
