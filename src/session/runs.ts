/** One run of a pad, from its link to its end. */
import { RecordBuilder } from '../record/builder.js';
import type { PadRecord, Stop } from '../record/record.js';
import type { RawTest } from '../wire/reports.js';
import type { PadResult, TestOrder } from '../wire/runs.js';
import type { RunHandle } from './host.js';
import type { Linked } from './linked.js';

export interface Run {
  id: number;
  linked: Linked;
  builder: RecordBuilder;
  handle: RunHandle | undefined;
  target: PadRecord['target'];
  durationMs: number;
  startedAt: number;
  settled: boolean;
  over: boolean;
  stop: Stop | undefined;
  emitted: number;
  /** Results of its tests so far, by number. */
  tests: Map<number, RawTest>;
  order: TestOrder | undefined;
  /** The pad's default export, once it is there. */
  result: PadResult | undefined;
  /** Its thread has packages that an earlier run has loaded. */
  kept: boolean;
  /** Only the test that was edited runs; the others have the results of the run before. */
  quick: boolean;
  /** It is shown once its tests have ended, and not before. */
  quiet: boolean;
  /** It repeats the one before it, to tell another part of it. */
  repeats: boolean;
  /** See {@link Surroundings.key}. */
  around: string;
  pendingEmit: (() => void) | undefined;
  limit: (() => void) | undefined;
}

/**
 * @param startedAt on the session's clock, in milliseconds
 * @param stepsBytes of memory for frames, statements and values at depth `steps`
 */
export function newRun(id: number, linked: Linked, startedAt: number, stepsBytes?: number): Run {
  return {
    id,
    linked,
    builder: new RecordBuilder(linked.program, stepsBytes),
    handle: undefined,
    target: 'none',
    durationMs: 0,
    startedAt,
    settled: false,
    over: false,
    stop: undefined,
    emitted: 0,
    tests: new Map(),
    order: undefined,
    result: undefined,
    kept: false,
    quick: false,
    quiet: false,
    repeats: false,
    around: '',
    pendingEmit: undefined,
    limit: undefined,
  };
}
