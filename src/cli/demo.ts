/** `usher-anvil demo`: the workbench on a copy of the demo pads, so that edits spoil nothing. */
import { cpSync, existsSync, mkdirSync, mkdtempSync, symlinkSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve, sep } from 'node:path';
import { createRequire } from 'node:module';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { openCommand } from './open.js';

export async function demoCommand(options: { port?: string; folder?: string }): Promise<number> {
  const source = fileURLToPath(new URL('../../examples', import.meta.url));
  const folder = options.folder === undefined ? mkdtempSync(join(tmpdir(), 'usher-anvil-demo-')) : resolve(options.folder);
  if (!existsSync(folder)) mkdirSync(folder, { recursive: true });
  // What is there already may have been edited.
  cpSync(source, folder, { recursive: true, force: false });
  linkPackage('sql.js', folder);
  // A stand-in for the canal's API, for the pad that makes requests.
  const { start } = (await import(pathToFileURL(join(source, 'api', 'server.mjs')).href)) as { start(): Promise<{ url: string; close(): void }> };
  const api = await start();
  process.env.WENLOW_API = api.url;
  process.stdout.write(`The demo pads are in ${folder}\nA program that keeps running:  usher-anvil live ${join(folder, 'chamber', 'chamber.ts')}\n\n`);
  try {
    return await openCommand(join(folder, 'tolls', 'tolls.ts'), { root: folder, ...(options.port === undefined ? {} : { port: options.port }) });
  } finally {
    api.close();
  }
}

/** Makes a package of ours reachable from the copy, where we have it; where not, the workbench offers to add it. */
function linkPackage(name: string, folder: string): void {
  try {
    const entry = createRequire(import.meta.url).resolve(name);
    const from = entry.slice(0, entry.lastIndexOf(`${sep}${name}${sep}`) + name.length + 1);
    const to = join(folder, 'node_modules', name);
    if (existsSync(to)) return;
    mkdirSync(dirname(to), { recursive: true });
    symlinkSync(from, to, 'junction');
  } catch {
    // Not here: the pad says so.
  }
}
