// A real code editor in the browser, for trying the extension where people meet it: installed once from the registry,
// its native parts built here (about three minutes), and served on 127.0.0.1.
import { spawn, spawnSync } from 'node:child_process';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  realpathSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { homedir, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';

const VERSION = '4.100.3';
const HOME = process.env.ANVIL_EDITOR_HOME ?? join(homedir(), '.cache/usher-anvil-editor');
const READY = join(HOME, `.ready-${VERSION}`);
const NATIVE = ['@vscode/spdlog', 'native-watchdog', 'node-pty', '@parcel/watcher'];

export const isEditorInstalled = () => existsSync(READY);

/** @throws Error with what the registry or the compiler said */
export function installEditor() {
  if (isEditorInstalled()) return;
  console.log(`installing an editor in ${HOME}; this takes some minutes, once`);
  rmSync(HOME, { recursive: true, force: true });
  mkdirSync(HOME, { recursive: true });
  writeFileSync(join(HOME, 'package.json'), '{"private":true,"allowScripts":{"argon2":true}}\n');
  const run = (command, args, cwd) => {
    const { status, stderr } = spawnSync(command, args, { cwd, encoding: 'utf8', maxBuffer: 1 << 26 });
    if (status !== 0) throw new Error(`${command} ${args.join(' ')} failed:\n${(stderr ?? '').slice(-2_000)}`);
  };
  const quiet = ['--no-audit', '--no-fund', '--ignore-scripts'];
  run('npm', ['i', ...quiet, `code-server@${VERSION}`], HOME);
  run('npm', ['rebuild', 'argon2', '--foreground-scripts'], HOME);
  const inner = join(HOME, 'node_modules/code-server/lib/vscode');
  run('npm', ['i', '--omit=dev', ...quiet], inner);
  run('npm', ['i', '--omit=dev', ...quiet], join(inner, 'extensions'));
  const npm = realpathSync(spawnSync('sh', ['-c', 'command -v npm'], { encoding: 'utf8' }).stdout.trim());
  const gyp = join(dirname(npm), '../node_modules/node-gyp/bin/node-gyp.js');
  for (const part of NATIVE)
    run(
      process.execPath,
      [gyp, 'rebuild', `--nodedir=${process.env.NODE_HEADERS ?? '/usr'}`],
      join(inner, 'node_modules', part),
    );
  writeFileSync(READY, '');
}

/** The editor finds files with ripgrep, which its package would download: the system's stands in its place. */
function linkSearch() {
  const bin = join(HOME, 'node_modules/code-server/lib/vscode/node_modules/@vscode/ripgrep/bin');
  if (existsSync(join(bin, 'rg'))) return;
  const found = spawnSync('sh', ['-c', 'command -v rg'], { encoding: 'utf8' }).stdout.trim();
  if (found === '') throw new Error('The editor finds no files without ripgrep: apt-get install ripgrep');
  mkdirSync(bin, { recursive: true });
  symlinkSync(found, join(bin, 'rg'));
}

/** Serves the editor with unpacked extensions in place. @returns its port, and how it is ended */
export async function serveEditor({ workspace, extensions, settings = {}, env = {} }) {
  linkSearch();
  const state = mkdtempSync(join(tmpdir(), 'anvil-editor-'));
  mkdirSync(join(state, 'extensions'));
  mkdirSync(join(state, 'data/User'), { recursive: true });
  const quiet = {
    'workbench.startupEditor': 'none',
    'security.workspace.trust.enabled': false,
    'telemetry.telemetryLevel': 'off',
    'window.commandCenter': false,
    ...settings,
  };
  writeFileSync(join(state, 'data/User/settings.json'), JSON.stringify(quiet));
  for (const folder of extensions) {
    const { publisher, name, version } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
    symlinkSync(folder, join(state, 'extensions', `${publisher}.${name}-${version}`));
  }
  const port = await freePort();
  const child = spawn(
    process.execPath,
    [
      join(HOME, 'node_modules/code-server/out/node/entry.js'),
      ...['--auth', 'none', '--bind-addr', `127.0.0.1:${port}`],
      ...['--disable-telemetry', '--disable-update-check', '--disable-workspace-trust'],
      ...['--user-data-dir', join(state, 'data'), '--extensions-dir', join(state, 'extensions')],
      workspace,
    ],
    { cwd: state, env: { ...process.env, NODE_OPTIONS: '', HOME: state, ...env }, stdio: 'ignore', detached: true },
  );
  for (;;) {
    if (child.exitCode !== null) throw new Error('the editor has ended before it was there');
    const answers = await fetch(`http://127.0.0.1:${port}/healthz`).then(
      () => true,
      () => false,
    );
    if (answers) break;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  return {
    port,
    url: `http://127.0.0.1:${port}/?folder=${encodeURIComponent(workspace)}`,
    end() {
      try {
        process.kill(-child.pid, 'SIGKILL');
      } catch {
        // Gone already.
      }
      rmSync(state, { recursive: true, force: true, maxRetries: 5 });
    },
  };
}

function freePort() {
  return new Promise((resolve) => {
    const server = createServer();
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => resolve(port));
    });
  });
}
