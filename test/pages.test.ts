/** Pads that are pages, beside their code in a real browser. */
import { readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, FrameLocator, Page } from 'playwright-core';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { launch } from './browser.js';
import { eventually, folder, root, start } from './harness.js';
import { startSite } from './site.js';

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

const LOCK = `<!doctype html>
<html lang="en">
<head>
<link rel="stylesheet" href="lock.css">
<style>
h1 { color: rgb(1, 2, 3) }
</style>
</head>
<body>
<h1>Alder</h1>
<output>0</output>
<button onclick="fill(5)">Fill</button>
<script>
let level = 20
let frames = 0
function fill(by) {
  level += by
  document.querySelector('output').textContent = level
  console.log('level', level)
}
function frame() {
  frames++
  document.body.dataset.frames = frames
  requestAnimationFrame(frame)
}
frame()
</script>
</body>
</html>
`;

interface Shown {
  dir: string;
  page: Page;
  /** The page as it is seen. */
  seen: FrameLocator;
  complaints: string[];
  margin(line: string): ReturnType<Page['locator']>;
  /** Types behind the end of a line. */
  type(line: string, text: string, back?: number): Promise<void>;
}

async function open(files: Record<string, string>, pad: string): Promise<Shown> {
  const dir = folder(files);
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  server = await startServer({ ownPads: true, root: dir, pad: join(dir, pad), state: folder(), types: false });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(20_000);
  const complaints: string[] = [];
  page.on('pageerror', (error) => complaints.push(error.message));
  await page.goto(server.url);
  const seen = page.frameLocator('section[aria-label=Page] iframe').frameLocator('iframe.shown');
  await seen.locator('body').waitFor();
  return {
    ...{ dir, page, seen, complaints },
    margin: (line) => page.locator('.cm-line', { hasText: line }).locator('.margin'),
    async type(line, text, back = 0) {
      await page.locator('.cm-line', { hasText: line }).first().click();
      await page.keyboard.press('End');
      for (let i = 0; i < back; i++) await page.keyboard.press('ArrowLeft');
      await page.keyboard.type(text);
    },
  };
}

const frames = async (seen: FrameLocator): Promise<number> =>
  Number(await seen.locator('body').getAttribute('data-frames'));

test('values, console and handlers of a page of classic scripts; an edit executes it anew, styles come without that', async () => {
  const { dir, page, seen, margin, type, complaints } = await open(
    { 'lock.html': LOCK, 'lock.css': 'body { margin: 7px }' },
    'lock.html',
  );
  await margin('let level = 20').filter({ hasText: '20' }).waitFor();
  expect(await seen.locator('body').evaluate((body) => getComputedStyle(body).margin)).toBe('7px');
  await seen.getByRole('button', { name: 'Fill' }).click();
  await page.getByText('level 25').waitFor();
  await margin('level += by').filter({ hasText: '25' }).waitFor();
  // A style sheet that is saved, and one that is typed: no frame begins anew.
  const before = await frames(seen);
  writeFileSync(join(dir, 'lock.css'), 'body { margin: 9px }');
  await page.getByLabel('File', { exact: true }).selectOption('lock.html');
  await eventually(async () => (await frames(seen)) > before);
  await type('let level = 20', '0');
  await margin('let level = 200').filter({ hasText: '200' }).waitFor();
  await eventually(
    async () => (await seen.locator('body').evaluate((body) => getComputedStyle(body).margin)) === '9px',
  );
  await seen.getByRole('button', { name: 'Fill' }).click();
  await seen.getByText('205').waitFor();
  expect(complaints).toEqual([]);
});

