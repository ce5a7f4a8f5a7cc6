// Pictures of editors: the extension in a real one, and Neovim and Emacs with the configuration that docs/editors.md gives.
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, mkdtempSync, readFileSync, realpathSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { launchChromium } from './chromium.mjs';
import { isEditorInstalled, serveEditor } from './editor.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const out = join(root, 'docs/screenshots');
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
const fresh = () => realpathSync(mkdtempSync(join(tmpdir(), 'anvil-shots-')));

/** The toll rules in a folder that has usher-anvil installed. */
function tolls() {
  const folder = join(fresh(), 'tolls');
  cpSync(join(root, 'examples/tolls'), folder, { recursive: true });
  mkdirSync(join(folder, 'node_modules/.bin'), { recursive: true });
  symlinkSync(root, join(folder, 'node_modules/usher-anvil'));
  mkdirSync(join(folder, 'node_modules/@types'));
  symlinkSync(join(root, 'node_modules/@types/node'), join(folder, 'node_modules/@types/node'));
  symlinkSync(join(root, 'dist/bin/main.js'), join(folder, 'node_modules/.bin/usher-anvil'));
  return folder;
}

export async function extensionPicture() {
  if (!isEditorInstalled()) {
    console.log('No editor is installed here (npm run test:editor installs one): its picture stays as it is.');
    return;
  }
  spawnSync(process.execPath, [join(root, 'editors/code/scripts/build.mjs')], { stdio: 'inherit' });
  const served = await serveEditor({
    workspace: tolls(),
    extensions: [join(root, 'editors/code')],
    settings: { 'editor.minimap.enabled': false, 'editor.stickyScroll.enabled': false },
    env: { XDG_STATE_HOME: fresh() },
  });
  const browser = await launchChromium();
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(served.url);
  await page.locator('.explorer-folders-view .monaco-list-row', { hasText: 'tolls.ts' }).dblclick();
  await page.waitForSelector('.statusbar-item:has-text("Anvil:")');
  await page.locator('.view-line').nth(5).click();
  await page.keyboard.press('Control+Alt+Enter');
  await wait(2_500);
  await page.keyboard.press('Control+B');
  await page.keyboard.press('Control+G');
  await page.keyboard.type('12:10', { delay: 20 });
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+Alt+I');
  await wait(3_000);
  await page.keyboard.press('Control+1');
  for (let i = 0; i < 17; i++) await page.keyboard.press('Shift+ArrowRight');
  await wait(1_500);
  await page.screenshot({ path: join(out, 'editor.png') });
  await browser.close();
  served.end();
}

/** A block of code of the documentation. */
function block(language) {
  const text = readFileSync(join(root, 'docs/editors.md'), 'utf8');
  return new RegExp(`^\`\`\`${language}\\n([^]*?)^\`\`\``, 'm').exec(text)[1];
}

export async function protocolPicture() {
  const needs = 'command -v Xvfb xterm xdotool import convert nvim emacs';
  if (spawnSync('sh', ['-c', needs], { stdio: 'ignore' }).status !== 0) {
    console.log('No Xvfb, xterm, xdotool, import, convert, nvim and emacs here: their picture stays as it is.');
    return;
  }
  const home = fresh();
  mkdirSync(join(home, '.config/nvim'), { recursive: true });
  writeFileSync(join(home, '.config/nvim/init.lua'), block('lua'));
  mkdirSync(join(home, '.emacs.d'));
  const head = ';;; -*- lexical-binding: t -*-\n(setq warning-minimum-level :error inhibit-startup-screen t)\n';
  writeFileSync(join(home, '.emacs.d/init.el'), head + block('elisp'));
  await terminalEditor(home, 'nvim tolls.ts', ['backslash', 'r'], 'nvim');
  await terminalEditor(home, 'emacs -nw tolls.ts', ['ctrl+c', 'ctrl+r'], 'emacs');
  const parts = ['nvim', 'emacs'].map((name) => join(home, `${name}.png`));
  spawnSync('convert', [...parts, '-append', join(out, 'editors.png')], { stdio: 'inherit' });
}

async function terminalEditor(home, command, keys, name) {
  const display = `:${60 + (process.pid % 100)}`;
  const x = spawn('Xvfb', [display, '-screen', '0', '1280x520x24'], { stdio: 'ignore' });
  await wait(800);
  const env = { ...process.env, DISPLAY: display, HOME: home, XDG_STATE_HOME: fresh(), LANG: 'C.UTF-8' };
  const colours = ['-bg', '#fffdf8', '-fg', '#23211c', '-fa', 'DejaVu Sans Mono', '-fs', '10'];
  const window = spawn('xterm', ['-geometry', '158x31+0+0', ...colours, '-e', 'sh', '-c', command], {
    cwd: tolls(),
    env,
    stdio: 'ignore',
  });
  await wait(6_000);
  spawnSync('xdotool', ['key', ...keys], { env });
  await wait(3_000);
  spawnSync('xdotool', ['key', 'Down'], { env });
  await wait(2_000);
  spawnSync('import', ['-display', display, '-window', 'root', join(home, `${name}.png`)], { stdio: 'inherit' });
  window.kill();
  x.kill();
  await wait(300);
}

await extensionPicture();
await protocolPicture();
