/** The lock house in a browser: a page that waits for a rule to be mended, and for a method to be written. */
import { cpSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { targets } from '#dist/server/targets.js';
import { launch } from './browser.js';
import { cli, eventually, folder, root, start, wait } from './harness.js';

let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());

const running: ReturnType<typeof start>[] = [];
const complaints: string[] = [];
afterEach(async () => {
  for (const context of browser.contexts()) await context.close();
  for (const one of running.splice(0).reverse()) await one.end();
  expect(complaints.splice(0).filter((text) => !/WebSocket connection/.test(text))).toEqual([]);
});

async function begin(...options: string[]) {
  const dir = folder();
  cpSync(join(root, 'examples/lock-house'), dir, { recursive: true });
  const at = join(folder(), 'targets');
  const env = { USHER_ANVIL_TARGETS: at, XDG_STATE_HOME: folder() };
  const live = start(['live', 'server.ts', '--name', 'lock-house', ...options], { cwd: dir, env });
  running.push(live);
  await eventually(() => targets(at).length > 0 && /http:\S+\/locks/.test(live.text));
  const site = /http:\S+(?=\/locks)/.exec(live.text)![0];
  const opened = start(['open', 'lock-house'], { cwd: dir, env });
  running.push(opened);
  await eventually(() => /http:\S+/.test(opened.text));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(60_000);
  page.on('pageerror', (error) => complaints.push(error.message));
  page.on('console', (message) => message.type() === 'error' && complaints.push(message.text()));
  await page.goto(/http:\S+/.exec(opened.text)![0]);
  await page.waitForSelector('.cm-line');
  const held = (...args: string[]) => {
    const done = cli(['held', 'lock-house', ...args], { cwd: dir, env });
    return done.stdout + done.stderr;
  };
  return { dir, env, live, site, page, held };
}

/** A page of the lock house: what it shows, once it is there. */
function visit(url: string): { title(): Promise<string>; text(): Promise<string>; isThere(): boolean } {
  let isThere = false;
  const page = browser.newPage();
  const loaded = page.then((one) => one.goto(url, { timeout: 120_000 })).then(() => void (isThere = true));
  return {
    isThere: () => isThere,
    title: async () => (await loaded, (await page).title()),
    text: async () => (
      await loaded,
      (await page)
        .locator('li')
        .allTextContents()
        .then((all) => all.join(' '))
    ),
  };
}

const lineOf = (page: Page, text: string) => page.locator('.cm-line', { hasText: text }).first();

async function retype(page: Page, line: string, by: string): Promise<void> {
  // Lines move while values come and go beside them.
  await eventually(async () => {
    await lineOf(page, line).click();
    return (await page.locator('.cm-activeLine').first().textContent())!.includes(line);
  });
  await page.keyboard.press('End');
  await page.keyboard.press('Shift+Home');
  await page.keyboard.press('Backspace');
  await page.keyboard.insertText(by);
}

