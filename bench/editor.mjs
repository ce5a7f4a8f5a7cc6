// Editors: from a keystroke to its value over the protocol and on the screen of a real editor, what typing costs with the
// extension and without, and what a server does that nobody asks anything.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, realpathSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { launchChromium } from '../scripts/chromium.mjs';
import { isEditorInstalled, serveEditor } from '../scripts/editor.mjs';

const rpc = createRequire(import.meta.url)('vscode-languageserver-protocol/node');
const root = fileURLToPath(new URL('..', import.meta.url));
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
const fresh = () => realpathSync(mkdtempSync(join(tmpdir(), 'anvil-bench-')));

/** A script of so many lines; its first is `let level = 1`. */
function script(lines) {
  const text = ['let level = 1'];
  for (let i = 0; text.length < lines - 3; i++)
    text.push(`const v${i} = ${i} * 2`, `function f${i}(a) { return a + v${i} }`);
  while (text.length < lines - 2) text.push('');
  return [...text, 'for (let i = 0; i < 10; i++) level += f1(i)', 'console.log(level)', ''].join('\n');
}

function client(folder, lane) {
  const child = spawn(process.execPath, [join(root, 'dist/bin/main.js'), 'lsp'], {
    cwd: folder,
    stdio: ['pipe', 'pipe', 'inherit'],
    env: { ...process.env, XDG_STATE_HOME: fresh() },
  });
  const connection = rpc.createMessageConnection(
    new rpc.StreamMessageReader(child.stdout),
    new rpc.StreamMessageWriter(child.stdin),
  );
  connection.onRequest(() => null);
  connection.listen();
  const begun = connection.sendRequest('initialize', {
    processId: process.pid,
    rootUri: pathToFileURL(folder).href,
    capabilities: {},
    initializationOptions: { lane },
  });
  return { child, connection, begun: begun.then(() => connection.sendNotification('initialized', {})) };
}

const documentOf = (file, text) => ({
  textDocument: { uri: pathToFileURL(file).href, languageId: 'javascript', version: 1, text },
});

/** Milliseconds from an edit to the message that has its value. */
export async function protocolEdits(lines, count) {
  const folder = fresh();
  const file = join(folder, 'level.mjs');
  const text = script(lines);
  writeFileSync(file, text);
  const { child, connection, begun } = client(folder, true);
  await begun;
  let seen = () => undefined;
  connection.onNotification('usher-anvil/lane', ({ lines: told }) =>
    seen(told.find(({ line }) => line === 0)?.items[0]?.text),
  );
  const { textDocument } = documentOf(file, text);
  const { uri } = textDocument;
  await connection.sendNotification('textDocument/didOpen', { textDocument });
  await connection.sendRequest('workspace/executeCommand', { command: 'usher-anvil.run', arguments: [{ uri }] });
  await wait(1_500);
  const times = [];
  let last = 1;
  for (let i = 0; i < count + 10; i++) {
    const value = 100 + i;
    const range = { start: { line: 0, character: 12 }, end: { line: 0, character: 12 + String(last).length } };
    const from = performance.now();
    const came = new Promise((resolve) => {
      seen = (shown) => shown === String(value) && resolve();
    });
    await connection.sendNotification('textDocument/didChange', {
      textDocument: { uri, version: i + 2 },
      contentChanges: [{ range, text: String(value) }],
    });
    await came;
    if (i >= 10) times.push(performance.now() - from);
    last = value;
    await wait(150);
  }
  connection.dispose();
  child.kill();
  return times;
}

/** Processor time and memory of a server with ten files open, of which all have run, that nobody asks anything. */
export async function idleServer(files, seconds) {
  const folder = fresh();
  for (let i = 0; i < files; i++) {
    if (i % 100 === 0) mkdirSync(join(folder, `reach-${i / 100}`));
    writeFileSync(join(folder, `reach-${Math.floor(i / 100)}`, `lock-${i}.mjs`), script(20));
  }
  const { child, connection, begun } = client(folder, true);
  await begun;
  for (let i = 0; i < 10; i++) {
    const { textDocument } = documentOf(join(folder, `reach-${i}`, `lock-${i * 100}.mjs`), script(20));
    await connection.sendNotification('textDocument/didOpen', { textDocument });
    const argument = { uri: textDocument.uri };
    await connection.sendRequest('workspace/executeCommand', { command: 'usher-anvil.run', arguments: [argument] });
    await wait(300);
  }
  await wait(25_000);
  const before = usage(child.pid);
  await wait(seconds * 1_000);
  const after = usage(child.pid);
  connection.dispose();
  child.kill();
  return {
    percent: ((after.ticks - before.ticks) / 100 / seconds) * 100,
    server: after.own / 1024,
    all: after.memory / 1024,
    processes: after.processes,
  };
}

/** Clock ticks, and kilobytes of memory that a process and those below it have for themselves. Linux alone. */
function usage(pid) {
  const own = privateMemory(pid);
  const sum = { ticks: 0, memory: 0, own, processes: 0 };
  const parents = new Map();
  for (const name of readdirSync('/proc')) {
    if (!/^\d+$/.test(name)) continue;
    try {
      const rest = readFileSync(`/proc/${name}/stat`, 'utf8')
        .replace(/^.*\) /s, '')
        .split(' ');
      parents.set(Number(name), { parent: Number(rest[1]), ticks: Number(rest[11]) + Number(rest[12]) });
    } catch {
      // Gone meanwhile.
    }
  }
  const isBelow = (one) => one === pid || (parents.has(one) && isBelow(parents.get(one).parent));
  for (const [one, { ticks }] of parents)
    if (isBelow(one)) {
      sum.ticks += ticks;
      sum.memory += privateMemory(one);
      sum.processes++;
    }
  return sum;
}

