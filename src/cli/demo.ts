/** `usher-anvil demo`: the workbench on a copy of the demo pads, so that edits spoil nothing. */
import { cpSync, existsSync, mkdirSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { openCommand } from './open.js';

export async function demoCommand(options: { port?: string; folder?: string }): Promise<number> {
  const source = fileURLToPath(new URL('../../examples', import.meta.url));
  const folder = options.folder === undefined ? mkdtempSync(join(tmpdir(), 'usher-anvil-demo-')) : resolve(options.folder);
  if (!existsSync(folder)) mkdirSync(folder, { recursive: true });
  // What is there already may have been edited.
  cpSync(source, folder, { recursive: true, force: false });
  process.stdout.write(`The demo pads are in ${folder}\nA program that keeps running:  usher-anvil live ${join(folder, 'chamber', 'chamber.ts')}\n\n`);
  return openCommand(join(folder, 'tolls', 'tolls.ts'), { root: folder, ...(options.port === undefined ? {} : { port: options.port }) });
}
