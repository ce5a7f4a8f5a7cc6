/** `usher-anvil demo`: the workbench on a copy of the demo pads, so that edits spoil nothing. */
import { spawn } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, symlinkSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve, sep } from 'node:path';
import { createRequire } from 'node:module';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { entryUrl } from '../hosts/node/entries.js';
import { startServer } from '../server/server.js';
import { targets } from '../server/targets.js';
import { benchOn } from '../server/program-bench.js';
import { openCommand } from './open.js';

export async function demoCommand(options: { port?: string; folder?: string }): Promise<number> {
  const source = fileURLToPath(new URL('../../examples', import.meta.url));
  const folder =
    options.folder === undefined ? mkdtempSync(join(tmpdir(), 'usher-anvil-demo-')) : resolve(options.folder);
  if (!existsSync(folder)) mkdirSync(folder, { recursive: true });
  // What is there already may have been edited.
  cpSync(source, folder, { recursive: true, force: false });
  for (const name of ['sql.js', 'pg', 'pgsql-ast-parser']) linkPackage(name, folder);
  // A stand-in for the canal's API, for the pad that makes requests.
  const { start } = (await import(pathToFileURL(join(source, 'api', 'server.mjs')).href)) as {
    start(): Promise<{ url: string; close(): void }>;
  };
  const api = await start();
  process.env.WENLOW_API = api.url;
  const database = await startDatabase(source);
  process.stdout.write(`The demo pads are in ${folder}\nPrograms that keep running, each in a terminal of its own:\n`);
  for (const [name, file] of PROGRAMS) process.stdout.write(`  usher-anvil live ${join(folder, name, file)}\n`);
  const room = await startControlRoom(folder);
  if (room)
    process.stdout.write(
      `The control room, a page that is patched at each save of ${join(folder, 'control-room')};\n` +
        `its workbench, while the page is open: usher-anvil open control-room\n  ${room.url}\n`,
    );
  const pilot = await startPilot(folder);
  if (pilot)
    process.stdout.write(
      'A barge under way, a program that is looked at and changed while it runs; its prompt ' +
        `elsewhere: usher-anvil prompt ${pilot.name}\n  ${pilot.url}\n`,
    );
  process.stdout.write('\n');
  try {
    return await openCommand(join(folder, 'tolls', 'tolls.ts'), {
      ownPads: true,
      root: folder,
      ...(options.port === undefined ? {} : { port: options.port }),
    });
  } finally {
    api.close();
    database?.close();
    room?.close();
    await pilot?.close();
  }
}

/** A database server for the query's workbench, where the system has one; a sentence where it has none. */
async function startDatabase(source: string): Promise<{ close(): void } | undefined> {
  const { startPostgres } = (await import(pathToFileURL(join(source, 'ledger', 'postgres.mjs')).href)) as {
    startPostgres(): Promise<{ url?: string; why?: string; close?: () => void }>;
  };
  const { url, why, close } = await startPostgres();
  if (url === undefined || !close) {
    process.stdout.write(`No database server for ledger/query.ts: ${why ?? ''}. It asks one in its own process.\n`);
    return undefined;
  }
  process.env.WENLOW_DATABASE = url;
  process.stdout.write(`A PostgreSQL of its own for ledger/query.ts: ${url}\n`);
  return { close };
}

/** The barge as a live program, and a workbench on it; undefined where it cannot be reached. */
async function startPilot(folder: string): Promise<{ name: string; url: string; close(): Promise<void> } | undefined> {
  const command = fileURLToPath(entryUrl('main'));
  // Its lines answer saves; what it prints is seen in its workbench.
  const child = spawn(process.execPath, [command, 'live', join(folder, 'pilot', 'pilot.ts')], {
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  for (let tries = 0; tries < 200 && child.exitCode === null; tries++) {
    const target = targets().find((one) => one.door === child.pid);
    if (target) {
      const server = await startServer({ workbench: await benchOn(target) });
      return {
        name: target.name,
        url: server.url,
        close: async () => {
          await server.close();
          child.kill();
        },
      };
    }
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  child.kill();
  return undefined;
}

const PROGRAMS = [
  ['chamber', 'chamber.ts'],
  ['lock-house', 'server.ts --hold --name lock-house'],
  ['gauge', 'device.ts --listen --memory 48'],
  ['signal-tower', 'tower.mjs'],
] as const;

/** The animation, on a development server with our plugin; undefined where that server is not installed. */
async function startControlRoom(folder: string): Promise<{ url: string; close(): void } | undefined> {
  const vite = linkPackage('vite', folder);
  if (vite === undefined) return undefined;
  const ours = join(folder, 'node_modules', 'usher-anvil');
  if (!existsSync(ours)) symlinkSync(fileURLToPath(new URL('../..', import.meta.url)), ours, 'junction');
  const child = spawn(
    process.execPath,
    [join(vite, 'bin', 'vite.js'), join(folder, 'control-room'), '--clearScreen', 'false'],
    {
      stdio: ['ignore', 'pipe', 'inherit'],
      env: { ...process.env, NO_COLOR: '1' },
    },
  );
  const url = await new Promise<string | undefined>((resolve) => {
    let text = '';
    child.stdout.on('data', (chunk: Buffer) => {
      if (text.includes('\u0000')) process.stdout.write(chunk);
      else text += String(chunk);
      const found = /http:\/\/127\.0\.0\.1:\d+\//.exec(text)?.[0];
      if (found) {
        // From here on its lines answer saves.
        text += '\u0000';
        resolve(found);
      }
    });
    child.once('exit', () => resolve(undefined));
  });
  return url === undefined ? undefined : { url, close: () => child.kill() };
}

/** Makes a package of ours reachable from the copy, where we have it; where not, the workbench offers to add it. */
function linkPackage(name: string, folder: string): string | undefined {
  try {
    const entry = createRequire(import.meta.url).resolve(name === 'vite' ? 'vite/package.json' : name);
    const from = entry.slice(0, entry.lastIndexOf(`${sep}${name}${sep}`) + name.length + 1);
    const to = join(folder, 'node_modules', name);
    if (existsSync(to)) return to;
    mkdirSync(dirname(to), { recursive: true });
    symlinkSync(from, to, 'junction');
    return to;
  } catch {
    // Not here: the pad says so.
    return undefined;
  }
}
