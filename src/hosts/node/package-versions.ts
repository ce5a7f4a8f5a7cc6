/** What can be imported where nothing of it is installed yet: versions, as the registry of npm knows them. */
import { spawn } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { builtinModules } from 'node:module';
import { dirname, join } from 'node:path';
import { z } from 'zod';
import { PAD_FOLDER } from './pad-folder.js';

export interface PackageVersions {
  name: string;
  /** The one that is added where none is named, then the newest of each main version, the newest first. */
  versions: string[];
  description: string;
}

/** Milliseconds after which a registry that does not answer is left alone, and for how long an answer holds. */
const LIMIT_MS = 8_000;
const HOLDS_MS = 600_000;
/** Versions that are told. */
const MOST = 8;
const NAME = /^(?:@[a-z0-9~-][a-z0-9._~-]*\/)?[a-z0-9~-][a-z0-9._~-]*$/;

const known = new Map<string, { at: number; answer: Promise<PackageVersions | undefined> }>();

/**
 * Asks npm for the versions of a package; undefined where there is none, or the registry cannot be reached.
 *
 * @param folder where npm's settings count
 */
export function packageVersions(name: string, folder: string): Promise<PackageVersions | undefined> {
  // Nothing that npm would take for an option.
  if (!NAME.test(name) || name.startsWith('-')) return Promise.resolve(undefined);
  const key = `${name}\n${folder}`;
  const found = known.get(key);
  if (found && Date.now() - found.at < HOLDS_MS) return found.answer;
  const answer = view(name, folder);
  known.set(key, { at: Date.now(), answer });
  void answer.then((versions) => {
    // It may be there, or be reached, the next time.
    if (versions === undefined) known.delete(key);
  });
  return answer;
}

const viewed = z.object({
  versions: z.union([z.array(z.string()), z.string()]),
  'dist-tags': z.object({ latest: z.string() }),
  description: z.string().optional(),
});

function view(name: string, folder: string): Promise<PackageVersions | undefined> {
  return new Promise((resolve) => {
    const child = spawn('npm', ['view', name, 'versions', 'dist-tags', 'description', '--json', '--fetch-retries=0'], {
      cwd: folder,
      env: process.env,
      stdio: ['ignore', 'pipe', 'ignore'],
      timeout: LIMIT_MS,
    });
    let text = '';
    child.stdout.on('data', (data: Buffer) => (text += data.toString('utf8')));
    child.on('error', () => resolve(undefined));
    child.on('close', () => {
      try {
        const { versions, description = '', ...found } = viewed.parse(JSON.parse(text));
        resolve({ name, versions: chosen([versions].flat(), found['dist-tags'].latest), description });
      } catch {
        resolve(undefined);
      }
    });
  });
}

/** @param versions as the registry lists them, the oldest first */
function chosen(versions: readonly string[], latest: string): string[] {
  const newest = new Map<string, string>();
  for (const version of versions) {
    if (version.includes('-')) continue;
    const [major = '', minor = ''] = version.split('.');
    newest.set(major === '0' ? `0.${minor}` : major, version);
  }
  return [...new Set([latest, ...[...newest.values()].reverse()])].slice(0, MOST);
}

/** Names that can be imported in a folder, of packages and of the platform. */
export function importableNames(folder: string): string[] {
  const names = new Set<string>();
  for (let at = folder; ; at = dirname(at)) {
    for (const packages of [join(at, 'node_modules'), join(at, PAD_FOLDER, 'node_modules')]) {
      // Those that the project has asked for itself, and not all that these brought with them.
      for (const name of wantedIn(dirname(packages))) if (existsSync(join(packages, name))) names.add(name);
    }
    if (dirname(at) === at) break;
  }
  for (const name of builtinModules) if (!name.startsWith('_')) names.add(`node:${name.replace(/^node:/, '')}`);
  return [...names].sort();
}

function wantedIn(folder: string): string[] {
  try {
    const manifest = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')) as Record<
      string,
      object | undefined
    >;
    return ['dependencies', 'devDependencies', 'peerDependencies', 'optionalDependencies'].flatMap((kind) =>
      Object.keys(manifest[kind] ?? {}),
    );
  } catch {
    return [];
  }
}
