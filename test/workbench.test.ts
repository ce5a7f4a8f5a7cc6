import type { Page } from 'playwright-core';
import { useWorkbench } from './browser.js';

const bench = useWorkbench();
const { open } = bench;
let page: Page;

/** As the helper, with the page at hand. */
async function openPad(...asked: Parameters<typeof open>): Promise<void> {
  await open(...asked);
  ({ page } = bench);
}

async function cursorTo(line: number): Promise<void> {
  await page.locator('.cm-content').focus();
  await page.keyboard.press('Control+Home');
  for (let i = 1; i < line; i++) await page.keyboard.press('ArrowDown');
}

const margin = (line: number) =>
  page
    .locator('.cm-line')
    .nth(line - 1)
    .locator('.margin');

describe('a value in the inspector', () => {
  const BOATS =
    "const boats = [{ name: 'Heron', cargo: [{ tonnes: 12 }] }, { name: 'Otter', cargo: [] }];\nboats.push({ name: 'Teal', cargo: [] });\nclass Lock { #deep = 3; rise = 8; get half() { return this.rise / 2; } }\nconst dun = new Lock();\n";

  test('opens as a tree by keyboard, to a leaf whose path is copied', async () => {
    await openPad('boats.ts', BOATS);
    await page.context().grantPermissions(['clipboard-read', 'clipboard-write']);
    await cursorTo(1);
    await page.keyboard.press('Control+i');
    await page.getByTitle('Open this value').first().click();
    await page.locator('[role=treeitem]').first().focus();
    for (const key of ['ArrowRight', 'ArrowDown', 'ArrowDown', 'ArrowRight', 'ArrowDown', 'ArrowRight', 'ArrowDown']) {
      await page.keyboard.press(key);
      await page.waitForTimeout(120);
    }
    expect(await page.evaluate(() => document.activeElement?.getAttribute('data-path'))).toBe(
      'boats[0].cargo[0].tonnes',
    );
    await page.keyboard.press('c');
    await page.getByText('Path copied').waitFor();
    expect(await page.evaluate(() => navigator.clipboard.readText())).toBe('boats[0].cargo[0].tonnes');
    await page.keyboard.press('ArrowLeft');
    expect(await page.evaluate(() => document.activeElement?.getAttribute('data-path'))).toBe('boats[0].cargo[0]');
  });

  test('tells what it was then from what it is now, filters, and copies JSON', async () => {
    await openPad('boats.ts', BOATS);
    await page.context().grantPermissions(['clipboard-read', 'clipboard-write']);
    await margin(1).click();
    await page.getByTitle('Open this value').first().click();
    const changed = page.locator('.changed');
    await changed.waitFor();
    expect((await changed.innerText()).match(/Teal/g)).toHaveLength(1);
    await page.getByLabel('Filter by key or text').fill('Otter');
    await page.waitForFunction(() => document.querySelectorAll('[role=treeitem]').length === 1);
    expect(await page.locator('[role=treeitem]').innerText()).toContain('Otter');
    await page.getByRole('button', { name: 'Copy as JSON' }).click();
    await page.getByText('JSON copied').waitFor();
    expect(JSON.parse(await page.evaluate(() => navigator.clipboard.readText()))).toHaveLength(3);
  });

  test('shows private fields, and runs a getter only when asked', async () => {
    await openPad('boats.ts', BOATS);
    await margin(4).click();
    await page.getByTitle('Open this value').first().click();
    await page.locator('.member.private', { hasText: '#deep' }).waitFor();
    const half = page.locator('.member.accessor', { hasText: 'half' });
    expect(await half.innerText()).toContain('run the getter');
    await half.getByRole('button', { name: 'run the getter' }).click();
    await half.getByText('4', { exact: true }).waitFor();
  });

  test('of a million entries opens at once and leads to any of them', async () => {
    await openPad('big.ts', 'const big = Array.from({ length: 1_000_000 }, (_, i) => i * 2);\n');
    await margin(1).click();
    await page.getByTitle('Open this value').first().click();
    await page.locator('[role=treeitem]').nth(99).waitFor({ state: 'attached' });
    await page.getByLabel('Show members from this number on').fill('999990');
    await page.getByLabel('Show members from this number on').press('Enter');
    await page.locator('[role=treeitem]', { hasText: '1999998' }).waitFor();
  });

  test('sorts a table, and draws what fits the value', async () => {
    await openPad(
      'views.ts',
      "const locks = [{ lock: 'Dun', rise: 8.3 }, { lock: 'Alder', rise: 4.2 }, { lock: 'Elm', rise: 7 }];\nconst ink = '#1f5e86';\nconst when = new Date(0);\n",
    );
    await margin(1).click();
    await page.getByTitle('Open this value').first().click();
    const first = page.locator('.table-view tbody tr').first();
    await first.waitFor();
    await page.locator('.table-view').getByRole('button', { name: 'rise' }).click();
    expect(await first.innerText()).toContain('Alder');
    await page.locator('.table-view').getByRole('button', { name: 'rise' }).click();
    expect(await first.innerText()).toContain('Dun');
    await page.getByRole('button', { name: 'Plot', exact: true }).click();
    await page.locator('.opened .plot canvas').waitFor();
    // Away from the code, so that no hover card covers the next value.
    await page.mouse.move(1200, 780);
    await page.locator('.hover-card').waitFor({ state: 'detached' });
    await margin(3).click();
    await page.getByTitle('Open this value').first().click();
    await page.locator('dt', { hasText: 'ISO' }).waitFor();
  });
});

