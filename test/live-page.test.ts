/** A program that runs, in the workbench: through the command line and a real Chromium. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { targets } from '#dist/server/targets.js';
import { launch } from './browser.js';
import { cli, eventually, folder, start, wait } from './harness.js';

const CHAMBER = `import { rise } from './rise.js';

let level = 0;
const keeper = { name: 'Wenlow', gates: 2 };
function fill(by: number) {
  level = rise(level, by);
  return level;
}
setInterval(() => {
  fill(1);
}, 10);
setInterval(() => console.log('level', level), 50);
`;
const RISE = `export function rise(level: number, by: number): number {
  return level + by;
}
`;

let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());

const running: ReturnType<typeof start>[] = [];
const pages: Page[] = [];
const complaints: string[] = [];
afterEach(async () => {
  for (const page of pages.splice(0)) await page.close();
  for (const one of running.splice(0).reverse()) await one.end();
  // A page whose server is gone tries again, and the browser says so.
  expect(complaints.splice(0).filter((text) => !/WebSocket connection/.test(text))).toEqual([]);
});

async function begin(files: Record<string, string> = { 'chamber.ts': CHAMBER, 'rise.ts': RISE }, ...options: string[]) {
  const dir = folder(files);
  const at = join(folder(), 'targets');
  const env = { USHER_ANVIL_TARGETS: at, XDG_STATE_HOME: folder() };
  const live = start(['live', 'chamber.ts', ...options], { cwd: dir, env });
  running.push(live);
  await eventually(() => targets(at).length > 0);
  const opened = start(['open', 'chamber'], { cwd: dir, env });
  running.push(opened);
  await eventually(() => /http:\S+/.test(opened.text));
  const url = /http:\S+/.exec(opened.text)![0];
  const page = async (): Promise<Page> => {
    const made = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    pages.push(made);
    made.setDefaultTimeout(60_000);
    made.on('pageerror', (error) => complaints.push(error.message));
    made.on('console', (message) => message.type() === 'error' && complaints.push(message.text()));
    await made.goto(url);
    await made.waitForSelector('.margin .calls');
    return made;
  };
  return {
    dir,
    env,
    live,
    opened,
    page,
    url,
    ask: (code: string) => cli(['prompt', 'chamber', '--evaluate', code], { cwd: dir, env }).stdout.trim(),
  };
}

const lineOf = (page: Page, text: string) => page.locator('.cm-line', { hasText: text });
/** Puts a text in the place of a part of the document, as a person who types. */
async function replace(page: Page, line: string, by: string): Promise<void> {
  await lineOf(page, line).first().click();
  await page.keyboard.press('End');
  await page.keyboard.press('Shift+Home');
  // What takes the place of styled text gets a style of its own from the browser, which the page forbids.
  await page.keyboard.press('Backspace');
  await page.keyboard.insertText(by);
}
const text = async (page: Page, selector: string): Promise<string> =>
  (await page.locator(selector).allTextContents()).join('\n');

test('counts and rates without values; a function that is opened shows its own; console lines stand at their places', async () => {
  const { page: open } = await begin();
  const page = await open();
  await eventually(async () => /\d+\/s · ×[\d,]+/.test(await text(page, '.margin .calls')));
  expect(await page.locator('.margin .value').count()).toBe(0);
  await eventually(async () => /level \d+/.test(await text(page, '#dock .row')));
  expect(await page.locator('#dock .row .at').first().textContent()).toBe('12');
  await lineOf(page, 'function fill').locator('.margin').click();
  await eventually(async () =>
    /^\d+ ×[\d,]+/.test((await lineOf(page, 'level = rise').locator('.margin').textContent())!.replace('│ ', '')),
  );
  expect(await page.getByTestId('opened').textContent()).toMatch(/values of fill/);
  // The inspector has the visits of the line.
  await eventually(async () => /by/.test(await text(page, 'aside .card h3')));
  // Another file of the program.
  await page.locator('select.file').selectOption('rise.ts');
  await eventually(async () => /\/s · ×/.test(await text(page, '.margin .calls')));
  await page.keyboard.press('Control+i');
  await eventually(async () =>
    /\d/.test((await lineOf(page, 'return level + by').locator('.margin').textContent()) ?? ''),
  );
  await page.getByRole('button', { name: 'counts only' }).click();
  await eventually(async () => (await page.locator('.margin .value').count()) === 0);
});

