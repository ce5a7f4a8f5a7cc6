// Makes docs/screenshots from the demo data: the page in Chromium, the terminal in a terminal window under Xvfb.
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { start as startApi } from '../examples/api/server.mjs';
import { launchChromium } from './chromium.mjs';
import { startServer } from '../dist/server/server.js';

const root = fileURLToPath(new URL('..', import.meta.url));
const out = join(root, 'docs/screenshots');
const dir = mkdtempSync(join(tmpdir(), 'anvil-shots-'));
cpSync(join(root, 'examples'), dir, { recursive: true });
mkdirSync(join(dir, 'node_modules'));
symlinkSync(join(root, 'node_modules/sql.js'), join(dir, 'node_modules/sql.js'));
const LONG = `// Values never leave the window, however long a line is.
const rates = { slate: 50, timber: 40, lime: 80 };
const surcharge = 0.1 + 0.2;
const query = \`update charges set pence = round(pence * \${1 + surcharge}) where lock = 'Dun' and barge in (select name from barges)\`;
const touched = Object.entries(rates).map(([cargo, pence]) => ({ cargo, pence, after: Math.round(pence * (1 + surcharge)), by: 'the council' }));
const total = touched.reduce((sum, one) => sum + one.after, 0);
const mean = total / touched.length;
let level = 0;
for (let minute = 0; minute < 480; minute++) level += Math.sin(minute / 40) ** 2 / 60;
`;
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/** Waits until a process has printed what matches, colours aside, and gives that. */
async function printed({ stdout }, pattern) {
  let text = '';
  stdout.on('data', (chunk) => (text += String(chunk).replace(/\u001b\[\d+m/g, '')));
  while (!pattern.test(text)) await wait(50);
  return pattern.exec(text)[0];
}
const browser = await launchChromium();
// Some of them alone: node scripts/screenshots.mjs control-room, or terminal
const only = {
  'control-room': controlRoom,
  terminal: terminals,
  live: liveWorkbench,
  held: heldCalls,
  serves: served,
  tests: frameworkTests,
  pictures,
  published,
}[process.argv[2]];
if (only) {
  await only();
  process.exit(0);
}
const api = await startApi();
process.env.WENLOW_API = api.url;
const server = await startServer({
  ownPads: true,
  root: join(dir, 'tolls'),
  pad: join(dir, 'tolls/tolls.ts'),
  state: mkdtempSync(join(tmpdir(), 'anvil-shots-')),
});
for (const theme of ['dark', 'light']) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: theme });
  await page.goto(server.url);
  await page.waitForSelector('.margin');
  await wait(400);
  if (theme === 'dark') {
    await page.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 700));
    await wait(200);
    await page.getByRole('tab', { name: /Errors/ }).click();
    await page.locator('.margin .error').click();
  } else {
    await page.locator('.cm-line', { hasText: 'sum += tonnes' }).locator('.margin').click();
    await page.waitForSelector('aside .card');
  }
  await wait(300);
  await page.screenshot({ path: join(out, `workbench-${theme}.png`) });
  if (theme === 'light') {
    await page
      .locator('.cm-line')
      .nth(5)
      .click({ position: { x: 4, y: 8 } });
    await page.keyboard.press('End');
    await page.keyboard.press('Enter');
    await page.keyboard.insertText('const half = night. / 2;');
    await page.waitForSelector('.bad-line');
    await wait(500);
    await reading(page);
    cpSync(join(root, 'examples/tolls/tolls.ts'), join(dir, 'tolls/tolls.ts'));
    await page.evaluate(() => {});
  }
  await page.close();
}
await server.close();

{
  const folder = join(dir, 'start');
  mkdirSync(folder);
  cpSync(join(root, 'examples/tolls'), folder, { recursive: true });
  const state = mkdtempSync(join(tmpdir(), 'anvil-shots-'));
  const first = await startServer({ root: folder, start: true, state });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  await page.goto(first.url);
  await page.locator('.start .choice').first().waitFor();
  await page.locator('.start').getByRole('button', { name: 'tolls.ts' }).click();
  await page.getByTestId('behind').click();
  await page.getByTestId('trouble').waitFor();
  await page.keyboard.press('Alt+h');
  await page
    .locator('.start')
    .getByRole('button', { name: /tests failed/ })
    .waitFor();
  await wait(400);
  await page.screenshot({ path: join(out, 'start.png') });
  await page.close();
  await first.close();
}

