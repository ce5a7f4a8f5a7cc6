/** A thread that runs a pad, and what the relay knows of its run. */
import type { MessagePort, Worker } from 'node:worker_threads';
import type { FromPad } from '../../wire/messages.js';
import type { RawStop } from '../../wire/runs.js';

/** A thread that can run one pad. */
export interface PadThread {
  port: Pick<MessagePort, 'postMessage'> & { on(event: 'message', listener: (message: unknown) => void): unknown };
  worker?: Worker;
  /** Ends the thread; on a main thread only the session can, by ending the process. */
  end(): void;
  /** It stands still, and looks for messages when this changes. */
  bell?: Int32Array | undefined;
  ready: boolean;
  /** It loads packages before its run. */
  hasPackages: boolean;
}

export interface Running {
  id: number;
  thread: PadThread;
  cells: Map<number, Float64Array>;
  before: Map<number, Float64Array>;
  answeredAt: number;
  /** Processor time of this process when the target answered last, in milliseconds. */
  usedThen: number;
  hangMs: number;
  /** What is being loaded that is not the person's. */
  loading: number;
  over: boolean;
  wakes: Map<number, SharedArrayBuffer>;
  beat: NodeJS.Timeout;
  /** Set while it goes on though nobody wants it: its thread may do for the next run. */
  grace?: NodeJS.Timeout;
  /** It is one that nobody waits for, beside what the last one has come to. */
  clean: boolean;
  /** Nothing of it is pending any more. */
  idle: boolean;
  /** It has ended and left nothing behind. */
  unchanged: boolean;
}

/** Milliseconds after which packages that are loaded are taken for code that goes round. */
const LOADING_MS = 30_000;

/** It has counted since it was looked at last. */
export function moved({ cells, before }: Running): boolean {
  return [...cells].some(([unit, counts]) => counts.some((count, cell) => count > (before.get(unit)?.[cell] ?? 0)));
}

/** Processor time of this process in milliseconds. */
export function usedMs(): number {
  const { user, system } = process.cpuUsage();
  return (user + system) / 1_000;
}

export function answered(running: Running): void {
  running.answeredAt = Date.now();
  running.usedThen = usedMs();
}

/** Packages begin to be loaded, or have been. */
export function noteLoading(running: Running, begins: boolean): void {
  running.loading = Math.max(0, running.loading + (begins ? 1 : -1));
  answered(running);
}

export function countsOf(cells: Map<number, Float64Array>): { unit: number; cells: Float64Array }[] {
  return [...cells].map(([unit, counts]) => ({ unit, cells: Float64Array.from(counts) }));
}

/** Notes how far it has counted. */
export function noteCells({ cells, before }: Running): void {
  for (const [unit, counts] of cells) before.set(unit, counts.slice());
}

/** Why a run has to be ended: it does not answer, or its process has grown too large; undefined where it may go on. */
export function reasonToStop(running: Running, memoryMb: number): RawStop | undefined {
  // Large packages take seconds to load, and longer on a busy machine.
  const hangMs = running.loading > 0 ? Math.max(running.hangMs, LOADING_MS) : running.hangMs;
  const silent = Date.now() - running.answeredAt;
  // A target that had no processor is not one that goes round: it is given more time by the clock.
  if (silent > hangMs && (usedMs() - running.usedThen > hangMs / 2 || silent > hangMs * 4))
    return { reason: 'not-answering' };
  const size = process.memoryUsage.rss() / 1024 / 1024;
  if (running.thread.worker && size > memoryMb * 2 + 512)
    return { reason: 'memory', detail: `the process reached ${Math.round(size)} MB` };
  return undefined;
}

/** What is known of a run that begins. */
export function begun(
  { id, hangMs, asked }: { id: number; hangMs: number; asked: { clean?: boolean } },
  thread: PadThread,
  beat: () => void,
  beatMs: number,
): Running {
  return {
    ...{ id, thread, hangMs, clean: asked.clean === true, loading: 0, idle: false },
    ...{ unchanged: false, over: false },
    ...{ cells: new Map(), before: new Map(), wakes: new Map() },
    answeredAt: Date.now(),
    usedThen: usedMs(),
    beat: setInterval(beat, beatMs),
  };
}

/** Sets a flag that a thread waits for. */
export function ring(flag: SharedArrayBuffer): void {
  const cells = new Int32Array(flag);
  Atomics.store(cells, 0, 1);
  Atomics.notify(cells, 0);
}

/** A thread that waits for an answer is told that it is there. */
export function wake({ wakes }: Running, ask: number): void {
  const flag = wakes.get(ask);
  wakes.delete(ask);
  if (flag) ring(flag);
}

/** How a run ends whose thread says that it is about to. */
export function leavingStop(
  { cells }: Running,
  { reason, frames, code }: Extract<FromPad, { type: 'leaving' }>,
): RawStop {
  return { reason, frames, counts: countsOf(cells), ...(code === undefined ? {} : { code }) };
}