test('an edit patches the program, a typo does not, a save is the file; the terminal says so in a line each', async () => {
  const { page: open, live, dir, ask } = await begin();
  const page = await open();
  await replace(page, 'level = rise', '  level = rise(level, by * 1000);');
  await eventually(() => live.text.includes('chamber.ts  fill patched'));
  await eventually(() => Number(ask('level')) > 5_000);
  expect(readFileSync(join(dir, 'chamber.ts'), 'utf8')).toBe(CHAMBER);
  // In one edit from a text that runs to one that does not parse: what is between would be a change too.
  await lineOf(page, 'by * 1000').click();
  await page.keyboard.press('End');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.insertText(' *');
  await page.waitForSelector('.bad-line');
  const level = Number(ask('level'));
  expect(level).toBeGreaterThan(5_000);
  await eventually(() => Number(ask('level')) > level);
  // Whoever types is not told of every step in the terminal.
  expect(live.text).not.toMatch(/syntax error/);
  await replace(page, 'level = rise', '  level = rise(level, -by);');
  await eventually(async () => (await page.locator('.bad-line').count()) === 0);
  await page.keyboard.press('Control+s');
  await eventually(() => readFileSync(join(dir, 'chamber.ts'), 'utf8').includes('-by'));
  // What changes on disk comes into the window and into the program.
  writeFileSync(join(dir, 'chamber.ts'), CHAMBER.replace('rise(level, by)', 'rise(0, by)'));
  await eventually(async () => (await text(page, '.cm-content')).includes('rise(0, by)'));
  await eventually(() => ask('level') === '1');
});

test('changes are listed and taken back, statements that wait are run, kept values are reset', async () => {
  const { page: open, ask, live } = await begin();
  const page = await open();
  await page.getByRole('tab', { name: /Changes/ }).click();
  await replace(page, 'let level = 0', 'let level = 500_000;');
  await eventually(async () => /level kept/.test(await text(page, '#dock')));
  expect(Number(ask('level'))).toBeLessThan(100_000);
  await page.getByRole('button', { name: 'reset level' }).click();
  await eventually(() => Number(ask('level')) >= 500_000);
  await replace(page, 'return level', '  return -1;');
  // Two edits that were typed and did the same are one line, here and in the terminal.
  await eventually(async () => /fill patched ×2/.test(await text(page, '#dock')));
  expect(live.text.match(/fill patched/g)).toHaveLength(1);
  expect(ask('fill(0)')).toBe('-1');
  await page.keyboard.press('Control+Alt+z');
  await eventually(() => ask('fill(0)') !== '-1');
  await lineOf(page, 'const keeper').click();
  await page.keyboard.press('End');
  await page.keyboard.press('Enter');
  await page.keyboard.insertText('keeper.gates = 7;');
  await page.getByTestId('waiting').waitFor();
  await page.keyboard.press('Control+Alt+r');
  await eventually(() => ask('keeper.gates') === '7');
});

test('the prompt: names of the module, completion, a function that is a patch, a value that opens, errors, history', async () => {
  const { page: open, ask } = await begin();
  const page = await open();
  await page.keyboard.press('Control+Alt+p');
  const line = page.getByRole('textbox', { name: /^Code for/ });
  await line.pressSequentially('keeper.na');
  await page.keyboard.press('Tab');
  await eventually(async () => (await line.inputValue()) === 'keeper.name');
  await page.keyboard.press('Enter');
  await eventually(async () => /'Wenlow'|"Wenlow"/.test(await text(page, '.prompt .entries')));
  await line.fill('keeper.');
  await page.keyboard.press('Tab');
  await page.getByRole('option', { name: 'gates' }).click();
  await eventually(async () => (await line.inputValue()) === 'keeper.gates');
  await line.fill('({ keeper, level: await Promise.resolve(1) })');
  await page.keyboard.press('Enter');
  await page.locator('.prompt .open', { hasText: 'level' }).click();
  await eventually(async () => /Wenlow/.test(await text(page, 'aside .tree')));
  // Not whole: another line.
  await line.fill('function fill(by: number) {');
  await page.keyboard.press('Enter');
  await eventually(async () => (await line.inputValue()).endsWith('{\n'));
  await line.fill('function fill(by: number) {\n  level = -7;\n  return level;\n}');
  await page.keyboard.press('Enter');
  await eventually(async () => /fill patched/.test(await text(page, '.prompt .entries')));
  await eventually(() => ask('level') === '-7');
  await line.fill('keeper.lamp.lit');
  await page.keyboard.press('Enter');
  await eventually(async () => /TypeError/.test(await text(page, '.prompt .bad-text')));
  await page.keyboard.press('ArrowUp');
  await eventually(async () => (await line.inputValue()) === 'keeper.lamp.lit');
  // What was entered is text, whatever it holds.
  await line.fill('"<img src=x onerror=alert(1)>"');
  await page.keyboard.press('Enter');
  await eventually(async () => (await text(page, '.prompt .entries')).includes('<img src=x'));
  expect(await page.locator('.prompt img').count()).toBe(0);
});