/** Values over long lines, one line opened below, one expression selected. */
async function reading(page) {
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText(LONG);
  await page.waitForFunction(
    () => !document.querySelector('.stale') && document.querySelectorAll('.margin').length > 5,
  );
  await page.keyboard.press('Control+Alt+k');
  await page
    .locator('.cm-line')
    .nth(4)
    .click({ position: { x: 30, y: 8 } });
  await page.keyboard.press('Alt+i');
  await page.locator('.below').waitFor();
  await page.locator('.cm-line', { hasText: 'const mean' }).click({ position: { x: 3, y: 8 } });
  await page.keyboard.press('Home');
  for (let i = 'const mean = '.length; i > 0; i--) await page.keyboard.press('ArrowRight');
  for (let i = 'total / touched.length'.length; i > 0; i--) await page.keyboard.press('Shift+ArrowRight');
  await page.locator('.selected-card').waitFor();
  await wait(400);
  await page.screenshot({ path: join(out, 'reading.png') });
}

/** A demo pad in the page, after some steps. */
async function pad(name, file, theme, steps) {
  const own = await startServer({
    ownPads: true,
    root: dir,
    pad: join(dir, file),
    state: mkdtempSync(join(tmpdir(), 'anvil-shots-')),
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: theme });
  await page.goto(own.url);
  await page.waitForSelector('.margin');
  await wait(900);
  await steps(page);
  await wait(500);
  await page.screenshot({ path: join(out, `${name}.png`) });
  await page.close();
  await own.close();
}

await pad('inspector', 'passages/passages.ts', 'light', async (page) => {
  for (let i = 0; i < 21; i++) await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Control+i');
  await page.locator('.stages button').nth(1).click();
  await page.locator('[role=treeitem]').nth(1).focus();
  await page.keyboard.press('ArrowRight');
});
await pad('tape', 'tolls/tolls.ts', 'dark', async (page) => {
  await page.keyboard.press('Control+Alt+4');
  for (let i = 0; i < 18; i++) await page.keyboard.press('ArrowDown');
  for (let i = 0; i < 6; i++) {
    await page.keyboard.press('Alt+,');
    await wait(120);
  }
  await page.keyboard.press('Control+i');
});
await walkedPad();
await pictures();
await published();
await frameworkTests();
await pad('requests', 'api/api.ts', 'light', async (page) => {
  await wait(1500);
  await page.getByRole('tab', { name: /Requests/ }).click();
  await page.locator('.request .link').nth(2).click();
});
await pad('compared', 'planner/compared.ts', 'light', async (page) => {
  await page.locator('.compared-growth').waitFor({ timeout: 120_000 });
  await page.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 10_000));
  await wait(500);
});
joinPictures('inspector', 'compared');
await pad('gate', 'ledger/ledger.ts', 'dark', async (page) => {
  await page.getByRole('slider').fill('0.8');
  await wait(900);
});
joinPictures('gate', 'requests');
await browser.close();
api.close();

/** A command in a terminal window, as a picture. */
async function terminal(name, command, after) {
  const display = `:${90 + Math.floor(process.pid % 100)}`;
  const x = spawn('Xvfb', [display, '-screen', '0', '1280x800x24'], { stdio: 'ignore' });
  await wait(700);
  const env = {
    ...process.env,
    DISPLAY: display,
    PATH: `${join(root, 'node_modules/.bin')}:${process.env.PATH}`,
    FORCE_COLOR: '1',
  };
  const window = spawn(
    'xterm',
    [
      '-geometry',
      '140x46+0+0',
      '-fa',
      'DejaVu Sans Mono',
      '-fs',
      '11',
      '-bg',
      '#fffdf8',
      '-fg',
      '#23211c',
      '-e',
      'sh',
      '-c',
      `${command}; sleep 60`,
    ],
    { cwd: dir, env, stdio: 'ignore' },
  );
  await wait(4000);
  await after?.();
  spawnSync('import', ['-display', display, '-window', 'root', join(out, `${name}.png`)], { stdio: 'inherit' });
  window.kill();
  x.kill();
  await wait(300);
}

await terminals();
await controlRoom();
await liveWorkbench();
await heldCalls();
await served();

