/** A record as a window shows it. */
import type { DifferenceLine } from '../views/difference.js';
import type { MarginItem } from '../views/margin-item.js';
import type { Tape } from '../views/tape.js';
import type { View } from '../views/view.js';
import type { RawDial } from '../wire/reports.js';

export interface MarginItemMessage {
  kind: MarginItem['kind'];
  text: string;
  count?: string;
  series?: number[];
  code?: string;
  title: string;
}

export interface LineMessage {
  line: number;
  state: 'ran' | 'partly' | 'never' | 'failed' | 'none';
  hits: number;
  heat: number;
  way: boolean;
  title: string;
  items: MarginItemMessage[];
}

export interface LocationMessage {
  file: string;
  /** Zero-based. */
  line: number;
  character: number;
}

export interface ErrorMessage {
  moment: number;
  text: string;
  kind: string;
  at: LocationMessage;
  endCharacter: number;
  test?: string;
  expected?: string;
  received?: string;
  /** Where received and expected differ, place by place. */
  differences?: { lines: DifferenceLine[]; rest: string };
  /** What failed in the words of the source; a name that may have been meant; values that took part. */
  reason: string;
  hint: string;
  values: { name: string; text: string }[];
  /** A package that could be added. */
  package?: string;
  path: ({ name: string; at: LocationMessage; times?: number; isAsync?: true } | { folded: string })[];
  causes: string[];
}

export interface ConsoleMessage {
  moment: number;
  /** Arguments that can be opened, as short texts. */
  parts: { part: number; text: string }[];
  level: string;
  text: string;
  indent: number;
  at?: LocationMessage;
  table?: { columns: string[]; rows: string[][] };
  /** Which of several threads, processes and pages has printed it. */
  where?: string;
}

export interface TestMessage {
  id: number;
  /** The test or suite around it, or -1. */
  parent: number;
  suite: boolean;
  passed: boolean;
  /** Why it is left out: another test is asked for, or others are marked. */
  leftOut?: 'one-asked' | 'only';
  reason?: string;
  notes?: string[];
  /** Taken from an earlier run. */
  reused?: boolean;
  name: string;
  path: string[];
  state: 'passed' | 'failed' | 'skipped' | 'todo' | 'running';
  durationMs: number;
  at: LocationMessage;
}

/** A dial as it was reported, with its place. */
export interface DialMessage extends Omit<RawDial, 'frame' | 'moment'> {
  at?: LocationMessage;
}

export interface GateMessage {
  id: number;
  name: string;
  state: 'closed' | 'open' | 'done' | 'failed';
  /** What it is at, and what came of it last. */
  text: string;
  /** A careful run holds it. */
  held?: true;
  /** Of its outcome, for opening it. */
  moment: number;
  at?: LocationMessage;
}

export interface RequestMessage {
  id: number;
  moment: number;
  bad: boolean;
  state: 'open' | 'done' | 'failed';
  text: string;
  url: string;
  at?: LocationMessage;
  sent: [string, string][];
  got: [string, string][];
  timing: string;
  body?: string;
  openable: boolean;
}

export interface PendingMessage {
  /** Of a timer, for stopping it. */
  timer?: number;
  text: string;
  at?: LocationMessage;
}

/** Zero-based lines, the last not included. */
export interface LineRange {
  from: number;
  to: number;
}

export interface RecordMessage {
  type: 'record';
  pad: string;
  /** File shown, and the version of its text that was executed. */
  file: string;
  version: number;
  outcome: 'ok' | 'failed' | 'syntax' | 'stopped';
  ended: boolean;
  /** The text did not run: what stands beside the lines is from an earlier run. */
  stale: boolean;
  summary: { run: string; trouble: string; tests: string };
  /** Moments of the run, and the one that everything here is as of; null for the end. */
  moments: number;
  cursor: number | null;
  tape: Tape;
  lines: LineMessage[];
  /** Only these lines are told, the last not included: those on the screen. All come when the person pauses. */
  part?: LineRange;
  console: ConsoleMessage[];
  consoleOmitted: number;
  errors: ErrorMessage[];
  tests: TestMessage[];
  dials: DialMessage[];
  gates: GateMessage[];
  requests: RequestMessage[];
  pending: PendingMessage[];
  /** Name of the data that `input` reads, where there is some. */
  data?: string;
  /** Values that were kept from an earlier run, and the age of the oldest in words. */
  kept?: { count: number; age: string };
  /** Of a live program: the function of the file whose values are shown, and statements that wait. */
  live?: { opened?: string; waiting: { line: number; text: string }[] };
}

export interface HistoryMessage {
  site: number;
  name: string;
  kind: string;
  visits: number;
  /** In all, when shown as of a moment. */
  total: number;
  mark?: { verb: string; expression: string };
  samples: { visit: number; moment: number; text: string; openable: boolean }[];
  /** Samples that are not sent. */
  omitted: number;
  /** What kinds of values it had, in words, with how often each was kept. */
  types: { name: string; count: number }[];
  series?: number[];
  /** What the mark's verb asks for. */
  views?: View[];
  /** The value as code reaches it. */
  path: string;
}