describe('marks in the page', () => {
  test('a table, a curve and the times of visits', async () => {
    await openPad(
      'marks.ts',
      "const locks = [{ lock: 'Dun', rise: 8.3 }, { lock: 'Alder', rise: 4.2 }]; //~ table:\nfor (let i = 0; i < 20; i++) {\n  Math.sqrt(i); //~ plot:\n  locks.slice(); //~ time:\n}\nlocks //~ plit:\n",
    );
    await margin(1).click();
    await page.locator('aside .table-view', { hasText: 'Alder' }).waitFor();
    expect(await margin(3).locator('.spark').count()).toBe(1);
    await margin(3).click();
    await page.locator('aside .plot canvas').first().waitFor();
    // The curve stands in the place it has, and not over what is below.
    const place = (await page.locator('aside .plot').first().boundingBox())!;
    const curve = (await page.locator('aside .plot canvas').first().boundingBox())!;
    expect(curve.y).toBeGreaterThanOrEqual(place.y - 1);
    expect(curve.y + curve.height).toBeLessThanOrEqual(place.y + place.height + 1);
    expect(await margin(4).innerText()).toMatch(/total [\d.]+ ms, median [\d.]+ ms, \d+ % of the run/);
    expect(await margin(6).innerText()).toContain('There is no mark "plit:"');
  });

  test('samples that carry the same numbers become one line per number', async () => {
    await openPad(
      'rows.ts',
      'const rows = [];\nfor (let i = 0; i < 12; i++) {\n  const reading = { upper: 4 - i / 10, lower: i / 5 };\n  rows.push(reading);\n}\n',
    );
    await margin(3).click();
    const legend = page.locator('aside .u-legend');
    await legend.waitFor();
    expect(await legend.innerText()).toMatch(/upper[^]*lower/);
  });
});

describe('the passage log', () => {
  test('is built stage by stage, and the line that breaks is chosen with every value of then', async () => {
    await openPad('passages/passages.ts');
    await cursorTo(22);
    await page.keyboard.press('Control+i');
    const stages = page.locator('aside .stages li');
    await stages.first().waitFor();
    expect((await stages.allInnerTexts()).map((text) => text.split('\n').slice(0, 2))).toEqual([
      ['split()', '4,201 items'],
      ['map()', '4,201 items'],
      ['passages', '4,196 items'],
    ]);
    await page.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 300));
    await page.locator('.cm-line', { hasText: 'const broken' }).locator('.margin', { hasText: /^5$/ }).waitFor();
    await cursorTo(28);
    await page.keyboard.press('Control+i');
    await page.locator('aside .card', { hasText: 'NaN' }).first().waitFor();
    // The call of the broken line is the last visit of parse: its values are those beside the lines then.
    await cursorTo(17);
    await page.keyboard.press('Alt+,');
    await page.getByTestId('as-of').waitFor();
    await page.locator('.cm-line', { hasText: 'let tonnes = 0' }).locator('.margin', { hasText: 'of 8,403' }).waitFor();
    await page.keyboard.press('Alt+e');
    await page.getByTestId('as-of').waitFor({ state: 'detached' });
  });

  test('a hover card shows the value and the stages of its chain', async () => {
    await openPad('passages/passages.ts');
    // By coordinates: bringing a long line into view would scroll the editor sideways.
    const box = (await page.locator('.cm-line', { hasText: 'const passages' }).first().boundingBox())!;
    await page.mouse.move(box.x + 62, box.y + 8);
    await page.mouse.move(box.x + 60, box.y + 10);
    const card = page.locator('.hover-card');
    await card.waitFor();
    await card.getByText('split()').first().waitFor();
  });
});

