/** Which project a folder belongs to. */
import { existsSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** The folder of the whole project: packages of one repository belong together. */
export function projectAround(folder: string): string {
  for (let at = folder; dirname(at) !== at; at = dirname(at)) {
    if (existsSync(join(at, '.git')) || existsSync(join(at, 'pnpm-workspace.yaml'))) return at;
    try {
      const manifest = JSON.parse(readFileSync(join(at, 'package.json'), 'utf8')) as { workspaces?: unknown };
      if (manifest.workspaces !== undefined) return at;
    } catch {
      // None here, or one that says nothing.
    }
  }
  return folder;
}
