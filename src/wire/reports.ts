/**
 * What a target tells its host: plain data that structured cloning carries,
 * and schemas of it, because the target runs foreign code. Site numbers are
 * those of the whole program (a module's base plus the site's id). Times are
 * milliseconds since the run began, lines and characters are zero-based.
 */
import { z } from 'zod';
import { bytes, numbers } from './arrays.js';
import { isSampleColumns, type SampleColumns } from './samples.js';
import { met, opening, path } from './opening.js';
import { entryCounts } from './entries.js';
import { outside } from './outside.js';
import { isStepColumns, type StepColumns } from './step-columns.js';
import { isValue, type Value } from './value.js';

const value = z.custom<Value>((one) => isValue(one), 'no value');
const scalar = z.union([z.string(), z.number(), z.boolean()]);

export const rawFrame = z.object({
  /** Name of the function, empty at the top level. */
  name: z.string(),
  /** The file's name as the module knows it; local files are mapped to their original text. */
  file: z.string(),
  /** -1 where unknown. */
  line: z.number(),
  character: z.number(),
  /** In one of the person's own files. */
  local: z.boolean(),
  isAsync: z.boolean(),
  /** In a version that reports, of this unit of counts: its lines are those of the text when it began to be observed. */
  observed: z.number().optional(),
});
export type RawFrame = z.infer<typeof rawFrame>;
const frame = rawFrame.optional();
const frames = z.array(rawFrame);

const difference = z.object({
  /** As code reaches it from `it`. */
  path: z.string(),
  /** Absent where there is nothing. */
  received: value.optional(),
  expected: value.optional(),
  /** For texts: the first character that differs, counted from 0, and what is around it in each. */
  text: z
    .object({ at: z.number(), line: z.number().optional(), received: z.string(), expected: z.string() })
    .optional(),
  /** What differs where both look alike: the class, a getter. */
  note: z.string().optional(),
});
export type Difference = z.infer<typeof difference>;

const differences = z.object({
  list: z.array(difference),
  /** Places that differ and are not in the list. */
  more: z.number(),
  /** Leaves that were compared. */
  compared: z.number(),
  /** The values are larger than what was compared. */
  partial: z.literal(true).optional(),
});
export type Differences = z.infer<typeof differences>;

export const rawError = z.object({
  kind: z.enum(['thrown', 'rejection', 'uncaught']),
  moment: z.number(),
  name: z.string(),
  message: z.string(),
  code: z.string().optional(),
  frames,
  /** The thrown value, where it is no Error. */
  value: value.optional(),
  expected: value.optional(),
  received: value.optional(),
  operator: z.string().optional(),
  /** Where the two differ. */
  differences: differences.optional(),
  get cause(): z.ZodOptional<typeof rawError> {
    return rawError.optional();
  },
  get errors(): z.ZodOptional<z.ZodArray<typeof rawError>> {
    return z.array(rawError).optional();
  },
});
export type RawError = z.infer<typeof rawError>;

const rawConsole = z.object({
  moment: z.number(),
  time: z.number(),
  level: z.enum(['log', 'info', 'warn', 'error', 'debug', 'trace', 'stdout', 'stderr']),
  method: z.string(),
  args: z.array(value),
  /** The line as text, formatted as the console does. */
  text: z.string(),
  /** Depth of open groups. */
  indent: z.number(),
  /** -1 where there is none. */
  site: z.number(),
  frame,
  frames: frames.optional(),
  table: z.object({ columns: z.array(z.string()), rows: z.array(z.array(z.string())) }).optional(),
  /** Which of several threads, processes and pages has printed it; the session knows. */
  where: z.string().max(200).optional(),
});
export type RawConsole = z.infer<typeof rawConsole>;

const rawTest = z.object({
  moment: z.number(),
  id: z.number(),
  /** The test or suite around it, or -1. */
  parent: z.number(),
  name: z.string(),
  path: z.array(z.string()),
  state: z.enum(['passed', 'failed', 'skipped', 'todo', 'running']),
  /** How its code ended; a test that is to do may have failed without counting. */
  passed: z.boolean(),
  durationMs: z.number(),
  /** Of the call that declares it, or -1. */
  site: z.number(),
  frame,
  error: rawError.optional(),
  /** Why it failed. */
  failure: z.enum(['code', 'hook', 'timeout', 'cancelled', 'subtests', 'plan', 'parent-ended']).optional(),
  /** Why it is left out: another test is asked for, or others are marked. */
  leftOut: z.enum(['one-asked', 'only']).optional(),
  /** Why it is skipped or to do, or what its failure means. */
  reason: z.string().optional(),
  /** What it said with `diagnostic`. */
  notes: z.array(z.string()).optional(),
  suite: z.boolean(),
  /** Where it is asked for: cells that have counted while it ran. */
  reached: z.array(z.object({ unit: z.number(), cells: z.array(z.number()) })).optional(),
  /** Taken from an earlier run: nothing it comes from has changed. */
  reused: z.literal(true).optional(),
});
export type RawTest = z.infer<typeof rawTest>;

const rawDial = z.object({
  name: z.string(),
  moment: z.number(),
  kind: z.enum(['range', 'number', 'choice', 'colour', 'text', 'switch']),
  value: scalar,
  /** As it is written in the source. */
  initial: scalar,
  min: z.number().optional(),
  max: z.number().optional(),
  step: z.number().optional(),
  choices: z.array(scalar).optional(),
  frame,
});
/** A named input that a person turns. */
export type RawDial = z.infer<typeof rawDial>;