describe('the tape', () => {
  test('moves values, rail and console to a moment by keys and by pointer, says so, and goes back', async () => {
    await openPad(
      'tape.ts',
      'let level = 0;\nfor (let i = 1; i <= 5; i++) {\n  level += i;\n  console.log(`level ${level}`);\n}\nconst done = level;\n',
    );
    await page.keyboard.press('Control+Alt+4');
    const strip = page.getByRole('slider', { name: 'Moment of the run' });
    await strip.focus();
    await page.keyboard.press('Home');
    await page.getByTestId('as-of').getByText('as of moment 1 of').waitFor();
    expect(await margin(6).count()).toBe(0);
    expect(await page.locator('.rail-never').count()).toBeGreaterThan(2);
    await page.keyboard.press('End');
    await page.getByTestId('as-of').waitFor({ state: 'detached' });
    await cursorTo(3);
    for (let i = 0; i < 3; i++) {
      await page.keyboard.press('Alt+,');
      await page.waitForTimeout(120);
    }
    await margin(3).getByText('6').waitFor();
    expect(await margin(3).innerText()).toContain('3 of 5');
    await page.keyboard.press('Control+Alt+1');
    await page.waitForFunction(() => document.querySelectorAll('.row').length === 2);
    await page.keyboard.press('Control+Alt+4');
    const box = (await strip.boundingBox())!;
    await page.mouse.click(box.x + box.width - 2, box.y + 30);
    await margin(6).getByText('15').waitFor();
  });
});

describe('the console', () => {
  test('groups equal lines, filters by text and level, opens arguments, leads to the moment', async () => {
    await openPad(
      'console.ts',
      "for (let i = 0; i < 4; i++) console.log('same');\nconsole.warn('low water');\nconsole.log('boat', { name: 'Heron' });\nconst after = 1;\n",
    );
    await page.locator('.times', { hasText: '×4' }).waitFor();
    await page.getByLabel('Filter the console by text').fill('water');
    await page.waitForFunction(() => document.querySelectorAll('.row').length === 1);
    await page.getByLabel('Filter the console by text').fill('');
    await page.getByLabel('Filter the console by level').selectOption('warn');
    await page.waitForFunction(() => document.querySelectorAll('.row').length === 1);
    await page.getByLabel('Filter the console by level').selectOption('');
    await page.locator('.row', { hasText: 'boat' }).getByRole('button', { name: 'open' }).click();
    await page.locator('[role=treeitem]', { hasText: 'Heron' }).waitFor();
    const row = page.locator('.row', { hasText: 'low water' });
    await row.hover();
    await row.locator('.moment').click();
    await page.getByTestId('as-of').waitFor();
    expect(await margin(4).count()).toBe(0);
  });

  test('numbers that go on coming become lines of a plot, live, paused, and exported', async () => {
    await openPad('gauge/gauge.ts');
    await page.getByRole('button', { name: 'Plot these numbers' }).click();
    const legend = page.locator('.stream .u-legend');
    await legend.waitFor();
    for (const name of ['upper', 'chamber', 'lower']) expect(await legend.innerText()).toContain(name);
    const download = page.waitForEvent('download');
    await page.waitForTimeout(1_000);
    await page.getByRole('button', { name: 'Export as CSV' }).click();
    const stream = await (await download).createReadStream();
    let csv = '';
    for await (const part of stream) csv += String(part);
    const lines = csv.trim().split('\n');
    expect(lines[0]).toBe('seconds,upper,chamber,lower');
    expect(lines.length).toBeGreaterThan(15);
    expect(lines[5]!.split(',').map(Number).every(Number.isFinite)).toBe(true);
    await page.getByRole('button', { name: 'Pause' }).click();
    await page.getByRole('button', { name: 'Go on' }).waitFor();
    await page.getByRole('button', { name: 'Back to the lines' }).click();
    await page.locator('.row', { hasText: 'chamber' }).first().waitFor();
  });

  test('a thousand lines a second leave the page quick', async () => {
    await openPad(
      'fast.ts',
      "let n = 0;\nsetInterval(() => { for (let i = 0; i < 10; i++) console.log('level %d flow %d', n++, Math.sin(n / 50)); }, 10);\n",
    );
    await page.getByRole('button', { name: 'Plot these numbers' }).click();
    await page.locator('.stream .u-legend').waitFor();
    await page.waitForTimeout(3_000);
    await page.getByRole('button', { name: 'Pause' }).click();
    // The page answers while the lines come; what was plotted goes on growing in order.
    await page.getByRole('button', { name: 'Go on' }).waitFor();
    await page.keyboard.press('Control+k');
    await page.getByRole('dialog', { name: 'Commands' }).waitFor();
  });
});

