/** Where the types of packages are. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** True where a package says what types it has. */
export function hasTypes(folder: string): boolean {
  try {
    const manifest = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')) as Record<string, unknown>;
    if (typeof manifest.types === 'string' || typeof manifest.typings === 'string') return true;
    if (/"types"\s*:/.test(JSON.stringify(manifest.exports ?? ''))) return true;
    return readdirSync(folder).some((name) => /^index\.d\.[cm]?ts$/.test(name));
  } catch {
    return false;
  }
}

/** The package that holds the types of one that has none of its own. */
export function typesPackage(name: string): string {
  return `@types/${name.startsWith('@') ? name.slice(1).replace('/', '__') : name}`;
}
