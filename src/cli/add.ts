/** `usher-anvil add`: installs a package for the pads of a folder. */
import { relative } from 'node:path';
import { dirname } from 'node:path';
import { padPath } from '../hosts/node/files.js';
import { addPackage, scriptsText } from '../hosts/node/packages.js';
import { harmless } from './paint.js';

export interface AddCommandOptions {
  for?: string;
  project?: boolean;
  scripts?: boolean;
}

/** Installs and says what came of it; resolves with the exit code. */
export async function addCommand(name: string, options: AddCommandOptions): Promise<number> {
  const cwd = process.cwd();
  const folder = options.for === undefined ? cwd : dirname(padPath(options.for, cwd));
  const stop = new AbortController();
  process.once('SIGINT', () => stop.abort());
  const live = process.stderr.isTTY === true;
  let last = '';
  const added = await addPackage(name, {
    folder,
    ...(options.project ? { project: true } : {}),
    ...(options.scripts ? { scripts: true } : {}),
    signal: stop.signal,
    progress: (text) => {
      if (text === last) return;
      last = text;
      if (live) process.stderr.write(`\r\u001b[K${text}`);
    },
  }).finally(() => {
    if (live) process.stderr.write('\r\u001b[K');
  });
  const where = relative(cwd, added.folder) || '.';
  process.stdout.write(
    `${added.name} ${added.version} added${options.for === undefined ? '' : ` for ${options.for}`}, in ${where}\n`,
  );
  if (added.types) process.stdout.write(`${added.types} added with it, for its types\n`);
  if (added.scripts.length > 0) {
    const told = scriptsText(added.scripts).map((line) => `  ${harmless(line)}\n`);
    process.stdout.write(
      options.scripts
        ? `Scripts were run:\n${told.join('')}`
        : `Scripts were not run. If it does not work without, add it again with --scripts:\n${told.join('')}`,
    );
  }
  return 0;
}
