/**
 * A record: all that one run reported, immutable, ordered by moment. This file
 * holds its shape and its builder; `questions.ts` what is asked of it.
 */
import type { Range } from '../syntax/positions.js';
import type {
  Differences,
  RawConsole,
  RawDial,
  RawGate,
  RawRequest,
  RawShown,
  RawTest,
  RawTimer,
  RawWait,
} from '../wire/reports.js';
import type { StopReason } from '../wire/runs.js';
import { Tag } from '../wire/samples.js';
import type { Value } from '../wire/value.js';
import type { Program } from './program.js';
import type { Steps } from './step-rows.js';

export const RECORD_FORMAT = 'usher-anvil/record@1';

export type Outcome = 'ok' | 'failed' | 'syntax' | 'stopped';

/** Why a run was ended from outside or by itself before its end. */
export interface Stop {
  reason: StopReason;
  message: string;
  /** Exit code of `process.exit`, or the signal's name. */
  code?: number | string;
  file?: string;
  /** The place where it was, as far as it is known. */
  range?: Range;
}

export interface Frame {
  name: string;
  file: string;
  range: Range;
  /** In the pad or one of its local modules. */
  local: boolean;
  /** The rest of the path went on over an `await`. */
  isAsync?: true;
}

export interface RecordError {
  kind: 'syntax' | 'thrown' | 'rejection' | 'uncaught' | 'resolve';
  moment: number;
  name: string;
  message: string;
  code?: string;
  /** A package that is not there, and could be added. */
  package?: string;
  file: string;
  range: Range;
  frames: Frame[];
  value?: Value;
  expected?: Value;
  received?: Value;
  operator?: string;
  differences?: Differences;
  cause?: RecordError;
  errors?: RecordError[];
  /** How often the same error has come, in a program that runs on. */
  times?: number;
}

export interface ConsoleEntry {
  moment: number;
  /** Milliseconds since the run began. */
  time: number;
  level: RawConsole['level'];
  method: string;
  text: string;
  args: Value[];
  indent: number;
  file?: string;
  range?: Range;
  frames?: Frame[];
  table?: { columns: string[]; rows: string[][] };
  /** Which of several threads, processes and pages of a live program has printed it. */
  where?: string;
}

export interface TestResult {
  /** Number of the test in its run; `parent` is that of the test or suite around it, or -1. */
  id: number;
  parent: number;
  name: string;
  /** Names of the suites around it, outermost first. */
  path: string[];
  state: 'passed' | 'failed' | 'skipped' | 'todo' | 'running';
  file: string;
  /** Zero-based line of the call that declares it, and the line on which that call ends. */
  line: number;
  lastLine: number;
  durationMs: number;
  moment: number;
  suite: boolean;
  /** How its code ended: a test that is to do may have failed without counting. */
  passed: boolean;
  error?: RecordError;
  failure?: RawTest['failure'];
  /** Why it was left out: another test was asked for, or others are marked. */
  leftOut?: RawTest['leftOut'];
  /** Why it is skipped or to do, or what its failure means. */
  reason?: string;
  notes?: string[];
  /** Where it was asked for: cells of files, by their units, that counted while it ran. */
  reached?: RawTest['reached'];
  /** Taken from an earlier run: nothing it comes from has changed. */
  reused?: true;
  /** What the pad's own run of it had come to, where the project's framework has it otherwise. */
  inPad?: 'passed' | 'failed' | 'skipped' | 'todo' | 'running' | 'absent';
  /** The project's framework knows no such test. */
  onlyInPad?: true;
}

/** What the project's own test framework says of the tests, in a run of its own. */
export interface OwnRun {
  framework: string;
  state: 'running' | 'done' | 'failed';
  /** Why the tests run there alone, and not in the pad. */
  instead?: string;
  /** Why it gave no results. */
  problem?: string;
  durationMs?: number;
  /** Tests that it has otherwise than the pad's run. */
  differing: number;
}