describe('what a pad shows', () => {
  test('a painted chart with the depth under the pointer, redrawn at an edit', async () => {
    await openPad('soundings/soundings.ts');
    const canvas = page.locator('.pixels canvas');
    await canvas.waitFor();
    await page.waitForFunction(() => !document.querySelector('[data-testid=pixel]')!.textContent!.includes('finer'));
    await canvas.hover({ position: { x: 120, y: 60 } });
    const before = await page.getByTestId('pixel').innerText();
    expect(before).toMatch(/^x \d+, y \d+: \d+(\.\d+)? rgb\(/);
    const picture = () => canvas.evaluate((element) => (element as HTMLCanvasElement).toDataURL());
    const old = await picture();
    await cursorTo(4);
    await page.keyboard.press('End');
    await page.keyboard.press('ArrowLeft');
    await page.keyboard.insertText('1');
    await page.waitForFunction(
      (text) => (document.querySelector('.pixels canvas') as HTMLCanvasElement).toDataURL() !== text,
      old,
    );
    await page.waitForFunction(() => !document.querySelector('[data-testid=pixel]')!.textContent!.includes('finer'));
    await page.getByLabel('Zoom in').click();
    await page.getByText('200 %').waitFor();
  });

  test('drawings, tables and plots, in the order of the pad', async () => {
    await openPad(
      'shown.ts',
      "import { draw, plot, show, table } from 'usher-anvil/pad';\ndraw(60, 40, (c) => {\n  c.fillStyle = '#ff0000';\n  c.fillRect(0, 0, 60, 40);\n}, 'A red field');\ntable([{ lock: 'Dun', rise: 8.3 }], 'Locks');\nplot([1, 5, 2], 'Levels');\nshow('#1f5e86', 'Ink');\nconst end = 1;\n",
    );
    await page.locator('.shown-card', { hasText: 'Ink' }).waitFor();
    expect(await page.locator('.shown-card h3').allInnerTexts()).toEqual(
      expect.arrayContaining([expect.stringContaining('A red field')]),
    );
    const pixel = await page
      .locator('.shown-card canvas.picture')
      .evaluate((element) => [...(element as HTMLCanvasElement).getContext('2d')!.getImageData(30, 20, 1, 1).data]);
    expect(pixel).toEqual([255, 0, 0, 255]);
    await page.locator('.shown-card .table-view', { hasText: 'Dun' }).waitFor();
    await page.locator('.shown-card .plot canvas').waitFor();
    await page.locator('.shown-card .swatch').waitFor();
  });

  test('markup cannot reach the workbench: SVG with script, handlers, links, and one that is far too large', async () => {
    const hostile =
      '<svg xmlns="http://www.w3.org/2000/svg" onload="parent.hit=1;window.hit=1"><script>window.hit=1;parent.hit=1</script><a href="javascript:window.hit=1"><rect width="9" height="9" onclick="window.hit=1"/></a><image href="http://127.0.0.1:1/x.png" onerror="window.hit=1"/><foreignObject><iframe src="javascript:parent.hit=1"></iframe></foreignObject></svg>';
    await openPad(
      'hostile.ts',
      `import { draw, show, table, plot } from 'usher-anvil/pad';\nconst svg = ${JSON.stringify(hostile)};\nshow(svg, svg);\nshow('<svg>' + '<g>'.repeat(800_000), 'large');\nshow('<svg><broken', 'broken');\ntable([{ [svg]: svg }], svg);\nplot({ [svg]: [1, 2, 3] }, svg);\ndraw(9, 9, (c) => { c.fillText(svg, 1, 1); c.fillStyle = 'url(javascript:window.hit=1)'; (c as any).font = svg; });\nshow('javascript://x/%0awindow.hit=1', 'address');\nconst end = { [svg]: svg };\n`,
    );
    await page.locator('.shown-card img').first().waitFor();
    await page.locator('.shown-card', { hasText: 'cannot be drawn' }).first().waitFor();
    for (const image of await page.locator('.shown-card img').all()) await image.click({ force: true });
    await page.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 0));
    await page.locator('.margin').last().click();
    await page.getByTitle('Open this value').first().click();
    await page.locator('[role=treeitem]').first().waitFor();
    expect(await page.evaluate(() => (window as unknown as { hit?: number }).hit)).toBeUndefined();
    expect(
      await page
        .locator('#root script, #root iframe, #root a[href], #root [onload], #root [onclick], #root foreignObject')
        .count(),
    ).toBe(0);
    expect(
      await page
        .locator('#root img:not(.cm-widgetBuffer)')
        .evaluateAll((images) => images.every((image) => (image as HTMLImageElement).src.startsWith('data:image/'))),
    ).toBe(true);
  });
});

test('every command stands in the list, and keys are told', async () => {
  await openPad('tolls/tolls.ts');
  await page.keyboard.press('Control+k');
  await page.getByLabel('Search commands').fill('visit');
  expect(await page.locator('#command-list').getByRole('option').allInnerTexts()).toHaveLength(2);
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+k');
  await page.getByLabel('Search commands').fill('tape');
  await page.keyboard.press('Enter');
  await page.getByRole('slider', { name: 'Moment of the run' }).waitFor();
});