test('a failing page waits; its failure is seen with its values; two lines are mended, a method is written, and both pages arrive', async () => {
  const { dir, site, page, live, held } = await begin('--hold');
  const moorings = visit(`${site}/moorings`);
  // The failure comes up by itself, with the values at its line.
  await page.getByRole('region', { name: 'Held call 1' }).waitFor();
  await page.bringToFront();
  expect(await page.locator('.held-head').first().textContent()).toMatch(
    /^GET \/moorings, a browser is waitingTypeError: Cannot read properties of undefined \(reading 'perDay'\)rules\.ts:36/,
  );
  await eventually(async () => /berth = undefined/.test((await lineOf(page, 'return stay.days').textContent())!));
  expect(await page.locator('.held-frames .shown').textContent()).toContain(
    "stay{ barge: 'Teal', berth: 'pool', days: 5 }",
  );
  expect(moorings.isThere()).toBe(false);
  await retype(page, 'const berth = BERTHS', '  const berth = BERTHS[stay.berth] ?? { perDay: 50 };');
  await retype(page, 'return stay.days', '  return Math.round(stay.days * berth.perDay);');
  await page.keyboard.press('Control+Alt+f');
  expect(await moorings.title()).toBe('Moorings');
  expect(await moorings.text()).toBe('Heron owes 240 Teal owes 250');
  await eventually(async () => (await page.locator('.held-call').count()) === 0);

  const account = visit(`${site}/account`);
  await page.getByRole('region', { name: 'Held call 2' }).waitFor();
  await page.bringToFront();
  await page.getByRole('button', { name: /^Write settle/ }).click();
  await eventually(async () => /settle\(stay, mooring\) \{/.test(await page.locator('.cm-content').innerText()));
  // The cursor is in its body.
  await page.keyboard.insertText('return `${stay.barge} settled ${mooring}`;');
  await eventually(() => /Book\.settle/.test(live.text));
  await page.keyboard.press('Control+Alt+f');
  expect(await account.text()).toBe('Heron settled 240');
  // Nothing was started again, and the file is as it was until it is saved.
  expect(live.text).not.toMatch(/has ended/);
  expect(readFileSync(join(dir, 'rules.ts'), 'utf8')).not.toContain('settle');
  await page.keyboard.press('Control+s');
  await eventually(() => readFileSync(join(dir, 'rules.ts'), 'utf8').includes('settled'));
  expect(held()).toMatch(/^lock-house {2}calls that fail are held, for 10 min at most\n$/);
});

test('a breakpoint from the rail: the window shows where it stands, steps by keys, evaluates at the prompt; two windows see the same', async () => {
  const { site, page, held } = await begin();
  await page.locator('select.file').selectOption('rules.ts');
  await lineOf(page, 'return byLength').click();
  await page.keyboard.press('F9');
  await page.locator('.cm-breakpoints .breakpoint').waitFor();
  const second = await browser.newPage();
  await second.goto(page.url());
  const tolls = fetch(`${site}/tolls`).then((answer) => answer.json());
  await page.getByRole('region', { name: 'Stands still' }).waitFor();
  await second.getByRole('region', { name: 'Stands still' }).waitFor();
  await eventually(async () => /byLength = 900/.test((await lineOf(page, 'return byLength').textContent())!));
  expect(held()).toMatch(/stands still {2}toll {2}rules\.ts line 28 {2}at breakpoint 1\n/);
  expect(held('value', 'barge.name')).toBe("'Heron'\n");
  expect(held('value', 'byLength = 1')).toContain('E_HELD  byLength is a constant');
  expect(held('frame')).toMatch(/^barge = \{ name: 'Heron'.*\nbyLength = 900\n/);
  await page.keyboard.press('Alt+Shift+F11');
  await eventually(async () => /behind a step/.test((await page.locator('.held-call.standing').textContent()) ?? ''));
  // The other window lets it go; the breakpoint is met once more, and is taken away there.
  await second.keyboard.press('Alt+F5');
  await eventually(async () =>
    /at breakpoint 1/.test((await second.locator('.held-call.standing').textContent()) ?? ''),
  );
  await second.getByRole('button', { name: 'take it away' }).click();
  await eventually(async () => (await page.locator('.cm-breakpoints .breakpoint').count()) === 0);
  await second.close();
  expect(held('continue')).toBe('goes on\n');
  expect(await tolls).toEqual([
    { name: 'Heron', toll: 2070 },
    { name: 'Teal', toll: 531 },
    { name: 'Kestrel', toll: 1480 },
  ]);
  await wait(50);
  await eventually(async () => (await page.locator('.held-call').count()) === 0);
});

test('the terminal: it lists, acts, and says what cannot be done', async () => {
  const { site, held, live, dir } = await begin('--hold=auto', '--hold-limit', '30');
  expect(held()).toContain('for 30 s at most, and go on when a function of theirs changes');
  const account = fetch(`${site}/account`).then((answer) => answer.text());
  await eventually(() => live.text.includes('book.settle is not a function'));
  const list = held();
  expect(list).toMatch(
    /\n {2}1 {2}answer {2}routes\.ts line \d+ {2}TypeError: book\.settle is not a function\n {7}GET \/account, a client is waiting\n/,
  );
  expect(held('write', '1')).toBe('written: rules.ts line 48. Give it its body, save, and let the call go on\n');
  expect(readFileSync(join(dir, 'rules.ts'), 'utf8')).toContain('settle(stay, mooring) {');
  // Once it is there, the call goes on by itself.
  expect(await account).toContain('<li>undefined</li>');
  expect(held('go', '1')).toContain('E_HELD  this call is held no longer');
  expect(held('wait')).toContain('E_OPTION  wait is nothing that can be done; there are on, auto, off, go');
  expect(held('at', 'rules.ts')).toContain('E_OPTION  at takes <file>:<line>, not rules.ts');
  expect(held('at', 'rules.ts:27', '--when', 'let a')).toMatch(
    /breakpoint 1 {2}rules\.ts line 27 {2}when let a {2}its condition: /,
  );
  expect(held('clear', '1')).toBe('breakpoint 1 is gone\n');
  expect(held('clear', '1')).toContain('E_HELD  there is no breakpoint 1');
  expect(held('over')).toContain('E_HELD  nothing stands still there');
  expect(JSON.parse(held('--json'))).toMatchObject({ format: 'usher-anvil/held@1', mode: 'auto', calls: [] });
});
