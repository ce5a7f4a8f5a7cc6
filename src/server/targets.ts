/**
 * The targets of a person: each live program registers itself in a folder that
 * only that person can read, and is found there by its name. Format
 * `usher-anvil/target@1`, one file for each.
 */
import { chmodSync, lstatSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, dirname, extname, join } from 'node:path';
import { z } from 'zod';
import { isAlive } from '../hosts/node/alive.js';
import { stateFolder } from '../hosts/node/state-folder.js';
import { nearest } from '../syntax/names.js';
import { AnvilError } from '../syntax/problems.js';

/** What a target can be called: it stands in paths and in terminals. */
const NAME = /^\w[\w.-]{0,59}$/;

const registration = z.object({
  format: z.literal('usher-anvil/target@1'),
  name: z.string().regex(NAME),
  /** Of the program. */
  pid: z.int().min(1),
  /** Of the process that holds its door. */
  door: z.int().min(1),
  entry: z.string(),
  files: z.array(z.string()),
  /** When it was started, as ISO 8601. */
  since: z.iso.datetime(),
  /** Path of a local socket, or `127.0.0.1:port`. */
  address: z.string().regex(/^(?:127\.0\.0\.1:\d{1,5}|\/[^\0\n]{1,200}\.sock)$/),
  token: z.string().regex(/^[\w.~+/=-]{1,200}$/),
});

export type Registration = z.infer<typeof registration>;

/** The longest path of a local socket that all systems take. */
const LONGEST_SOCKET = 100;

/**
 * Where targets register: `USHER_ANVIL_TARGETS`, else the runtime folder of the person's session, else the state
 * folder.
 */
export function targetsFolder(env: NodeJS.ProcessEnv = process.env): string {
  if (env.USHER_ANVIL_TARGETS) return env.USHER_ANVIL_TARGETS;
  if (env.XDG_RUNTIME_DIR) return join(env.XDG_RUNTIME_DIR, 'usher-anvil', 'targets');
  return join(stateFolder(env), 'targets');
}

/**
 * The folder, made if need be, and open to nobody else.
 *
 * @throws AnvilError `E_FOLDER` when it belongs to somebody else, is a link, or cannot be made
 */
export function ownFolder(folder: string): string {
  const refuse = (why: string): never => {
    throw new AnvilError('E_FOLDER', `${folder} ${why}. Remove it, or name another folder in USHER_ANVIL_TARGETS.`);
  };
  try {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
  } catch (error) {
    refuse(`cannot be made: ${(error as Error).message}`);
  }
  const found = lstatSync(folder);
  if (!found.isDirectory()) refuse('is no folder');
  if (process.getuid && found.uid !== process.getuid()) refuse('belongs to another user');
  if ((found.mode & 0o077) !== 0) chmodSync(folder, 0o700);
  return folder;
}

/** Path for the local socket of a target; a folder of its own where the path would be too long. */
export function socketPath(folder: string, name: string, id: number): string {
  const path = join(folder, `${name}-${id}.sock`);
  if (Buffer.byteLength(path) <= LONGEST_SOCKET) return path;
  return join(ownFolder(shortFolder()), `${id}.sock`);
}

const shortFolder = (): string => join(tmpdir(), `usher-anvil-${process.getuid?.() ?? 'user'}`);

const pathOf = (folder: string, entry: Pick<Registration, 'name' | 'door'>): string =>
  join(folder, `${entry.name}-${entry.door}.json`);

/** Writes a registration, readable by its owner alone. */
export function register(entry: Registration, folder = targetsFolder()): void {
  const path = pathOf(ownFolder(folder), entry);
  const part = `${path}.part`;
  writeFileSync(part, JSON.stringify(entry, null, 2), { mode: 0o600 });
  renameSync(part, path);
}

export function unregister(entry: Pick<Registration, 'name' | 'door' | 'address'>, folder = targetsFolder()): void {
  rmSync(pathOf(folder, entry), { force: true });
  // A registration is a file that anything of the person can write: only a socket of ours is taken away for it.
  const { address } = entry;
  const ours = [folder, shortFolder()].some((one) => dirname(address) === one);
  if (ours && lstatSync(address, { throwIfNoEntry: false })?.isSocket()) rmSync(address, { force: true });
}

