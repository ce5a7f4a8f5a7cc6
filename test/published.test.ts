/** Published pads in a real Chromium, from a file, without any server; and what strangers put into them. */
import { spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { deflateRawSync } from 'node:zlib';
import type { Browser, Page } from 'playwright-core';
import { launch } from './browser.js';
import { cli, folder, root } from './harness.js';
import { HOSTILE_LINKS, HOSTILE_PUBLISHED } from './hostile/published.js';
import { HOSTILE_PAGES } from './hostile/published-pages.js';
import { complaints, margin, openPublished, publish, serve } from './publishing.js';

let browser: Browser;
let listening: Server;
/** What came to a server that no pad may reach. */
const asked: string[] = [];
let port = 0;
beforeAll(async () => {
  browser = await launch();
  listening = createServer((request, response) => {
    asked.push(request.url ?? '');
    response.setHeader('access-control-allow-origin', '*');
    response.setHeader('content-type', 'text/javascript');
    response.end('export {}');
  });
  await new Promise<void>((done) => listening.listen(0, '127.0.0.1', done));
  ({ port } = listening.address() as AddressInfo);
});
afterAll(async () => {
  await browser.close();
  listening.close();
});

const open = (address: string): Promise<Page> => openPublished(browser, address);

const TOLLS = {
  'tolls.ts': `import { test } from 'node:test'
import { equal } from 'node:assert'
import { dial, input } from 'usher-anvil/pad'
import boats from './boats.json' with { type: 'json' }
import { Barge, Kind } from './barge.ts'
const edge = 5
const rate = dial('rate', 2, { min: 1, max: 9 })
const all = boats.map(({ name }) => new Barge(name))
console.log('passages', input.lines.length, Kind.Slate) //~ from: passages.txt
export function discount(passages: number): number {
  return passages >= edge ? 0.9 : 1
}
test('the discount begins at the fifth passage', () => {
  equal(discount(5), 0.9)
})
`,
  'barge.ts':
    "export enum Kind { Lime = 'lime', Slate = 'slate' }\nexport class Barge {\n  constructor(readonly name: string) {}\n}\n",
  'boats.json': '[{ "name": "Heron" }, { "name": "Otter" }]',
  'passages.txt': 'one\ntwo\nthree',
};

test('a file reads before it runs, runs when its reader says so, and turns with the number that is changed', async () => {
  const { dir, out } = await publish(TOLLS, 'tolls.ts');
  expect(out).toMatch(/^tolls\.html {2}\d+ kB, \d+ kB compressed\n$/);
  const page = await open(pathToFileURL(join(dir, 'tolls.html')).href);
  // The last result of where it came from.
  await margin(page, 'const edge').filter({ hasText: '5' }).waitFor();
  await page.getByText('passages 3 slate').waitFor();
  await page.getByText('Nothing of this pad has run here.').waitFor();
  await page.getByRole('button', { name: 'Run it' }).click();
  await page.getByText('Nothing of this pad has run here.').waitFor({ state: 'detached' });
  await page.getByText(/worker · /).waitFor();
  await margin(page, "test('the discount").filter({ hasText: '✓' }).waitFor();
  await margin(page, 'const all').filter({ hasText: "Barge { name: 'Heron' }" }).waitFor();
  await page.locator('.cm-line', { hasText: 'const edge' }).click();
  await page.keyboard.press('End');
  await page.keyboard.press('Backspace');
  await page.keyboard.type('6');
  await margin(page, 'equal(discount(5)').filter({ hasText: 'received 1, expected 0.9' }).waitFor();
  // A dial, which has the pad execute with another value.
  await page.getByRole('slider', { name: 'rate' }).fill('7');
  await margin(page, 'const rate').filter({ hasText: '7' }).waitFor();
  // Handed back as a link, with the files that it imports: it turns for whoever opens that, in any published page.
  await page.getByRole('button', { name: 'Link' }).click();
  await page.getByText(/The link is in/).waitFor();
  const pilot = await publish({ 'pilot.js': 'const pilot = 1\n' }, 'pilot.js');
  const back = await open(pathToFileURL(join(pilot.dir, 'pilot.html')).href + new URL(page.url()).hash);
  await back.getByText('Nothing of this pad has run here.').waitFor();
  await margin(back, 'equal(discount(5)').filter({ hasText: 'received 1, expected 0.9' }).waitFor();
  await back.getByRole('button', { name: 'Run it' }).click();
  await back.getByText(/worker · /).waitFor();
  await back.getByText('passages 3 slate').waitFor();
  await margin(back, 'equal(discount(5)').filter({ hasText: 'received 1, expected 0.9' }).waitFor();
  await back.close();
  // Walked through from the failure, in the page alone.
  await page.locator('.cm-content').click();
  await page.keyboard.press('Control+Alt+b');
  await page.locator('.walk-error', { hasText: 'AssertionError' }).waitFor();
  await page.locator('.walk-value', { hasText: 'passages = 5' }).waitFor();
  expect(complaints).toEqual([]);
  await page.close();
});

test('what a page cannot have is said at its line; packages come along; a folder stands on any server', async () => {
  const pack = folder();
  mkdirSync(join(pack, 'node_modules/fathom'), { recursive: true });
  writeFileSync(join(pack, 'node_modules/fathom/package.json'), '{"name":"fathom","main":"index.js"}');
  writeFileSync(join(pack, 'node_modules/fathom/index.js'), 'exports.metres = (n) => n * 2\nexports.unit = 3');
  writeFileSync(
    join(pack, 'depth.js'),
    "import { metres } from 'fathom'\nconst deep = metres(21)\nconsole.log('deep', deep)\n",
  );
  writeFileSync(join(pack, 'other.js'), "const level = 4\nconsole.log('other')\n");
  const { code, stderr } = cli(['publish', 'depth.js', 'other.js', '--folder', 'site', '--runs'], { cwd: pack });
  expect({ code, stderr }).toEqual({ code: 0, stderr: '' });
  const { base, close } = await serve(join(pack, 'site'));
  try {
    const page = await open(`${base}/depth.html`);
    await margin(page, 'const deep').filter({ hasText: '42' }).waitFor();
    await page.locator('.cm-content').click();
    await page.keyboard.press('Control+a');
    await page.keyboard.insertText("import { readFileSync } from 'node:fs'\nreadFileSync('x')\n");
    await page
      .getByText(/'node:fs' is a module of Node, and this pad runs in a page/)
      .first()
      .waitFor();
    await page.close();
  } finally {
    close();
  }
});

test('a link carries the pad to another workbench, where it waits for its reader', async () => {
  const { dir } = await publish({ 'level.ts': 'const level: number = 20\nconst next = level * 2\n' }, 'level.ts');
  const address = pathToFileURL(join(dir, 'level.html')).href;
  const page = await open(address);
  await page.locator('.cm-line', { hasText: 'const level' }).click();
  await page.keyboard.press('End');
  await page.keyboard.type('1');
  await margin(page, 'const next').filter({ hasText: '402' }).waitFor();
  await page.getByRole('button', { name: 'Link' }).click();
  await page.getByText(/The link is in/).waitFor();
  const link = page.url();
  expect(link).toContain('#usher-anvil/link@1,');
  await page.close();
  const other = await publish({ 'pilot.js': 'const pilot = 1\n' }, 'pilot.js');
  const opened = await open(pathToFileURL(join(other.dir, 'pilot.html')).href + new URL(link).hash);
  // What was seen when it was made, and nothing has run.
  await margin(opened, 'const next').filter({ hasText: '402' }).waitFor();
  await opened.getByText('Nothing of this pad has run here.').waitFor();
  await opened.getByRole('button', { name: 'Run it' }).click();
  await opened.getByText(/worker · /).waitFor();
  await opened.close();
});

test('pads that have a document show it beside the code: a script, a component, a page with its own files', async () => {
  const dir = folder({
    'lamp.ts':
      "const lamp = document.createElement('button')\nlamp.textContent = 'green'\ndocument.body.append(lamp)\nlamp.onclick = () => {\n  lamp.textContent = 'red'\n  console.log(lamp.textContent)\n}\n",
    'counter.tsx':
      "import { useState } from 'react'\nimport './boats.css'\nexport default function Counter() {\n  const [boats, setBoats] = useState(3)\n  return <button onClick={() => setBoats(boats + 1)}>{boats} boats</button>\n}\n",
    'boats.css': 'button { color: rgb(1, 2, 3) }\n',
    'lock.html':
      '<!doctype html>\n<link rel="stylesheet" href="lock.css"><img src="gate.svg" alt="gate">\n<p id="level" onclick="raise()">0</p>\n<script src="add.js"></script>\n<script>\nlet level = 0\nfunction raise() {\n  level = add(level, 1)\n  document.getElementById("level").textContent = String(level)\n}\nraise()\n</script>\n',
    'lock.css': 'p { color: rgb(4, 5, 6) }\n',
    'add.js': 'function add(a, b) {\n  return a + b\n}\n',
    'gate.svg': '<svg xmlns="http://www.w3.org/2000/svg" width="60" height="30"><rect width="60" height="30"/></svg>',
    node_modules: '',
  });
  rmSync(join(dir, 'node_modules'));
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  const { code, stderr } = cli(['publish', 'lamp.ts', 'counter.tsx', '--folder', 'site'], { cwd: dir });
  expect({ code, stderr }).toEqual({ code: 0, stderr: '' });
  for (const name of ['lamp.ts', 'counter.tsx', 'lock.html'])
    expect(cli(['publish', name], { cwd: dir })).toMatchObject({ code: 0, stderr: '' });
  const begin = async (name: string) => {
    const [file, fragment = ''] = name.split('#');
    const page = await open(`${pathToFileURL(join(dir, file!)).href}${fragment && `#${fragment}`}`);
    await page.getByRole('button', { name: 'Run it' }).click();
    return { page, shown: page.frameLocator('.frames iframe.shown') };
  };
  const lamp = await begin('lamp.html');
  await lamp.shown.getByRole('button', { name: 'green' }).click();
  await lamp.shown.getByRole('button', { name: 'red' }).waitFor();
  await margin(lamp.page, "lamp.textContent = 'red'").filter({ hasText: "'red'" }).waitFor();
  await lamp.page.close();
  const counter = await begin('counter.html');
  await counter.shown.getByRole('button', { name: '3 boats' }).click();
  const button = counter.shown.getByRole('button', { name: '4 boats' });
  expect(await button.evaluate((element) => getComputedStyle(element).color)).toBe('rgb(1, 2, 3)');
  await counter.page.close();
  const lock = await begin('lock.pad.html');
  await lock.shown.getByText('1', { exact: true }).click();
  const level = lock.shown.getByText('2', { exact: true });
  expect(await level.evaluate((element) => getComputedStyle(element).color)).toBe('rgb(4, 5, 6)');
  expect(await lock.shown.getByAltText('gate').evaluate((element) => (element as HTMLImageElement).naturalWidth)).toBe(
    60,
  );
  await margin(lock.page, 'level = add(').filter({ hasText: '2' }).waitFor();
  await lock.page.getByRole('button', { name: 'Link' }).click();
  await lock.page.getByText('This page has files beside it that a link does not carry.').waitFor();
  await lock.page.close();
  // A page without any is handed on as a link, to a workbench of another pad.
  writeFileSync(
    join(dir, 'sign.html'),
    '<!doctype html>\n<p id="sign">0</p>\n<script>\nsign.textContent = "slow " + 3\n</script>\n',
  );
  expect(cli(['publish', 'sign.html'], { cwd: dir })).toMatchObject({ code: 0, stderr: '' });
  const sign = await open(pathToFileURL(join(dir, 'sign.pad.html')).href);
  await sign.getByRole('button', { name: 'Link' }).click();
  await sign.getByText(/The link is in/).waitFor();
  const { hash } = new URL(sign.url());
  await sign.close();
  const other = await begin(`lamp.html${hash}`);
  await other.shown.getByText('slow 3').waitFor();
  await other.page.close();
});

test('ways are compared in workers: whether they give the same, and which is faster', async () => {
  const { dir } = await publish(
    {
      'sums.ts': `import { compare } from 'usher-anvil/pad'
const boats: number[] = Array.from({ length: 300 }, (_, i) => i % 40)
const byLoop = (all: number[]) => { let sum = 0; for (const one of all) sum += one; return sum }
const byCopies = (all: number[]) => all.reduce((sums, one) => [...sums, one], [] as number[]).reduce((a, b) => a + b, 0)
const wrong = (all: number[]) => byLoop(all) + 1
compare({ byLoop, byCopies, wrong }, boats)
`,
    },
    'sums.ts',
  );
  const page = await open(pathToFileURL(join(dir, 'sums.html')).href);
  await page.getByRole('button', { name: 'Run it' }).click();
  await page.getByText(/^byCopies is slower than byLoop/).waitFor({ timeout: 60_000 });
  await page.getByText('both give the same for 1 input').first().waitFor();
  await page
    .getByText(/^they give different results for 1 of 1 input/)
    .first()
    .waitFor({ timeout: 60_000 });
  await page.close();
});

test('what a reader types outlives the page, is said, and can be taken back', async () => {
  const { dir } = await publish({ 'level.ts': 'const level = 20\nconst next = level * 2\n' }, 'level.ts');
  const context = await browser.newContext();
  const visit = async (): Promise<Page> => {
    const page = await context.newPage();
    await page.goto(pathToFileURL(join(dir, 'level.html')).href);
    await page.locator('.cm-line').first().waitFor();
    return page;
  };
  const first = await visit();
  await first.locator('.cm-line', { hasText: 'const level' }).click();
  await first.keyboard.press('End');
  await first.keyboard.type('7');
  await margin(first, 'const next').filter({ hasText: '414' }).waitFor();
  await first.close({ runBeforeUnload: false });
  const second = await visit();
  await second.locator('.cm-line', { hasText: 'const level = 207' }).waitFor();
  await second.getByText('This text was not saved last time. It is here again.').waitFor();
  await second.getByText('Nothing of this pad has run here.').waitFor();
  // Values of the text that it came with are not shown beside another.
  await second.waitForTimeout(300);
  expect(await second.locator('.cm-line .margin').count()).toBe(0);
  await second.getByRole('button', { name: "Take the file's text" }).click();
  await second.locator('.cm-line', { hasText: /^const level = 20/ }).waitFor();
  await second.waitForTimeout(400);
  await second.close();
  const third = await visit();
  await third.locator('.cm-line', { hasText: /^const level = 20/ }).waitFor();
  await margin(third, 'const next').filter({ hasText: '40' }).waitFor();
  await context.close();
});

test('languages, marks and views of a project come along, and execute with the pad and not before', async () => {
  const dir = folder();
  for (const name of ['languages', 'additions'])
    cpSync(join(root, 'examples', name), join(dir, name), { recursive: true });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  writeFileSync(
    join(dir, 'languages/wide.mjs'),
    "globalThis.REACHED = 1\nexport { default } from './toll-rules.mjs'\n",
  );
  const config = join(dir, 'languages/usher-anvil.config.json');
  writeFileSync(config, readFileSync(config, 'utf8').replace('./toll-rules.mjs', './wide.mjs'));
  const alive = async (name: string) => {
    expect(cli(['publish', name, '--out', 'out.html'], { cwd: dir })).toMatchObject({ code: 0, stderr: '' });
    return open(pathToFileURL(join(dir, 'out.html')).href);
  };
  const coffee = await alive('languages/lock.coffee');
  await coffee.getByText('Nothing of this pad has run here.').waitFor();
  const hasRun = () => coffee.evaluate(() => 'REACHED' in globalThis);
  expect(await hasRun()).toBe(false);
  await coffee.locator('.cm-line', { hasText: 'rates = lime' }).click();
  await coffee.keyboard.press('End');
  await coffee.keyboard.type('0');
  await margin(coffee, 'rates = lime').filter({ hasText: 'slate: 30' }).waitFor();
  expect(await hasRun()).toBe(true);
  await coffee.close();
  const rules = await alive('languages/night.tolls');
  await rules.getByRole('button', { name: 'Run it' }).click();
  await rules.getByText('received 368, expected 360').first().waitFor();
  await rules.close();
  const locks = await alive('additions/night-locks.ts');
  await locks.getByRole('button', { name: 'Run it' }).click();
  await locks.locator('.shown-card').getByRole('button', { name: 'Drawing' }).waitFor();
  await locks.close();
});

test('options that do not fit, and pads that cannot be published, say what to do', async () => {
  const dir = folder({ 'a.js': '1', 'page.html': '<p>', 'wants.js': "import x from 'not-installed'\n" });
  const fails = async (...args: string[]): Promise<string> => {
    const { code, stderr } = cli(['publish', ...args], { cwd: dir });
    expect(code).toBe(2);
    return stderr;
  };
  expect(await fails('a.js', '--allow', 'wenlow')).toMatch(/E_OPTION .*--allow is "wenlow"/);
  expect(await fails('a.js', 'wants.js', '--out', 'x.html')).toMatch(/E_OPTION .*--folder/);
  expect(await fails('page.html', '--out', 'page.html')).toMatch(/E_OPTION .*would be lost/);
  expect(await fails('wants.js')).toMatch(/E_NO_PACKAGE .*not-installed/);
});

describe('pads of strangers', () => {
  let page: Page;
  beforeAll(async () => {
    const { dir } = await publish({ 'pad.ts': 'const begin = 1\n' }, 'pad.ts');
    page = await open(pathToFileURL(join(dir, 'pad.html')).href);
  });
  afterAll(() => page.close());

  const REACHED = "const reached = (...what: unknown[]) => console.log('REA' + 'CHED', ...what)\n";
  const write = async (text: string): Promise<void> => {
    await page.locator('.cm-content').click();
    await page.keyboard.press('Control+a');
    await page.keyboard.insertText(text);
  };

  const tries = async (name: string, code: string, ends: boolean, first = ''): Promise<void> => {
    const text = code.replaceAll('PORT', String(port)).replaceAll('PAGE', page.url());
    await write(`${first}${REACHED}${text}\n${ends ? '' : "console.log('end', 'of it')\n"}`);
    if (ends) await page.waitForTimeout(800);
    else await page.getByText('end of it', { exact: true }).first().waitFor();
    expect(page.context().pages()).toHaveLength(1);
    expect(await page.evaluate(() => (window as unknown as { x?: unknown }).x)).toBeUndefined();
    expect(await page.getByText(/REACHED/).count()).toBe(0);
    expect(await page.locator('img[src="x"]').count()).toBe(0);
    expect(asked).toEqual([]);
    await write(`${first}console.log(${JSON.stringify(`after ${name}`)}, 'it')\n`);
    await page.getByText(`after ${name} it`).first().waitFor();
  };

  test.each(HOSTILE_PUBLISHED)('$name', ({ name, code, ends }) => tries(name, code, ends === true));

  test.each(HOSTILE_PAGES)('a page $name', ({ name, code, ends }) =>
    tries(name, code, ends === true, "document.title = 'pad'\n"),
  );

  test.each(HOSTILE_LINKS)('a link $name', async ({ make, says }) => {
    const fold = (value: unknown): string => deflateRawSync(JSON.stringify(value)).toString('base64url');
    const opened = await open(page.url() + make(fold));
    await opened.waitForTimeout(300);
    if (says) await opened.getByRole('status').filter({ hasText: says }).waitFor();
    await opened.getByText('Nothing of this pad has run here.').waitFor();
    expect(await opened.getByText(/REWRITTEN|^RAN$/).count()).toBe(0);
    expect(await opened.evaluate(() => (window as unknown as { x?: unknown }).x)).toBeUndefined();
    expect(asked).toEqual([]);
    await opened.close();
  });
});

test('a single file and a site are no larger than they may be, and the site lists its pads', async () => {
  const { out } = await publish({ 'a.js': 'const a = 1\n' }, 'a.js');
  const [, packed] = /, (\d+) kB compressed/.exec(out)!;
  expect(Number(packed)).toBeLessThan(1_000);
  const dir = folder();
  const made = spawnSync(process.execPath, [join(root, 'scripts/site.mjs'), dir], { encoding: 'utf8' });
  expect(made.stderr).toBe('');
  const sizes = new Map(
    [...made.stdout.matchAll(/([\w.]+) {2}\d+ kB, (\d+) kB/g)].map(([, name, kB]) => [name, Number(kB)]),
  );
  // What a reader has until the first value.
  expect(sizes.get('page.js')! + sizes.get('page.css')! + sizes.get('soundings.html')!).toBeLessThan(600);
  const page = await browser.newPage();
  await page.goto(pathToFileURL(join(dir, 'index.html')).href);
  expect(await page.getByRole('link').count()).toBe(4);
  await page.close();
});