/** A value, plot, table, drawing or picture that a pad shows with `usher-anvil/pad`. */
export interface Shown extends Omit<RawShown, 'frame'> {
  file?: string;
  line?: number;
}

/** Samples as columns; one row is one value of one site on one visit. */
export interface Samples {
  readonly length: number;
  readonly site: Int32Array;
  readonly visit: Float64Array;
  readonly moment: Float64Array;
  readonly tag: Uint8Array;
  readonly number: Float64Array;
  readonly rest: readonly (Value | string)[];
}

/** What came of a gate. */
export interface GateOutcome {
  state: 'done' | 'failed';
  text: string;
  ageMs: number;
}

export interface PadRecord {
  readonly format: typeof RECORD_FORMAT;
  readonly file: string;
  readonly outcome: Outcome;
  /** From the start of the first module to the end of the top level and of its tests. */
  readonly durationMs: number;
  /** False while the run is going on. */
  readonly ended: boolean;
  readonly program: Program;
  readonly samples: Samples;
  /** Frames and statements, where the run was at depth `steps`; see `walk`. */
  readonly steps?: Steps;
  /** Exact counts by cell, by unit. */
  readonly counts: ReadonlyMap<number, Float64Array>;
  /** Exact sums of timed marks, by program-wide site number; milliseconds. */
  readonly timings: ReadonlyMap<number, { total: number; visits: number }>;
  /** Kept expressions by program-wide site number: how old the value is (0: of this run), or why it cannot be kept. */
  readonly kept: ReadonlyMap<number, { ageMs?: number; why?: string }>;
  readonly console: readonly ConsoleEntry[];
  readonly consoleOmitted: number;
  /** What the pad shows on purpose, in order; the list is a new one whenever something of it has changed. */
  readonly shown: readonly Shown[];
  /** Awaits that have not come to their end, the oldest first. */
  readonly waits: readonly RawWait[];
  /** Timers that will fire. */
  readonly timers: readonly RawTimer[];
  /** Requests that the program made, in order. */
  readonly requests: readonly RawRequest[];
  readonly dials: readonly RawDial[];
  /** Gates by number; `last` is what came of the one of that name when it was last opened, also in an earlier run. */
  readonly gates: readonly (RawGate & { last?: GateOutcome })[];
  readonly errors: readonly RecordError[];
  readonly tests: readonly TestResult[];
  /** What the project's own test framework says of them. */
  readonly ownRun?: OwnRun;
  readonly stop?: Stop;
  /** The exit code with which the program ended by itself; absent while it goes on, and where it was stopped. */
  readonly exitCode?: number;
  /** Where it ran. */
  readonly target: 'worker' | 'process' | 'page' | 'none';
  /** Its packages were loaded by an earlier run, and may remember what that did with them: a clean run follows. */
  readonly keptPackages?: true;
  /** Moments in all. */
  readonly moments: number;
  /** Of a program that runs on: only observed functions report, and only what they said lately is kept. */
  readonly live?: {
    /** Counts per second by cell, by unit. */
    readonly rates: ReadonlyMap<number, Float64Array>;
    /** The first moment that is kept. */
    readonly from: number;
    /** Where it runs, in words. */
    readonly where?: string;
  };
}

/** The value of a row of the samples. */
export function valueAt(samples: Samples, row: number): Value {
  switch (samples.tag[row] as Tag) {
    case Tag.Number: {
      const value = samples.number[row]!;
      return { type: 'number', text: Object.is(value, -0) ? '-0' : String(value) };
    }
    case Tag.Undefined:
      return { type: 'undefined' };
    case Tag.Null:
      return { type: 'null' };
    case Tag.True:
      return { type: 'boolean', text: 'true' };
    case Tag.False:
      return { type: 'boolean', text: 'false' };
    default: {
      const value = samples.rest[samples.number[row]!]!;
      return typeof value === 'string' ? { type: 'string', text: value } : value;
    }
  }
}
