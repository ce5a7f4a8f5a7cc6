/** Starts processes for pads; one may be started ahead of all that is known of its pad, while the rest is loaded. */
import { type ChildProcess, spawn, type StdioOptions } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Socket } from 'node:net';
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
  if (found?.key !== keyOf(asked) || asked.env !== process.env || found.child.exitCode !== null) return start(asked);
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

function start({ entry, args, flags, cwd, env, ownGroup, stdin, output }: Spawned): ChildProcess {
  const stdio: StdioOptions = [stdin, output, output, 'pipe'];
  return spawn(process.execPath, [...ENGINE_FLAGS, ...flags, fileURLToPath(entryUrl(entry)), ...args], {
    cwd,
    env,
    detached: ownGroup,
    stdio,
  });
}
