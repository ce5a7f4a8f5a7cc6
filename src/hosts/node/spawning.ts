/** Starts processes for pads; one may be started ahead of all that is known of its pad, while the rest is loaded. */
import { type ChildProcess, spawn, type StdioOptions } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Socket } from 'node:net';
import { z } from 'zod';
import { AnvilError } from '../../syntax/problems.js';
import { entryUrl, type EntryName } from './entries.js';

/**
 * Instrumented functions are longer than what was written; the engine's limits
 * for inlining count that length. These give them back the room the plain
 * functions had (measured: `npm run bench`).
 */
export const ENGINE_FLAGS = ['--max-inlined-bytecode-size=2000', '--max-inlined-bytecode-size-cumulative=4000'];

export interface Spawned {
  entry: EntryName;
  args: readonly string[];
  flags: readonly string[];
  cwd: string;
  env: NodeJS.ProcessEnv;
  /** It leads a group, so that all it has started can be ended with it. */
  ownGroup: boolean;
  stdin: 'ignore' | 'inherit';
  output: 'pipe' | 'inherit';
  /** Starts it in another way. */
  host?: HostPlugin | undefined;
}

/** What starts a process. */
export interface Command {
  command: string;
  args: string[];
  cwd: string;
  env: Record<string, string | undefined>;
}

/** A way of a project to start the processes of its pads. */
export interface HostPlugin {
  /** For people: `the night shift`. */
  name: string;
  /** Whether it is for this pad; for all where it is absent. */
  for?(file: string): boolean;
  /**
   * @param asked what would be started
   * @returns what is to be started in its place: it has to hand on the first four file descriptors, and the signals
   */
  command(asked: Command): Command;
}

let early: { key: string; child: ChildProcess } | undefined;

/** Arguments of the process that holds a worker for one run: so it has that ready without being told more. */
export function onceArgs(memoryMb: number, careful: boolean): string[] {
  return ['once', String(memoryMb), careful ? 'careful' : ''];
}

/** Starts the process of a run with the usual options. It ends with this one, whether it is used or not. */
export function startEarly(careful: boolean): void {
  const asked = usual(onceArgs(512, careful));
  const child = start(asked);
  for (const one of [child, ...child.stdio]) (one as Socket | null)?.unref();
  child.on('error', () => undefined);
  early = { key: keyOf(asked), child };
}

/** Starts a process, or takes the one that was started early where it is the same. */
export function spawnPad(asked: Spawned): ChildProcess {
  const found = early;
  if (asked.host || found?.key !== keyOf(asked) || asked.env !== process.env || found.child.exitCode !== null)
    return start(asked);
  early = undefined;
  for (const one of [found.child, ...found.child.stdio]) (one as Socket | null)?.ref();
  return found.child;
}

function usual(args: readonly string[]): Spawned {
  return {
    entry: 'relay-main',
    args,
    flags: [],
    cwd: process.cwd(),
    env: process.env,
    ownGroup: process.platform !== 'win32',
    stdin: 'ignore',
    output: 'pipe',
  };
}

function keyOf({ env: _env, ...rest }: Spawned): string {
  return JSON.stringify(rest);
}

function start({ entry, args, flags, cwd, env, ownGroup, stdin, output, host }: Spawned): ChildProcess {
  const stdio: StdioOptions = [stdin, output, output, 'pipe'];
  const usually: Command = {
    command: process.execPath,
    args: [...ENGINE_FLAGS, ...flags, fileURLToPath(entryUrl(entry)), ...args],
    cwd,
    env: { ...env },
  };
  const asked = host ? commandOf(host, usually) : usually;
  return spawn(asked.command, asked.args, {
    cwd: asked.cwd,
    env: asked.env as NodeJS.ProcessEnv,
    detached: ownGroup,
    stdio,
  });
}

/** @throws AnvilError `E_OPTION` where the project's own way of starting fails */
function commandOf(host: HostPlugin, usually: Command): Command {
  try {
    return command.parse(host.command(usually)) as Command;
  } catch (error) {
    const [issue] = error instanceof z.ZodError ? error.issues : [];
    const why = issue ? `${issue.path.join('.')} ${issue.message}` : (error as Error).message;
    throw new AnvilError('E_OPTION', `The host "${host.name}" of this project gives no command: ${why}`);
  }
}

const command = z.object({
  command: z.string().min(1),
  args: z.array(z.string()),
  cwd: z.string().min(1),
  env: z.record(z.string(), z.string().optional()),
});