async function terminals() {
  if (spawnSync('sh', ['-c', 'command -v Xvfb xterm import convert'], { stdio: 'ignore' }).status !== 0) {
    console.log('No Xvfb, xterm, import and convert here: the terminal pictures stay as they are.');
    return;
  }
  const cli = `node ${join(root, 'dist/bin/main.js')}`;
  cpSync(join(root, 'examples'), dir, { recursive: true });
  await terminal('run', `${cli} run tolls/tolls.ts --width 138 | tail -n 42`);
  await terminal('watch', `${cli} watch tolls/tolls.ts`);
  await terminal('walk', `${cli} walk tolls/tolls.ts`);
  await compared(cli);
  const chamber = join(dir, 'chamber/filling.ts');
  await terminal('live', `cd chamber && ${cli} live filling.ts`, async () => {
    const { readFileSync } = await import('node:fs');
    const save = async (from, to) => {
      writeFileSync(chamber, readFileSync(chamber, 'utf8').replace(from, to));
      await wait(900);
    };
    await save('RATE = 0.25', 'RATE = 0.5');
    await save(
      'function fill()',
      'const SLOW = 0.25;\nfunction ramp(level: number): number {\n  return level > 4 ? SLOW : 1;\n}\n\nfunction fill()',
    );
    await save('level + RATE)', 'level + RATE * ramp(chamber.level))');
    await save('void {', 'void {{');
    await save('void {{', 'void {');
  });
  const targets = mkdtempSync(join(tmpdir(), 'anvil-shots-'));
  const env = { ...process.env, USHER_ANVIL_TARGETS: targets };
  const program = spawn('node', [join(root, 'dist/bin/main.js'), 'live', join(dir, 'gauge/device.ts')], {
    env,
    stdio: 'ignore',
  });
  const at = `export USHER_ANVIL_TARGETS=${targets} XDG_STATE_HOME=${targets}; cd gauge;`;
  const typed = [
    'hide output',
    'probes',
    'script!.wanted(probes, 130)',
    'const lift = (metres: number) => {',
    '  probes.chamber += metres;',
    '  return probes.chamber;',
    '}',
    'lift(2)',
    'await new Promise((done) => setTimeout(() => done(clock), 400))',
    'open 1',
    'nosuch',
  ];
  const keys = typed.map((line) => `sleep 0.7; printf '${line.replaceAll("'", "'\\\\''")}\\r'`).join('; ');
  await wait(2500);
  await terminal('watch-live', `${at} ${cli} watch device --in script.ts --look wanted`, () => wait(3_000));
  await terminal(
    'prompt',
    `${at} ${cli} targets; (sleep 1.5; ${keys}; sleep 50) | script -qec "${cli} prompt device" /dev/null`,
    () => wait(8_000),
  );
  program.kill();
  joinPictures('run', 'watch');
  joinPictures('run', 'walk');
  joinPictures('run', 'compare');
  joinPictures('live', 'prompt');
}

/** The planner's two ways, as they are, in the terminal. */
function compared(cli) {
  const ways = 'planner/planner.ts --export byList,byHeap';
  return terminal('compare', `${cli} compare ${ways} --time 12s`, () => wait(45_000));
}

/** Two pictures become one, one below the other, under the name of the first. */
/** A walk back from the failing discount, below the tape. */
async function walkedPad() {
  await pad('walk', 'tolls/tolls.ts', 'light', async (page) => {
    await page.keyboard.press('Control+Alt+b');
    await page.locator('.cm-line.walk-here').waitFor();
    await page.keyboard.press('Shift+O');
    await wait(300);
  });
  joinPictures('tape', 'walk');
}

function joinPictures(first, second) {
  const [above, below] = [first, second].map((name) => join(out, `${name}.png`));
  spawnSync('convert', [above, below, '-append', above], { stdio: 'inherit' });
  rmSync(below);
}

/** The tolls as a page that is read, and below it as one that is alive, after an edit that turns a test. */
async function published() {
  const [read, alive] = ['export', 'published'].map((name) => join(dir, `${name}.html`));
  const command = (...args) =>
    spawnSync(process.execPath, [join(root, 'dist/bin/main.js'), ...args], {
      stdio: 'inherit',
      cwd: join(dir, 'tolls'),
    });
  command('export', 'tolls.ts', '--out', read);
  command('publish', 'tolls.ts', '--out', alive);
  const chromium = await launchChromium();
  const page = await chromium.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  await page.goto(`file://${read}`);
  await page.screenshot({ path: join(out, 'export.png') });
  await page.goto(`file://${alive}`);
  await page.getByRole('button', { name: 'Run it' }).click();
  await page.locator('.cm-line', { hasText: 'passages > 5' }).click();
  await page.keyboard.press('End');
  for (let i = 0; i < ' ? 0.9 : 1;'.length; i++) await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('Backspace');
  await page.keyboard.type('4');
  await page.getByText('3 tests passed').waitFor();
  await wait(800);
  await page.screenshot({ path: join(out, 'published.png') });
  await chromium.close();
  joinPictures('export', 'published');
}

