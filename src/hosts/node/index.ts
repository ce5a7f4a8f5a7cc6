/**
 * `usher-anvil`: sessions and pads in Node.
 */
import { dirname, resolve } from 'node:path';
import type { SessionOptions } from '../../session/options.js';
import { Session } from '../../session/session.js';
import type { Host } from '../../session/host.js';
import type { InputData } from '../../wire/runs.js';
import type { PadRecord } from '../../record/record.js';
import { AnvilError } from '../../syntax/problems.js';
import { nodeClock } from './clock.js';
import { NodeFiles } from './files.js';
import { ProcessHost, WorkerHost, type NodeHostOptions } from './host.js';
import { additionsFor } from './project/additions.js';
import { nodeLanguage } from './language.js';
import { nodeOwnRuns, warmOwnRuns } from './own-runs/index.js';

export interface PadOptions {
  /** Path of the pad; relative paths are taken from `cwd`. Its extension decides the language. */
  file: string;
  /** Text to run in place of what the file holds; the file need not exist. */
  text?: string;
  /**
   * Where it runs: `worker`, a thread in a process of its own (fast);
   * `process`, the main thread of one (for `process.chdir`, signals, standard
   * input, some add-ons); `auto` chooses by what the pad uses. Default `auto`.
   */
  target?: 'auto' | 'worker' | 'process';
  /**
   * Milliseconds after which the run is ended, whatever it does. Default 10,000 for {@link runPad}, none for sessions.
   */
  timeLimitMs?: number;
  /**
   * Milliseconds without any answer (an endless loop) after which the run is ended. Default 2,000; for {@link runPad}
   * nearly its time limit.
   */
  hangMs?: number;
  /** Heap limit of the pad in megabytes. Default 512. */
  memoryMb?: number;
  /** Working directory of the pad. Default: that of this process. */
  cwd?: string;
  /** Environment of the pad. Default: that of this process. */
  env?: Record<string, string | undefined>;
  /** Arguments behind the pad's name in `process.argv`. */
  argv?: readonly string[];
  /** With `inherit`, a pad on a main thread reads this process's standard input. Default `ignore`. */
  stdin?: 'ignore' | 'inherit';
  /** The data that `input` of `usher-anvil/pad` reads: a file, or bytes with a name. */
  input?: InputData;
  /** Gates that open by themselves when they are reached, by name. */
  open?: readonly string[];
  /** Hand over the pad's default export: `padResult` of the session. */
  result?: boolean;
  /** Processes that the pad starts go on when its run ends; without it they end with the run. Default false. */
  keepStarted?: boolean;
  /**
   * A careful run: writes to files, connections, requests that change things, started processes and native code are
   * held as closed gates. `open` lets them through by what they would do, as the record names it. Default false.
   */
  careful?: boolean;
  /**
   * When the project's own test framework runs the tests of a saved file as well, and its results are told in place of
   * those that differ: `at-end` of each run, `at-rest` a moment later. Without it only files whose tests a pad cannot
   * run are run by it.
   */
  ownRuns?: 'at-end' | 'at-rest';
  /**
   * How much the pad reports: with `steps` also each activation of a function and each statement, and every value, for
   * `walk` of `usher-anvil/record`. Default `values`.
   */
  depth?: 'values' | 'steps';
  /**
   * At depth `steps`: megabytes of memory for what is told of frames, statements and values. When they are used up, the
   * oldest half is let go of. Default 96.
   */
  stepsMb?: number;
  /** At depth `steps`, of pictures that `paint` makes pixel by pixel: the call for this one alone is told. */
  pixel?: { x: number; y: number };
  /** It runs once: nothing is made ready for a next edit. True for {@link runPad}. */
  once?: boolean;
}

/**
 * Creates a session: a pad that re-executes at each edit.
 *
 * The first run starts with {@link Session.execute} or the first
 * {@link Session.edit}. Close the session when done: it holds a process.
 *
 * @throws AnvilError `E_OPTION` for an option out of range
 */