test('its state is kept by one switch: functions are patched, styles replaced, and frames go on being counted', async () => {
  const { page, seen, type, margin, complaints } = await open({ 'lock.html': LOCK, 'lock.css': '' }, 'lock.html');
  await page.getByLabel('keep its state').check();
  await eventually(async () => (await frames(seen)) > 5);
  await seen.getByRole('button', { name: 'Fill' }).click();
  await seen.getByText('25').waitFor();
  const before = await frames(seen);
  await type('level += by', ' * 2');
  await eventually(async () => {
    await seen.getByRole('button', { name: 'Fill' }).click();
    return Number(await seen.locator('output').textContent()) >= 35;
  });
  // An edit that does not parse on its way, and the styles in the page.
  await type('h1 { color: rgb(1, 2, 3)', '4', 3);
  await eventually(
    async () => (await seen.locator('h1').evaluate((one) => getComputedStyle(one).color)) === 'rgb(1, 2, 34)',
  );
  await margin('level += by * 2').filter({ hasText: /35|45/ }).waitFor();
  expect(await frames(seen)).toBeGreaterThan(before);
  expect(Number(await seen.locator('output').textContent())).toBeGreaterThanOrEqual(35);
  // The elements are others: it begins anew.
  await type('<h1>Alder', ' lock', 5);
  await seen.getByRole('heading', { name: 'Alder lock' }).waitFor();
  expect(complaints).toEqual([]);
});

test('an error stands at its line, and the page is as it was before; one that never ends is ended, and comes back', async () => {
  const { page, seen, type, complaints } = await open(
    {
      'barge.ts':
        "const sign = document.createElement('p')\nsign.textContent = 'Heron'\ndocument.body.append(sign)\nconst [x] = [1]\n",
    },
    'barge.ts',
  );
  await seen.getByText('Heron').waitFor();
  await type('const [x] = [1]', '\nnull.length');
  await page.getByText('as it was before the error').waitFor();
  await page.locator('.margin', { hasText: 'TypeError' }).waitFor();
  expect(await seen.locator('p').allTextContents()).toEqual(['Heron']);
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await page.getByText('as it was before the error').waitFor({ state: 'detached' });
  await page.locator('.cm-line', { hasText: 'const [x] = [1]' }).click();
  await page.keyboard.press('End');
  await page.keyboard.insertText('\nwhile (x) {}');
  await page.getByText('did not come to an end').first().waitFor();
  // The window was never stopped by it; the next edit is executed.
  await page.locator('.cm-line', { hasText: 'while (x) {}' }).click();
  await page.keyboard.press('Shift+Home');
  await page.keyboard.insertText("sign.textContent = 'Teal'");
  await seen.getByText('Teal').waitFor();
  expect(complaints).toEqual([]);
});

test('a component is mounted in the way of its library, from the packages of the project', async () => {
  const text = readFileSync(join(root, 'templates/component.tsx'), 'utf8');
  const { seen, type, margin, complaints } = await open({ 'lock.tsx': text }, 'lock.tsx');
  await seen.getByText('1.4 m').waitFor();
  await seen.getByRole('button', { name: 'Fill' }).click();
  await seen.getByText('1.9 m').waitFor();
  await margin('const [level, setLevel]').filter({ hasText: '1.9' }).waitFor();
  await type('<h1>Alder</h1>', ' of Wenlow', 5);
  await seen.getByRole('heading', { name: 'Alder of Wenlow' }).waitFor();
  expect(complaints).toEqual([]);
});

test('modules, a style sheet and a package that is a script are imported; what only Node has is refused at its line', async () => {
  const { page, seen, type, complaints } = await open(
    {
      'toll.ts': 'export const toll = (tonnes: number): number => tonnes * 2.5\n',
      'sign.css': 'p { color: rgb(9, 9, 9) }',
      'page.ts':
        "import semver from 'semver'\nimport './sign.css'\nimport { toll } from './toll'\nconst p = document.createElement('p')\np.textContent = `${toll(4)} ${semver.valid('1.2.3')}`\ndocument.body.append(p)\n",
    },
    'page.ts',
  );
  await seen.getByText('10 1.2.3').waitFor();
  expect(await seen.locator('p').evaluate((one) => getComputedStyle(one).color)).toBe('rgb(9, 9, 9)');
  await type("import './sign.css'", "\nimport 'node:fs'");
  await page.getByText('is a module of Node, and this is a page').first().waitFor();
  expect(await seen.locator('p').textContent()).toBe('10 1.2.3');
  expect(complaints).toEqual([]);
});