/**
 * Checks a name that a person gave.
 *
 * @throws AnvilError `E_OPTION` when a target cannot be called so
 */
export function checkName(name: string): string {
  if (NAME.test(name)) return name;
  throw new AnvilError(
    'E_OPTION',
    `${JSON.stringify(name.slice(0, 80))} cannot be the name of a program. Take up to 60 letters, digits, dots and dashes.`,
  );
}

/** The name of a new target: that of its first file, with a number where another lives under it. */
export function freeName(entry: string, folder = targetsFolder()): string {
  const name =
    basename(entry, extname(entry))
      .replace(/[^\w.-]/g, '-')
      .replace(/^[.-]+/, '')
      .slice(0, 50) || 'program';
  const taken = new Set(targets(folder).map((one) => one.name));
  for (let n = 1; ; n++) {
    const candidate = n === 1 ? name : `${name}-${n}`;
    if (!taken.has(candidate)) return candidate;
  }
}

/** The targets that live, the oldest first. What processes left behind that are gone is cleaned away. */
export function targets(folder = targetsFolder()): Registration[] {
  let names: string[];
  try {
    const found = lstatSync(folder);
    // What somebody else put there is not believed.
    if (!found.isDirectory() || (process.getuid && found.uid !== process.getuid())) return [];
    names = readdirSync(folder).filter((name) => name.endsWith('.json'));
  } catch {
    return [];
  }
  const living: Registration[] = [];
  for (const name of names) {
    let entry: Registration;
    try {
      entry = registration.parse(JSON.parse(readFileSync(join(folder, name), 'utf8')));
    } catch {
      continue;
    }
    // What stands under another name than its own is none of ours.
    if (name !== basename(pathOf(folder, entry))) continue;
    if (isAlive(entry.door) && !isYounger(entry.door, entry.since)) living.push(entry);
    else unregister(entry, folder);
  }
  return living.sort((a, b) => a.since.localeCompare(b.since));
}

/**
 * The target that a person means: by name, or the only one.
 *
 * @throws AnvilError `E_TARGET` when there is none, or more than one could be meant
 */
export function targetNamed(name: string | undefined, folder = targetsFolder()): Registration {
  const all = targets(folder);
  const list = all.map((one) => one.name).join(', ');
  if (name === undefined) {
    if (all.length === 1) return all[0]!;
    throw new AnvilError(
      'E_TARGET',
      all.length === 0
        ? 'no program is live. Start one: usher-anvil live chamber.ts'
        : `${all.length} programs are live: name one of ${list}`,
    );
  }
  const found = all.filter((one) => one.name === name || String(one.pid) === name || one.address === name);
  if (found.length > 1)
    throw new AnvilError(
      'E_TARGET',
      `${found.length} programs are live under the name ${name}. Name one by its process: ` +
        found.map((one) => one.pid).join(', '),
    );
  if (found[0]) return found[0];
  const near = nearest(
    name,
    all.map((one) => one.name),
  );
  throw new AnvilError(
    'E_TARGET',
    all.length === 0
      ? `no program is live under the name ${name}. Start one: usher-anvil live chamber.ts`
      : `no program is live under the name ${name}${near ? `. Did you mean ${near}?` : `; there are ${list}`}`,
  );
}

/** Ticks of the clock in a second, in which Linux tells when a process began. */
const TICKS = 100;
/** Seconds by which two clocks may differ. */
const APART = 60;

/** True when a process began later than a time: its number was given anew. Only Linux tells; false elsewhere. */
function isYounger(pid: number, since: string): boolean {
  try {
    const [, rest] = readFileSync(`/proc/${pid}/stat`, 'utf8').split(/\) (?!.*\) )/);
    const booted = /^btime (\d+)$/m.exec(readFileSync('/proc/stat', 'utf8'))?.[1];
    const began = Number(booted) + Number(rest!.split(' ')[19]) / TICKS;
    return began > Date.parse(since) / 1_000 + APART;
  } catch {
    return false;
  }
}
