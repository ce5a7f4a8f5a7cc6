/** A small site on a development server of its own, in a page of a real browser. */
import { spawn } from 'node:child_process';
import { mkdirSync, symlinkSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { targets, type Registration } from '#dist/server/targets.js';
import { joinTarget, type Window } from '#dist/server/window.js';
import type { Standing } from '#dist/session/live/pausing/pausing.js';
import { eventually, folder, root } from './harness.js';

export interface Site {
  dir: string;
  url: string;
  page: Page;
  target: Registration;
  /** Where it is registered. */
  at: string;
  /** What the server has printed. */
  output(): string;
  /** A window of the program. */
  window: Window;
  /** What it was told of pauses. */
  told: string[];
  /** Waits until its page has told that it executes a file. */
  executes(file: string): Promise<unknown>;
  /** Waits until so many pages stand still. */
  standing(count?: number): Promise<Standing[]>;
  kill(): void;
  close(): Promise<void>;
}

export async function startSite(browser: Browser, files: Record<string, string>): Promise<Site> {
  const dir = folder({
    'package.json': '{"type":"module"}',
    'vite.config.js': `import usherAnvil from 'usher-anvil/vite'\nexport default { plugins: [usherAnvil()], server: { host: '127.0.0.1' } }\n`,
    ...files,
  });
  const at = join(folder(), 'targets');
  const vite = dirname(createRequire(import.meta.url).resolve('vite/package.json'));
  mkdirSync(join(dir, 'node_modules'));
  symlinkSync(root, join(dir, 'node_modules/usher-anvil'));
  symlinkSync(vite, join(dir, 'node_modules/vite'));
  const server = spawn(process.execPath, [join(vite, 'bin/vite.js'), dir, '--port', '0', '--clearScreen', 'false'], {
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, NO_COLOR: '1', USHER_ANVIL_TARGETS: at, XDG_STATE_HOME: folder() },
  });
  let output = '';
  server.stdout.on('data', (part) => (output += String(part)));
  server.stderr.on('data', (part) => (output += String(part)));
  await eventually(() => /http:\/\/127\.0\.0\.1:\d+\//.test(output));
  const url = /http:\/\/127\.0\.0\.1:\d+\//.exec(output)![0];
  const page = await browser.newPage({ viewport: { width: 400, height: 300 } });
  page.setDefaultTimeout(20_000);
  await page.goto(url);
  await eventually(() => targets(at).length > 0);
  const [target] = targets(at);
  const told: string[] = [];
  const window = await joinTarget(target!.address, target!.token, {
    paused: (event) => void told.push(event.is === 'message' ? event.text : event.is),
  });
  return {
    ...{ dir, url, page, told, window, at },
    target: target!,
    output: () => output,
    executes: (file) => eventually(async () => (await window.ask('evaluate', { file, text: '1' })).is === 'done'),
    async standing(count = 1) {
      let standing: Standing[] = [];
      await eventually(async () => {
        standing = (await window.ask('held', {})).standing;
        return standing.length === count;
      });
      return standing;
    },
    kill: () => void server.kill('SIGKILL'),
    async close() {
      window.close();
      server.kill('SIGKILL');
      await page.close({ runBeforeUnload: false });
    },
  };
}