/** Two pads that are looked at: a picture by code, and below it a page that keeps its state. */
async function pictures() {
  await pad('soundings', 'soundings/soundings.ts', 'light', async (page) => {
    await wait(1500);
    await page.locator('.pixels canvas').hover({ position: { x: 120, y: 90 } });
  });
  await pad('chamber', 'chamber/chamber.ts', 'light', async (page) => {
    await page.getByLabel('keep its state').check();
    await wait(5000);
  });
  joinPictures('soundings', 'chamber');
}

/** A barge under way in the workbench, while its pilot is written. */
async function liveWorkbench() {
  const targets = mkdtempSync(join(tmpdir(), 'anvil-shots-'));
  const env = { ...process.env, USHER_ANVIL_TARGETS: targets, XDG_STATE_HOME: targets };
  cpSync(join(root, 'examples'), dir, { recursive: true });
  if (!existsSync(join(dir, 'node_modules/usher-anvil'))) symlinkSync(root, join(dir, 'node_modules/usher-anvil'));
  const command = (...args) =>
    spawn('node', [join(root, 'dist/bin/main.js'), ...args], { env, cwd: dir, stdio: ['ignore', 'pipe', 'ignore'] });
  const program = command('live', join(dir, 'pilot/pilot.ts'));
  await wait(2_500);
  const opened = command('open', 'pilot');
  const address = await printed(opened, /http:\S+/);
  const chromium = await launchChromium();
  const page = await chromium.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  await page.goto(address);
  await page.waitForSelector('.margin .calls');
  await page.locator('.cm-line', { hasText: 'function steer' }).locator('.margin').click();
  await page.locator('.cm-line', { hasText: 'return off > 0' }).click();
  await page.keyboard.press('End');
  await page.keyboard.press('Shift+Home');
  // In place of what is selected: a barge that is steered by nothing for a moment is lost for good.
  await page.keyboard.insertText('return -off * 0.1 - heading * 0.2;');
  await page.locator('.cm-line', { hasText: 'const { barge }' }).click();
  await page.keyboard.press('Control+Enter');
  await wait(4_500);
  await page.keyboard.press('Control+Alt+p');
  await page.keyboard.type('barge.heading');
  await page.keyboard.press('Enter');
  await wait(300);
  await page.keyboard.type('function bank(off: number) { return off < 0 ? "left" : "right"; }');
  await page.keyboard.press('Enter');
  await wait(500);
  await page.keyboard.type('bank(barge.off)');
  await page.keyboard.press('Enter');
  await wait(800);
  await page.screenshot({ path: join(out, 'live-workbench.png') });
  await chromium.close();
  opened.kill('SIGINT');
  program.kill('SIGTERM');
}

/** The lock house as a live program, with a window on it, and its commands in a terminal below a picture. */
async function lockHouse(height, ...options) {
  const targets = mkdtempSync(join(tmpdir(), 'anvil-shots-'));
  const env = { ...process.env, USHER_ANVIL_TARGETS: targets, XDG_STATE_HOME: targets, PORT: '0' };
  cpSync(join(root, 'examples'), dir, { recursive: true });
  const command = (...args) =>
    spawn('node', [join(root, 'dist/bin/main.js'), ...args], {
      env,
      cwd: join(dir, 'lock-house'),
      stdio: ['ignore', 'pipe', 'ignore'],
    });
  const program = command('live', 'server.ts', ...options, '--name', 'lock-house');
  const site = await printed(program, /http:\S+(?=\/locks)/);
  await wait(1_500);
  const opened = command('open', 'lock-house');
  const address = await printed(opened, /http:\S+/);
  const chromium = await launchChromium();
  const page = await chromium.newPage({ viewport: { width: 1280, height }, colorScheme: 'light' });
  await page.goto(address);
  await page.waitForSelector('.cm-line');
  return {
    ...{ site, chromium, page },
    /** Commands of ours, as `held`, below the picture of that name. */
    async below(name, ...lines) {
      if (spawnSync('sh', ['-c', 'command -v Xvfb xterm import convert'], { stdio: 'ignore' }).status !== 0) return;
      const cli = `node ${join(root, 'dist/bin/main.js')}`;
      const at = `export USHER_ANVIL_TARGETS=${targets} XDG_STATE_HOME=${targets}; cd lock-house;`;
      await terminal(`${name}-terminal`, `${at} ${lines.map((line) => `${cli} ${line}`).join('; ')}`);
      joinPictures(name, `${name}-terminal`);
    },
    async end() {
      await chromium.close();
      opened.kill('SIGINT');
      program.kill('SIGTERM');
    },
  };
}

