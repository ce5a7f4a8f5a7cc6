/** `usher-anvil open`: starts the workbench and prints its address. */
import { statSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { fileError, padPath } from '../hosts/node/files.js';
import { targets } from '../server/targets.js';
import { AnvilError } from '../syntax/problems.js';
import { startServer, type ServerOptions } from '../server/server.js';
import { wholeNumber } from './execute.js';

/** Serves until interrupted; `root` is the folder of which files may be opened, by default the pad's own. resolves with the exit code. */
export async function openCommand(path: string, options: { port?: string; root?: string }): Promise<number> {
  const cwd = process.cwd();
  const absolute = resolve(cwd, path);
  let folder: boolean;
  try {
    folder = statSync(absolute).isDirectory();
  } catch (error) {
    if (targets().some((one) => one.name === path))
      throw new AnvilError(
        'E_TARGET',
        `${path} is a live program, no file. Enter code in it: usher-anvil prompt ${path}. Follow it: usher-anvil live ${path}.`,
      );
    throw fileError(path, error);
  }
  const server: ServerOptions = folder ? { root: absolute } : { root: options.root ?? dirname(absolute), pad: padPath(path, cwd) };
  if (options.port !== undefined) server.port = wholeNumber(options.port, '--port');
  const running = await startServer(server);
  process.stdout.write(`The workbench is open at\n  ${running.url}\nCtrl+C ends it.\n`);
  return new Promise((resolveCommand) => {
    const end = (): void => {
      void running.close().then(() => resolveCommand(0));
    };
    process.once('SIGINT', end);
    process.once('SIGTERM', end);
  });
}
