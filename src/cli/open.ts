/** `usher-anvil open`: starts the workbench on a pad, a folder or a live program, and prints its address. */
import { existsSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { padPath } from '../hosts/node/files.js';
import { addressOf, rememberAddress } from '../server/address.js';
import { targetNamed } from '../server/targets.js';
import { startServer, type WorkbenchConnector, type ServerOptions, type WorkbenchServer } from '../server/server.js';
import { benchOn } from '../server/program-bench.js';
import { AnvilError } from '../syntax/problems.js';
import { wholeNumber } from './execute.js';
import { outlive } from './outlive.js';
import { targetOf } from './target-address.js';

export interface OpenOptions {
  port?: string;
  root?: string;
  token?: string;
  keepProcesses?: boolean;
  careful?: boolean;
  /** Every file of the folder is meant to run. */
  ownPads?: boolean;
}

/**
 * Serves until interrupted; `root` is the folder of which files may be opened, by default the pad's own. Resolves with
 * the exit code.
 */
export async function openCommand(path: string, options: OpenOptions): Promise<number> {
  const target = targetOf(path, options.token);
  const server: ServerOptions = target ? { workbench: await benchOn(target) } : pads(path, options);
  const running = await start(server, options.port === undefined ? undefined : wholeNumber(options.port, '--port'));
  process.stdout.write(
    `The workbench${target ? ` on the live program ${target.name}` : ''} is open at\n  ${running.url}\n` +
      `Ctrl+C ends it${target ? '; the program goes on' : ''}.\n`,
  );
  outlive((error) => running.trouble(error));
  return new Promise((resolveCommand) => {
    const end = (): void => {
      void running.close().then(() => resolveCommand(0));
    };
    process.once('SIGINT', end);
    process.once('SIGTERM', end);
    process.once('SIGHUP', end);
  });
}

/**
 * Starts where the workbench of this folder was the last time, so that a tab which was open finds it again; somewhere
 * else where that place is taken.
 *
 * @throws AnvilError `E_PORT` when the port that is asked for is taken
 */
async function start(server: ServerOptions, port: number | undefined): Promise<WorkbenchServer> {
  const { root } = server;
  if (root === undefined) return startServer({ ...server, ...(port === undefined ? {} : { port }) });
  const last = addressOf(root);
  const running = await startServer({ ...server, token: last.token, port: port ?? last.port }).catch(
    (error: unknown) => {
      if (port !== undefined || last.port === 0 || (error as AnvilError).code !== 'E_PORT') throw error;
      return startServer({ ...server, token: last.token });
    },
  );
  rememberAddress(root, running);
  return running;
}

function pads(path: string, options: OpenOptions): ServerOptions {
  const cwd = process.cwd();
  const absolute = resolve(cwd, path);
  const folder = statSync(absolute, { throwIfNoEntry: false })?.isDirectory() === true;
  const keepStarted = options.keepProcesses ?? false;
  const program = async (name: string): Promise<WorkbenchConnector> => benchOn(targetNamed(name));
  const index = join(absolute, 'index.html');
  // A small site: its first page is what is meant.
  if (folder && existsSync(index) && !existsSync(join(absolute, 'package.json')))
    return { root: absolute, pad: index, program, keepStarted, ...(options.ownPads ? { ownPads: true } : {}) };
  return folder
    ? { root: absolute, keepStarted, start: true, program, ...(options.ownPads ? { ownPads: true } : {}) }
    : {
        root: options.root ?? dirname(absolute),
        pad: padPath(path, cwd, 'new'),
        program,
        keepStarted,
        ...(options.careful ? { careful: true } : {}),
        ...(options.ownPads ? { ownPads: true } : {}),
      };
}