test('what is selected, or the statement at the cursor, is evaluated in the program, and its value stands beside it', async () => {
  const { page: open, ask } = await begin();
  const page = await open();
  const beside = (line: string): Promise<string> =>
    lineOf(page, line)
      .locator('.margin')
      .allTextContents()
      .then((all) => all.join(' '));
  await lineOf(page, 'const keeper').click();
  await page.keyboard.press('Control+Enter');
  await eventually(
    async () =>
      (await beside('const keeper')).includes("= { name: 'Wenlow', gates: 2 }") ||
      (await beside('const keeper')).includes('Wenlow'),
  );
  // A function is a patch: nothing of it is new.
  await lineOf(page, 'return level').click();
  await page.keyboard.press('Control+Enter');
  await eventually(async () => /done|patched/.test(await text(page, '.margin .value')));
  await lineOf(page, 'fill(1)').dblclick({ position: { x: 20, y: 8 } });
  await page.keyboard.press('Home');
  await page.keyboard.press('Shift+End');
  await page.keyboard.press('Control+Enter');
  await eventually(async () => /= \d+/.test(await beside('fill(1)')));
  expect(Number(ask('level'))).toBeGreaterThan(0);
  // The text of the line has changed: what was evaluated is not said of it any more.
  await page.keyboard.press('End');
  await page.keyboard.insertText(' ');
  await eventually(async () => !/= \d+/.test(await beside('fill(1)')));
});

test('errors stand at their lines with how often they came, and the next good edit takes them away', async () => {
  const { page: open } = await begin();
  const page = await open();
  await replace(page, 'return level', '  return level.missing.depth;');
  await page.waitForSelector('.margin .error');
  await eventually(
    async () =>
      /TypeError.*×\d+/s.test(await text(page, '.margin .error, .margin .count')) ||
      /×\d+/.test(
        await lineOf(page, 'missing.depth')
          .locator('.margin')
          .textContent()
          .then((one) => one ?? ''),
      ),
  );
  await replace(page, 'missing.depth', '  return level;');
  await eventually(async () => (await page.locator('.margin .error').count()) === 0);
});

test('two windows see each other, one leaves, the program goes on; when it ends the page says so', async () => {
  const { page: open, live, ask, opened } = await begin();
  const one = await open();
  const other = await open();
  await replace(one, 'return level', '  return level + 0;');
  await eventually(async () => (await text(other, '.cm-content')).includes('level + 0'));
  await one.close();
  pages.splice(pages.indexOf(one), 1);
  await eventually(async () => /\/s/.test(await text(other, '.margin .calls')));
  expect(Number(ask('level'))).toBeGreaterThan(0);
  live.child.kill('SIGTERM');
  await eventually(async () => /has ended|was ended|gone/.test(await text(other, '.notice')));
  expect(opened.child.exitCode).toBeNull();
});

test('a program behind a port and a token; without the token nothing is opened', async () => {
  const dir = folder({ 'chamber.ts': CHAMBER, 'rise.ts': RISE });
  const env = { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() };
  const live = start(['live', 'chamber.ts', '--listen'], { cwd: dir, env });
  running.push(live);
  await eventually(() => /listens on (\S+), token (\S+)/.test(live.text));
  const [, address, token] = /listens on (\S+), token (\S+)/.exec(live.text)!;
  const elsewhere = { ...env, USHER_ANVIL_TARGETS: join(folder(), 'none') };
  expect(cli(['open', address!], { cwd: dir, env: elsewhere })).toMatchObject({ code: 2 });
  expect(cli(['open', address!, '--token', 'wrong'], { cwd: dir, env: elsewhere }).stderr).toMatch(
    /asks for another token/,
  );
  const opened = start(['open', address!, '--token', token!], { cwd: dir, env: elsewhere });
  running.push(opened);
  await eventually(() => /http:\S+/.test(opened.text));
  const page = await browser.newPage();
  pages.push(page);
  await page.goto(/http:\S+/.exec(opened.text)![0]);
  await page.waitForSelector('.margin .calls');
  await wait(10);
});

test('a selected expression of a program that runs shows its values from the next call on; a start page leads there', async () => {
  const { page: show, dir, env } = await begin();
  const page = await show();
  const line = lineOf(page, 'level = rise(level, by)').first();
  await line.click({ position: { x: 6, y: 8 } });
  await page.keyboard.press('End');
  await page.keyboard.press('ArrowLeft');
  for (let i = 'rise(level, by)'.length; i > 0; i--) await page.keyboard.press('Shift+ArrowLeft');
  const card = page.locator('.selected-card');
  await card.getByText(/evaluated [\d,]+ times/).waitFor();
  await card
    .locator('li', { hasText: /^[\d,]+$/ })
    .first()
    .waitFor();
  expect(await page.getByTestId('saved').innerText()).toBe('saved');
  // The same program from the start page of a folder, in the same window.
  const start2 = start(['open', '.'], { cwd: dir, env });
  running.push(start2);
  await eventually(() => /http:\S+/.test(start2.text));
  await page.goto(/http:\S+/.exec(start2.text)![0]);
  await page
    .locator('.start')
    .getByRole('button', { name: /^chamber\s*since/ })
    .click();
  await page.waitForSelector('.margin .calls');
  expect(new URL(page.url()).searchParams.get('program')).toBe('chamber');
});