test('in a narrow window the page stands below its code; opened in a window of its own it runs there', async () => {
  const { page, complaints } = await open({ 'lock.html': LOCK, 'lock.css': '' }, 'lock.html');
  await page.setViewportSize({ width: 480, height: 800 });
  const [code, view] = await Promise.all(
    ['.files > .code', 'section[aria-label=Page]'].map(async (one) => (await page.locator(one).boundingBox())!),
  );
  expect(view!.y).toBeGreaterThanOrEqual(code!.y + code!.height - 2);
  expect(view!.x + view!.width).toBeLessThanOrEqual(481);
  const [alone] = await Promise.all([
    page.context().waitForEvent('page'),
    page.getByRole('link', { name: 'Open the page in a window of its own' }).click(),
  ]);
  const seen = alone.frameLocator('iframe.shown');
  await seen.getByRole('button', { name: 'Fill' }).click();
  await page.locator('.margin', { hasText: '25' }).first().waitFor();
  expect(complaints).toEqual([]);
});

test('a site of React without semicolons, as its templates are: executed from its page, and patched with its state kept', async () => {
  const { seen, page, type, margin, complaints } = await open(
    {
      'index.html':
        '<!doctype html>\n<html lang="en">\n<body>\n<div id="root"></div>\n<script type="module" src="/src/main.tsx"></script>\n</body>\n</html>\n',
      'src/main.tsx': `import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import * as parts from './Lock'

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <parts.Frame>
      <parts.default />
    </parts.Frame>
  </StrictMode>,
)
`,
      'src/Lock.tsx': `import { useState, type ReactNode } from 'react'
import sign from './sign.svg'

export function Frame({ children }: { children: ReactNode }) {
  return <main>{children}</main>
}

function Lock() {
  const [level, setLevel] = useState(0)
  return (
    <>
      <img src={sign} alt="sign" />
      <button onClick={() => setLevel((level) => level + 1)}>level {level}</button>
    </>
  )
}

export default Lock
`,
      'src/sign.svg': '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><circle r="4"/></svg>',
    },
    'index.html',
  );
  await seen.getByRole('button', { name: 'level 0' }).click();
  await seen.getByRole('button', { name: 'level 1' }).waitFor();
  expect(await seen.getByRole('img').getAttribute('src')).toMatch(/^data:image\/svg/);
  await page.getByLabel('keep its state').check();
  await seen.getByRole('button', { name: 'level 0' }).click();
  await seen.getByRole('button', { name: 'level 1' }).click();
  await page.getByLabel('File', { exact: true }).selectOption('src/Lock.tsx');
  await type('level {level}</button>', ' m', '</button>'.length);
  await eventually(async () => {
    await seen.getByRole('button').click();
    return /^level [3-9] m$/.test((await seen.getByRole('button').textContent())!);
  });
  await margin('const [level, setLevel]')
    .filter({ hasText: /level \d/ })
    .waitFor();
  expect(complaints).toEqual([]);
});

test('libraries that are scripts are loaded as they stand, before the scripts of the page', async () => {
  const { seen, complaints } = await open(
    {
      'sum.html':
        '<p id="a"></p><p id="b"></p>\n<script src="node_modules/decimal.js/decimal.js"></script>\n<script src="helpers.js"></script>\n<script>\ndocument.getElementById("a").textContent = new Decimal(0.1).plus(0.2)\ndocument.getElementById("b").textContent = double(21)\n</script>\n',
      'helpers.js': 'function double(x) { return x * 2 }\n',
    },
    'sum.html',
  );
  await seen.getByText('0.3').waitFor();
  expect(await seen.locator('#b').textContent()).toBe('42');
  expect(complaints).toEqual([]);
});