const rawGate = z.object({
  id: z.number(),
  name: z.string(),
  moment: z.number(),
  state: z.enum(['closed', 'open', 'done', 'failed']),
  frame,
  value: value.optional(),
  error: z.string().optional(),
  tookMs: z.number().optional(),
  /** A call of the platform that a careful run holds, and what is known of it besides. */
  held: z.literal(true).optional(),
  detail: z.string().optional(),
});
/** A named effect that happens when a person says so. A later one with the same `id` takes its place. */
export type RawGate = z.infer<typeof rawGate>;

/** A call, or `['=', name, value]` for a property that was set. Gradients are `{ gradient: n }`. */
const drawCall = z.array(
  z.union([z.string(), z.number(), z.boolean(), z.null(), z.array(z.number()), z.object({ gradient: z.number() })]),
);
export type DrawCall = z.infer<typeof drawCall>;

const rawShown = z.object({
  id: z.number(),
  moment: z.number(),
  kind: z.enum(['show', 'plot', 'table', 'draw', 'paint', 'note']),
  title: z.string().optional(),
  frame,
  value: value.optional(),
  width: z.number().optional(),
  height: z.number().optional(),
  calls: z.array(drawCall).optional(),
  /** Of an animated picture: seconds and pictures of its clock, and whether that goes. */
  clock: z.object({ time: z.number(), frame: z.number(), running: z.boolean() }).optional(),
  /** So many other threads paint it, as plain code. */
  threads: z.int().min(1).optional(),
  /** Of a page: more was painted than a record can hold. */
  partial: z.literal(true).optional(),
  /** A picture in blocks of `block` pixels, row by row; `values` are the numbers behind the colours. */
  pixels: z
    .object({
      block: z.number(),
      columns: z.number(),
      rows: z.number(),
      rgba: bytes,
      values: numbers.optional(),
    })
    .optional(),
});
/** Something a pad shows on purpose. A later one with the same `id` takes its place. */
export type RawShown = z.infer<typeof rawShown>;

const rawWait = z.object({
  file: z.string(),
  line: z.number(),
  character: z.number(),
  /** The oldest where there are several. */
  since: z.number(),
  /** How many wait there, as far as is known: at least so many. */
  count: z.number(),
});
/** An `await` that has not come to its end. */
export type RawWait = z.infer<typeof rawWait>;

const rawTimer = z.object({
  id: z.number(),
  repeats: z.boolean(),
  /** Milliseconds. */
  delay: z.number(),
  fired: z.number(),
  since: z.number(),
  frame,
});
/** A timer that will fire. */
export type RawTimer = z.infer<typeof rawTimer>;

const headers = z.array(z.tuple([z.string(), z.string()]));
const rawRequest = z.object({
  id: z.number(),
  moment: z.number(),
  by: z.enum(['fetch', 'http']),
  method: z.string(),
  url: z.string(),
  state: z.enum(['open', 'done', 'failed']),
  since: z.number(),
  frames,
  status: z.number().optional(),
  statusText: z.string().optional(),
  /** Headers that were sent, and that came back. */
  sent: headers.optional(),
  got: headers.optional(),
  /** Milliseconds from its begin until the head came, and until its end. */
  headMs: z.number().optional(),
  tookMs: z.number().optional(),
  /** Bytes of the body. */
  size: z.number().optional(),
  body: value.optional(),
  /** Moment under which the body can be opened. */
  bodyMoment: z.number().optional(),
  /** The copy of the body ends early. */
  bodyCut: z.boolean().optional(),
  error: z.string().optional(),
});
/** A request that the program made. A later one with the same `id` takes its place. */
export type RawRequest = z.infer<typeof rawRequest>;

export const batch = z.object({
  /** Everything that waits now; absent where nothing has changed. */
  waits: z.array(rawWait).optional(),
  timers: z.array(rawTimer).optional(),
  requests: z.array(rawRequest).optional(),
  shown: z.array(rawShown).optional(),
  dials: z.array(rawDial).optional(),
  gates: z.array(rawGate).optional(),
  samples: z.custom<SampleColumns>((one) => isSampleColumns(one), 'no samples').optional(),
  /** Frames and statements, at depth `steps`. */
  steps: z.custom<StepColumns>((one) => isStepColumns(one), 'no steps').optional(),
  /** What comes in `steps` from here on begins in the middle of the run. */
  opening: opening.optional(),
  met: z.array(met).optional(),
  /** At that depth: how far the run is. */
  path: path.optional(),
  /** What the program took from outside since the last time. */
  outside: outside.optional(),
  /** Exact counts of every cell, by module unit. */
  counts: z.array(z.object({ unit: z.number(), cells: numbers })).optional(),
  console: z.array(rawConsole).optional(),
  /** Lines that were not kept, in all. */
  consoleOmitted: z.number().optional(),
  errors: z.array(rawError).optional(),
  /** What came in from outside, while that is watched. */
  entries: z.array(entryCounts).optional(),
  tests: z.array(rawTest).optional(),
  /** Values to hold for the next run; or why one cannot be. */
  kept: z.array(z.object({ site: z.number(), value: z.unknown().optional(), why: z.string().optional() })).optional(),
  /** Exact sums of timed marks. */
  timings: z.array(z.object({ site: z.number(), total: z.number(), visits: z.number() })).optional(),
  /** With which the program has ended by itself. */
  exitCode: z.number().optional(),
  /** Milliseconds on the target's clock, where counts are told. */
  time: z.number().optional(),
  moment: z.number(),
});
export type Batch = z.infer<typeof batch>;
