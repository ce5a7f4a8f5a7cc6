/** A thread that runs a pad, and what the relay knows of its run. */
import type { MessagePort, Worker } from 'node:worker_threads';
import type { RawStop } from '../../wire/runs.js';

/** A thread that can run one pad. */
export interface PadThread {
  port: Pick<MessagePort, 'postMessage'> & { on(event: 'message', listener: (message: unknown) => void): unknown };
  worker?: Worker;
  /** Ends the thread; on a main thread only the session can, by ending the process. */
  end(): void;
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
  over: boolean;
  wakes: Map<number, SharedArrayBuffer>;
  beat: NodeJS.Timeout;
  /** It has ended and left nothing behind. */
  unchanged: boolean;
}

/** Cells that are told of a run that was ended. */
const MOST_ACTIVE = 200;

/** It has counted since it was looked at last. */
export function moved({ cells, before }: Running): boolean {
  return [...cells].some(([unit, counts]) => counts.some((count, cell) => count > (before.get(unit)?.[cell] ?? 0)));
}

/** Cells that have counted since then, those that counted most first. */
export function activeCells({ cells, before }: Running): NonNullable<RawStop['active']> {
  const active: NonNullable<RawStop['active']> = [];
  for (const [unit, counts] of cells) {
    const then = before.get(unit);
    for (let cell = 0; cell < counts.length; cell++) {
      const by = counts[cell]! - (then?.[cell] ?? 0);
      if (by > 0) active.push({ unit, cell, by });
    }
  }
  return active.sort((a, b) => b.by - a.by).slice(0, MOST_ACTIVE);
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

export function countsOf(cells: Map<number, Float64Array>): { unit: number; cells: Float64Array }[] {
  return [...cells].map(([unit, counts]) => ({ unit, cells: Float64Array.from(counts) }));
}