function privateMemory(pid) {
  try {
    const text = readFileSync(`/proc/${pid}/smaps_rollup`, 'utf8');
    return Number(/^Pss:\s+(\d+)/m.exec(text)?.[1] ?? 0);
  } catch {
    return 0;
  }
}

/** Milliseconds from keys to what they change on the screen of a real editor: the text, and the value behind it. */
export async function editorKeys(count) {
  if (!isEditorInstalled()) return undefined;
  spawnSync(process.execPath, [join(root, 'editors/code/scripts/build.mjs')], { stdio: 'inherit' });
  const browser = await launchChromium();
  const sides = [];
  for (const extensions of [[join(root, 'editors/code')], []]) {
    const folder = fresh();
    writeFileSync(join(folder, 'level.mjs'), script(100));
    const served = await serveEditor({ workspace: folder, extensions, env: { XDG_STATE_HOME: fresh() } });
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(60_000);
    await page.goto(served.url);
    await page.waitForSelector('.explorer-folders-view .monaco-list-row');
    await page.locator('.explorer-folders-view .monaco-list-row', { hasText: 'level.mjs' }).dblclick();
    await page.waitForSelector('.view-line');
    await page.locator('.view-line').first().click();
    if (extensions.length > 0) {
      await page.waitForSelector('.statusbar-item:has-text("Anvil:")');
      await page.keyboard.press('Control+Alt+Enter');
      await page.waitForFunction(() => document.querySelector('.statusbar-item[aria-label*="worker"]') !== null);
    }
    await page.keyboard.press('End');
    await page.evaluate(watchKeys);
    sides.push({ page, served, withExtension: extensions.length > 0 });
  }
  try {
    // In turns, so that both have the same machine.
    for (let i = 0; i < count + 20; i++)
      for (const { page, withExtension } of sides) {
        await page.bringToFront();
        const key = i % 2 === 1 ? 'Backspace' : String((i * 7) % 9 || 1);
        await page.keyboard.press(key);
        await page
          .waitForFunction((n) => window.texts.length > n, i, { timeout: 3_000, polling: 10 })
          .catch(() => undefined);
        if (withExtension)
          await page
            .waitForFunction(() => window.asked === 0, undefined, { timeout: 2_000, polling: 10 })
            .catch(() => undefined);
        await wait(40);
      }
    const [given, plain] = await Promise.all(
      sides.map(({ page }) =>
        page.evaluate(() => ({ texts: window.texts.slice(20), values: window.values.slice(20) })),
      ),
    );
    return { values: given.values, typing: { given: given.texts, plain: plain.texts } };
  } finally {
    await browser.close();
    for (const { served } of sides) served.end();
  }
}

/** Runs in the page. */
function watchKeys() {
  window.texts = [];
  window.values = [];
  window.asked = 0;
  let pressed = 0;
  const line = () => [...document.querySelectorAll('.view-line')].find((one) => one.textContent.startsWith('let'));
  let before = line().textContent;
  const afterFrame = (work) => {
    const channel = new MessageChannel();
    channel.port1.onmessage = work;
    requestAnimationFrame(() => channel.port2.postMessage(0));
  };
  window.addEventListener(
    'keydown',
    () => {
      pressed = window.asked = performance.now();
      before = line().textContent;
      const from = pressed;
      const look = () => {
        if (pressed !== from) return;
        const now = line().textContent;
        if (now !== before) afterFrame(() => window.texts.push(performance.now() - from));
        else requestAnimationFrame(look);
      };
      const lookAtValue = () => {
        if (pressed !== from) return;
        const element = line();
        const written = element.textContent.replace(/\u00a0/g, ' ').replace('let level = ', '');
        const drawn = [...element.querySelectorAll('span')]
          .map((part) => getComputedStyle(part, '::after').content)
          .find((content) => content.startsWith('"│'));
        // What the line says now stands behind it, and is what was typed.
        if (element.textContent !== before && drawn?.replace(/\u00a0/g, ' ') === `"│ ${written}"`)
          afterFrame(() => {
            window.values.push(performance.now() - from);
            window.asked = 0;
          });
        else requestAnimationFrame(lookAtValue);
      };
      requestAnimationFrame(look);
      requestAnimationFrame(lookAtValue);
    },
    true,
  );
}

/** Prints all of it. */
export async function editorTables({ table, spread, median, count }) {
  const edits = [];
  for (const lines of [100, 1_000, 5_000]) {
    const times = await protocolEdits(lines, Math.min(count, lines > 1_000 ? 20 : 60));
    edits.push([lines, spread(times)]);
  }
  table('Over the protocol: ms from an edit to its value (reach: 50 at 100 lines)', ['lines', 'ms'], edits);
  const idle = await idleServer(10_000, 20);
  table(
    'A folder of 10,000 files, ten open that have run, nobody types (reach: 1 % of a core, 300 MB)',
    ['of a core', 'server MB', 'with its pads MB', 'processes'],
    [[`${idle.percent.toFixed(2)} %`, idle.server.toFixed(0), idle.all.toFixed(0), idle.processes]],
  );
  const keys = await editorKeys(count);
  if (!keys) {
    console.log('\nNo editor is installed here: npm run test:editor installs one.');
    return;
  }
  const { given, plain } = keys.typing;
  const pairs = given.slice(0, plain.length).map((one, i) => one - plain[i]);
  table(
    'A real editor, 100 lines: ms from a key to its value on the screen (reach: 100), and to its letter (reach: 5 more)',
    ['value', 'letter with', 'letter without', 'difference, paired'],
    [[spread(keys.values), spread(given), spread(plain), median(pairs).toFixed(1)]],
  );
  console.log(`${keys.values.length} values and ${given.length} letters of ${count} keys were seen`);
}