/** The lock house: a page that waits for its rule to be mended, in the window and in the terminal. */
async function heldCalls() {
  const { site, chromium, page, below, end } = await lockHouse(800, '--hold');
  for (const path of ['account', 'moorings'])
    void fetch(`${site}/${path}`, { headers: { 'user-agent': 'Mozilla/5.0' } }).catch(() => undefined);
  await page.getByRole('region', { name: 'Held call 2' }).waitFor();
  await page.getByRole('button', { name: 'mooring', exact: true }).click();
  await page.locator('.cm-line', { hasText: 'return byLength' }).click();
  await page.keyboard.press('F9');
  await page.locator('.breakpoint').waitFor();
  await page.locator('.cm-line', { hasText: 'return stay.days' }).click();
  await wait(500);
  await page.screenshot({ path: join(out, 'held.png') });
  await below('held', 'held', 'held lock-house write 1', 'held lock-house drop 2');
  await standingPad(chromium);
  joinPictures('held', 'standing');
  await end();
}

/** What serves a route of the lock house: its pieces, a rule that was changed, and the answer; below it the terminal. */
async function served() {
  const { site, page, below, end } = await lockHouse(900);
  await page.keyboard.press('Control+Alt+s');
  await wait(400);
  for (const path of ['locks/elm', 'tolls', 'queue', 'tolls/Heron', 'tolls/Teal']) await fetch(`${site}/${path}`);
  await wait(500);
  await page.getByRole('button', { name: /^GET \/tolls\/:name/ }).click();
  const discount = page.getByRole('article', { name: 'rules/tolls.ts discount' });
  await discount.waitFor();
  for (const layer of ['routing', 'data']) await page.getByRole('checkbox', { name: layer }).uncheck();
  await discount.locator('.piece-line').nth(1).click();
  await discount.locator('.cm-content').waitFor();
  await page.keyboard.press('End');
  for (let i = 0; i < ' : 0;'.length; i++) await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('Backspace');
  await page.keyboard.type('2');
  await page.frameLocator('iframe.answer-page').locator('mark').first().waitFor();
  await discount.evaluate((element) => element.scrollIntoView({ block: 'start' }));
  for (const layer of ['templates']) await page.getByRole('checkbox', { name: layer }).uncheck();
  await wait(600);
  await page.screenshot({ path: join(out, 'serves.png') });
  await below('serves', 'entries', "entries --show 'GET /tolls/:name' --without routing data templates | head -24");
  await end();
}

/** The toll rules at a breakpoint, for the first barge that carries timber. */
async function standingPad(chromium) {
  const state = mkdtempSync(join(tmpdir(), 'anvil-shots-'));
  const own = await startServer({ ownPads: true, root: dir, pad: join(dir, 'tolls/tolls.ts'), state });
  const page = await chromium.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  await page.goto(own.url);
  await page.waitForSelector('.margin');
  await page.locator('.cm-line', { hasText: 'sum += tonnes' }).click({ position: { x: 40, y: 8 } });
  await page.keyboard.press('Shift+F9');
  await page.keyboard.type("kind === 'timber'");
  await page.keyboard.press('Enter');
  await page.getByRole('region', { name: 'Stands still' }).waitFor();
  await wait(800);
  await page.screenshot({ path: join(out, 'standing.png') });
  await page.close();
  await own.close();
}

/** The page of the control room in the workbench: the values of one function, and an object of the page at the prompt. */
async function pageWorkbench(env, chromium) {
  const opened = spawn('node', [join(root, 'dist/bin/main.js'), 'open', 'control-room'], {
    env,
    cwd: dir,
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const address = await printed(opened, /http:\S+/);
  const page = await chromium.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  await page.goto(address);
  await page.waitForSelector('.margin .calls');
  await page.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 900));
  await page.locator('.cm-line', { hasText: 'function drawBarge' }).click({ position: { x: 40, y: 8 } });
  await page.keyboard.press('Control+i');
  await page.mouse.move(1_100, 700);
  await wait(2_500);
  await page.keyboard.press('Control+Alt+p');
  await page.keyboard.type('[canvas.width, document.title, fleet.length]');
  await page.keyboard.press('Enter');
  await page.keyboard.type('fleet[0]');
  await page.keyboard.press('Enter');
  await wait(1_500);
  await page.screenshot({ path: join(out, 'page-workbench.png') });
  opened.kill('SIGINT');
}