export function createSession(options: PadOptions): Session {
  check(options);
  const cwd = resolve(options.cwd ?? process.cwd());
  const file = resolve(cwd, options.file);
  // Of what a project adds, a careful run executes nothing.
  const { hosts } = options.careful ? { hosts: [] } : additionsFor(dirname(file));
  const host = hosts.find(({ plugin }) => plugin.for?.(file) ?? true)?.plugin;
  const hostOptions: NodeHostOptions = {
    cwd,
    memoryMb: options.memoryMb ?? 512,
    env: options.env ?? process.env,
    argv: options.argv ?? [],
    stdin: options.stdin ?? 'ignore',
    once: options.once ?? false,
    keepStarted: options.keepStarted ?? false,
    careful: options.careful ?? false,
    ...(host ? { host } : {}),
  };
  const sessionOptions: SessionOptions = {
    file,
    ...(options.text === undefined ? {} : { text: options.text }),
    target: options.target ?? 'auto',
    timeLimitMs: options.timeLimitMs ?? Infinity,
    hangMs: options.hangMs ?? 2_000,
    ...(options.input ? { input: options.input } : {}),
    ...(options.open ? { open: options.open } : {}),
    ...(options.result ? { result: true } : {}),
    ...(options.ownRuns ? { ownRuns: options.ownRuns } : {}),
    ...(options.depth ? { depth: options.depth } : {}),
    ...(options.pixel ? { pixel: options.pixel } : {}),
    ...(options.stepsMb === undefined ? {} : { stepsBytes: options.stepsMb * 1024 * 1024 }),
    ...(options.once ? { alone: true } : {}),
  };
  // What a careful run holds, the framework itself would do.
  const ownRuns = options.careful ? {} : { ownRuns: options.once ? nodeOwnRuns : warmOwnRuns };
  const hostFor = (kind: 'worker' | 'process'): Host =>
    kind === 'worker' ? new WorkerHost(hostOptions) : new ProcessHost(hostOptions);
  return new Session(sessionOptions, {
    files: new NodeFiles(options.careful),
    language: nodeLanguage,
    clock: nodeClock,
    host: hostFor,
    ...ownRuns,
  });
}

/**
 * Runs a pad once, until nothing of it is pending any more, and resolves with
 * its record. A pad that fails does not reject: its record says what happened.
 *
 * @throws AnvilError when the pad cannot be read (`E_NOT_FOUND`, `E_IS_FOLDER`,
 * `E_UNREADABLE`, `E_BINARY`, `E_TOO_LARGE`) or an option is wrong (`E_OPTION`)
 */
export async function runPad(options: PadOptions): Promise<PadRecord> {
  const timeLimitMs = options.timeLimitMs ?? 10_000;
  const session = createSession({ hangMs: timeLimitMs, once: true, ...options, timeLimitMs });
  try {
    session.execute();
    return await session.settled();
  } finally {
    await session.close();
  }
}

function check(options: PadOptions): void {
  if (typeof options.file !== 'string' || options.file === '')
    throw new AnvilError('E_OPTION', 'file is missing: give the path of the pad.');
  for (const name of ['timeLimitMs', 'hangMs', 'memoryMb', 'stepsMb'] as const) {
    const value = options[name];
    if (value !== undefined && !(typeof value === 'number' && value > 0))
      throw new AnvilError('E_OPTION', `${name} is ${String(value)}. It must be a number above 0.`);
  }
  if (options.memoryMb !== undefined && options.memoryMb < 16)
    throw new AnvilError('E_OPTION', `memoryMb is ${options.memoryMb}. A pad needs at least 16.`);
  if (options.target !== undefined && !['auto', 'worker', 'process'].includes(options.target))
    throw new AnvilError('E_OPTION', `target is "${String(options.target)}". It is one of auto, worker, process.`);
}

export { Session } from '../../session/session.js';
export { createLive, type NodeLive } from './live.js';
export type { LiveOptions } from './live-host.js';
export type { Entered, LiveEvent, LiveOutput } from '../../session/live/events.js';
export type { LiveSession } from '../../session/live/session.js';
export { AnvilError, type ErrorCode } from '../../syntax/problems.js';
export type { PadRecord, Outcome, RecordError, ConsoleEntry, TestResult, Stop } from '../../record/record.js';
/** The record of one run; see `usher-anvil/record` for the questions asked of it. */
export type { PadRecord as Record } from '../../record/record.js';