test('draw and paint stand on canvases of the page, with all that a canvas can do; the pixel under the pointer is told', async () => {
  const { page, seen, type, complaints } = await open(
    {
      'basin.ts': [
        "import { draw, paint } from 'usher-anvil/pad'",
        'document.body.innerHTML = \'<canvas id="gauge"></canvas>\'',
        'paint(64, 48, (x, y) => x * y, { title: "depth" })',
        'let turn = 0',
        'function beat() {',
        '  turn++',
        "  draw(80, 40, (pen) => { const edge = new Path2D('M0 0h20v20h-20z'); pen.fillStyle = '#d9711f'; pen.fill(edge); pen.fillRect(turn % 60, 20, 20, 20) }, 'gauge')",
        '  requestAnimationFrame(beat)',
        '}',
        'beat()',
        '',
      ].join('\n'),
    },
    'basin.ts',
  );
  const depth = seen.getByLabel('depth');
  await depth.hover({ position: { x: 10.5, y: 20.5 } });
  await page.getByTestId('page-pixel').filter({ hasText: 'x 10, y 20: 200 #' }).waitFor();
  // The one that the page has under that name, and no further one however often it is painted.
  await seen.locator('#gauge').hover({ position: { x: 5.5, y: 5.5 } });
  await page.getByTestId('page-pixel').filter({ hasText: 'x 5, y 5: #d9711f' }).waitFor();
  expect(await seen.locator('canvas').count()).toBe(2);
  await page.mouse.move(300, 300);
  await page.getByTestId('page-pixel').waitFor({ state: 'detached' });
  // The record has it too, as far as it can be held there, and once.
  await page.getByText('Images, patterns and pixels are on the page').waitFor();
  expect(await page.getByLabel('Drawing of 80 by 40 pixels').count()).toBe(1);
  await type('x * y', ' + 1000', 21);
  await depth.hover({ position: { x: 10.5, y: 20.5 } });
  await page.getByTestId('page-pixel').filter({ hasText: 'x 10, y 20: 1200 #' }).waitFor();
  expect(complaints).toEqual([]);
});

test('events of a page that keeps its state are entry points: who was called, with its values', async () => {
  const { page, seen, margin } = await open({ 'lock.html': LOCK }, 'lock.html');
  await margin('let level = 20').filter({ hasText: '20' }).waitFor();
  await page.getByLabel('keep its state').check();
  await seen.getByRole('button', { name: 'Fill' }).waitFor();
  await page.getByRole('button', { name: 'Events' }).click();
  const points = page.getByRole('navigation', { name: 'Entry points' });
  await points.waitFor();
  await eventually(async () => {
    await seen.getByRole('button', { name: 'Fill' }).click();
    return (await points.getByText('click').count()) > 0;
  });
  await points.getByText('click').first().click();
  const pieces = page.getByRole('region', { name: 'What serves' });
  await pieces.getByText('level += by').first().waitFor();
  // Each click that comes from now on is shown with its values.
  const level = Number(await seen.locator('output').innerText());
  await seen.getByRole('button', { name: 'Fill' }).click();
  await pieces.getByText('by 5').waitFor();
  await pieces
    .getByText(String(level + 5), { exact: true })
    .first()
    .waitFor();
});

test('the page of a development server stands beside its code, and is patched there', async () => {
  const site = await startSite(browser, {
    'index.html':
      '<!doctype html><body><output></output><button>Rise</button><script type="module" src="/lock.js"></script></body>',
    'lock.js': `let level = 0
function rise(by) {
  level += by
  document.querySelector('output').textContent = 'level ' + level
}
document.querySelector('button').addEventListener('click', () => rise(2))
rise(3)
`,
  });
  const opened = start(['open', site.target.name], {
    env: { USHER_ANVIL_TARGETS: site.at, XDG_STATE_HOME: folder() },
  });
  try {
    await eventually(() => /http:\S+/.test(opened.text));
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(20_000);
    await page.goto(/http:\S+/.exec(opened.text)![0]);
    await page.getByRole('button', { name: 'Page', exact: true }).click();
    const seen = page.frameLocator('section[aria-label=Page] iframe');
    await seen.getByText('level 3').waitFor();
    await seen.getByRole('button', { name: 'Rise' }).click();
    await seen.getByText('level 5').waitFor();
    await page.locator('.cm-line', { hasText: 'level += by' }).click();
    await page.keyboard.press('End');
    await page.keyboard.type(' * 100');
    await eventually(async () => {
      await seen.getByRole('button', { name: 'Rise' }).click();
      return /level \d*[1-9]\d\d$/.test((await seen.locator('output').textContent()) ?? '');
    });
  } finally {
    await opened.end();
    await site.close();
  }
});