/** The control room after a save that gave the barges their cargo as a label. */
async function controlRoom() {
  symlinkSync(join(root, 'node_modules/vite'), join(dir, 'node_modules/vite'));
  if (!existsSync(join(dir, 'node_modules/usher-anvil'))) symlinkSync(root, join(dir, 'node_modules/usher-anvil'));
  const targets = mkdtempSync(join(tmpdir(), 'anvil-shots-'));
  const env = { ...process.env, USHER_ANVIL_TARGETS: targets, XDG_STATE_HOME: targets };
  const child = spawn(process.execPath, [join(root, 'node_modules/vite/bin/vite.js'), join(dir, 'control-room')], {
    env,
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const address = await printed(child, /http:\/\/127\.0\.0\.1:\d+\//);
  const chromium = await launchChromium();
  const page = await chromium.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(address);
  await page.waitForTimeout(3500);
  const file = join(dir, 'control-room/room.ts');
  writeFileSync(
    file,
    readFileSync(file, 'utf8')
      .replace(
        'function drawBarge',
        'const label = (barge: Barge): string => `${barge.name}, ${barge.cargo}`;\n\nfunction drawBarge',
      )
      .replace('context.fillText(barge.name,', 'context.fillText(label(barge),'),
  );
  await printed(child, /label added/);
  await page.waitForTimeout(300);
  await page.screenshot({ path: join(out, 'control-room.png') });
  await pageWorkbench(env, chromium);
  joinPictures('control-room', 'page-workbench');
  await chromium.close();
  child.kill();
}

/** Tests of a framework, with a document and a module in whose place something else stands. */
async function frameworkTests() {
  const project = mkdtempSync(join(tmpdir(), 'anvil-shots-'));
  symlinkSync(join(root, 'node_modules'), join(project, 'node_modules'));
  mkdirSync(join(project, 'src'));
  const files = {
    'package.json': '{ "type": "module", "scripts": { "test": "vitest" } }',
    'vitest.config.js': "export default { test: { environment: 'happy-dom', globals: true } }\n",
    'src/levels.js': 'export const levelOf = async name => (await fetch(`/levels/${name}`)).json()\n',
    'src/board.js': `import { levelOf } from './levels.js'

export async function drawBoard (board, locks) {
  board.replaceChildren()
  for (const name of locks) {
    const row = document.createElement('p')
    const level = await levelOf(name)
    row.className = level > 2 ? 'high' : 'low'
    row.textContent = \`\${name}: \${level} m\`
    board.append(row)
  }
}
`,
    'src/board.test.js': `import { drawBoard } from './board.js'
import { levelOf } from './levels.js'

vi.mock('./levels.js', () => ({ levelOf: vi.fn(async name => name.length / 2) }))

describe('the board of the canal', () => {
  const board = document.createElement('section')

  beforeEach(() => {
    levelOf.mockClear()
    return drawBoard(board, ['Dun', 'Alder', 'Wenlow'])
  })

  test('has a row for each lock', () => {
    const rows = [...board.children]
    expect(rows).toHaveLength(3)
    expect(board.lastChild.textContent).toBe('Wenlow: 3 m')
  })

  test('marks high water', () => {
    const [first, second] = board.children
    expect(first.className).toBe('low')
    expect(second.className).toBe('low')
  })

  test('asks for each level once', () => {
    expect(levelOf.mock.calls).toEqual([['Dun'], ['Alder'], ['Wenlow']])
  })
})
`,
  };
  for (const [name, text] of Object.entries(files)) writeFileSync(join(project, name), text);
  const own = await startServer({
    root: project,
    pad: join(project, 'src/board.test.js'),
    state: mkdtempSync(join(tmpdir(), 'anvil-shots-')),
  });
  const chromium = await launchChromium();
  const page = await chromium.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  await page.goto(own.url);
  // Its own framework has the last word.
  await page.getByText(/vitest agrees/).waitFor({ timeout: 60_000 });
  await page.getByRole('tab', { name: /Tests/ }).click();
  await wait(500);
  await page.screenshot({ path: join(out, 'tests.png') });
  await chromium.close();
  await own.close();
}
