/**
 * What a target tells its host: plain data that structured cloning carries.
 * Site numbers are those of the whole program (a module's base plus the site's id).
 */

import type { Differences } from './difference.js';
import type { DrawCall } from './drawing.js';

/** A value as it was at its moment: a shallow preview within a budget. */
export interface Value {
  type: 'undefined' | 'null' | 'boolean' | 'number' | 'bigint' | 'string' | 'symbol' | 'function' | 'object';
  /** Literal text of a primitive, the name of a function, the text of a date, regular expression or error. */
  text?: string;
  /** What kind of object, where it is more than a plain one. */
  form?:
    | 'array'
    | 'map'
    | 'set'
    | 'typed'
    | 'buffer'
    | 'date'
    | 'regexp'
    | 'error'
    | 'promise'
    | 'proxy'
    | 'weak'
    | 'iterator'
    | 'boxed'
    | 'class'
    | 'getter'
    | 'module';
  /** Name of the constructor; absent for plain objects and primitives. */
  class?: string;
  /** Number of entries, elements, or characters. */
  size?: number;
  entries?: Entry[];
  /** Entries that the preview leaves out. */
  more?: number;
  /** State of a promise. */
  state?: 'pending' | 'fulfilled' | 'rejected';
  /** The object was read later than the sample's visit: its content may be newer. */
  late?: true;
  /** A mark's expression threw this. */
  failed?: true;
}

export interface Entry {
  /** Property name, map key as text, or absent for array elements and set members. */
  key?: string;
  value: Value;
}

/** How a sample's value is kept in its column. */
export const enum Tag {
  Number = 0,
  Rest = 1,
  Undefined = 2,
  Null = 3,
  True = 4,
  False = 5,
}

export interface SampleColumns {
  site: Int32Array;
  visit: Float64Array;
  moment: Float64Array;
  tag: Uint8Array;
  /** Numbers by row; for `Tag.Rest` the index into `rest`. */
  number: Float64Array;
  rest: (Value | string)[];
}

export interface RawFrame {
  /** Name of the function, empty at the top level. */
  name: string;
  /** The file's name as the module knows it; local files are mapped to their original text. */
  file: string;
  /** Zero-based, -1 where unknown. */
  line: number;
  character: number;
  /** In one of the person's own files. */
  local: boolean;
  isAsync: boolean;
  /** In a version that reports: its lines are those of the text when it began to be watched. */
  watched?: true;
}

export interface RawError {
  kind: 'thrown' | 'rejection' | 'uncaught';
  moment: number;
  name: string;
  message: string;
  code?: string;
  frames: RawFrame[];
  /** The thrown value, where it is no Error. */
  value?: Value;
  expected?: Value;
  received?: Value;
  operator?: string;
  /** Where the two differ. */
  differences?: Differences;
  cause?: RawError;
  errors?: RawError[];
}

export interface RawConsole {
  moment: number;
  /** Milliseconds since the run began. */
  time: number;
  level: 'log' | 'info' | 'warn' | 'error' | 'debug' | 'trace' | 'stdout' | 'stderr';
  method: string;
  args: Value[];
  /** The line as text, formatted as the console does. */
  text: string;
  /** Depth of open groups. */
  indent: number;
  /** Program-wide site number, or -1. */
  site: number;
  frame?: RawFrame;
  frames?: RawFrame[];
  table?: { columns: string[]; rows: string[][] };
}

export interface RawTest {
  moment: number;
  id: number;
  parent: number;
  name: string;
  path: string[];
  state: 'passed' | 'failed' | 'skipped' | 'todo' | 'running';
  /** How its code ended; a test that is to do may have failed without counting. */
  passed: boolean;
  durationMs: number;
  /** Program-wide site number of the call that declares it, or -1. */
  site: number;
  frame?: RawFrame;
  error?: RawError;
  /** Why it failed. */
  failure?: 'code' | 'hook' | 'timeout' | 'cancelled' | 'subtests' | 'plan' | 'parent-ended';
  /** Why it is skipped or to do, or what its failure means. */
  reason?: string;
  /** What it said with `diagnostic`. */
  notes?: string[];
  suite: boolean;
  /** Taken from an earlier run: nothing it comes from has changed. */
  reused?: true;
}

/** A named input that a person turns. */
export interface RawDial {
  name: string;
  moment: number;
  kind: 'range' | 'number' | 'choice' | 'colour' | 'text' | 'switch';
  value: string | number | boolean;
  /** As it is written in the source. */
  initial: string | number | boolean;
  min?: number;
  max?: number;
  step?: number;
  choices?: (string | number | boolean)[];
  frame?: RawFrame;
}

/** A named effect that happens when a person says so. A later one with the same `id` takes its place. */
export interface RawGate {
  id: number;
  name: string;
  moment: number;
  state: 'closed' | 'open' | 'done' | 'failed';
  frame?: RawFrame;
  value?: Value;
  error?: string;
  tookMs?: number;
}

/** Something a pad shows on purpose. A later one with the same `id` takes its place. */
export interface RawShown {
  id: number;
  moment: number;
  kind: 'show' | 'plot' | 'table' | 'draw' | 'paint' | 'note';
  title?: string;
  frame?: RawFrame;
  value?: Value;
  width?: number;
  height?: number;
  calls?: DrawCall[];
  /** A picture in blocks of `block` pixels, row by row; `values` are the numbers behind the colours. */
  pixels?: { block: number; columns: number; rows: number; rgba: Uint8Array; values?: Float64Array };
}

/** An `await` that has not come to its end. */
export interface RawWait {
  file: string;
  /** Zero-based. */
  line: number;
  character: number;
  /** Milliseconds since the run began; the oldest where there are several. */
  since: number;
  /** How many wait there, as far as is known: at least so many. */
  count: number;
}

/** A timer that will fire. */
export interface RawTimer {
  id: number;
  repeats: boolean;
  /** Milliseconds. */
  delay: number;
  fired: number;
  since: number;
  frame?: RawFrame;
}

/** A request that the program made. A later one with the same `id` takes its place. */
export interface RawRequest {
  id: number;
  moment: number;
  by: 'fetch' | 'http';
  method: string;
  url: string;
  state: 'open' | 'done' | 'failed';
  /** Milliseconds since the run began. */
  since: number;
  frames: RawFrame[];
  status?: number;
  statusText?: string;
  /** Headers that were sent, and that came back. */
  sent?: [string, string][];
  got?: [string, string][];
  /** Milliseconds from its begin until the head came, and until its end. */
  headMs?: number;
  tookMs?: number;
  /** Bytes of the body. */
  size?: number;
  body?: Value;
  /** Moment under which the body can be opened. */
  bodyMoment?: number;
  /** The copy of the body ends early. */
  bodyCut?: boolean;
  error?: string;
}

export interface Batch {
  /** Everything that waits now; absent where nothing has changed. */
  waits?: RawWait[];
  timers?: RawTimer[];
  requests?: RawRequest[];
  shown?: RawShown[];
  dials?: RawDial[];
  gates?: RawGate[];
  samples?: SampleColumns;
  /** Exact counts of every cell, by module unit. */
  counts?: { unit: number; cells: Float64Array }[];
  console?: RawConsole[];
  /** Lines that were not kept, in all. */
  consoleOmitted?: number;
  errors?: RawError[];
  tests?: RawTest[];
  /** Exact sums of timed marks, by program-wide site number. */
  /** Values to hold for the next run, by program-wide site number; or why one cannot be. */
  kept?: { site: number; value?: unknown; why?: string }[];
  timings?: { site: number; total: number; visits: number }[];
  /** With which the program has ended by itself. */
  exitCode?: number;
  /** Milliseconds on the target's clock, where counts are told. */
  time?: number;
  moment: number;
}

/** One module as a target runs it. */
export interface ModuleCode {
  /** Absolute path. */
  file: string;
  /** Name under which the engine compiles it: a file URL for modules, the path for scripts. */
  name: string;
  unit: number;
  goal: 'module' | 'script' | 'json';
  code: string;
  awaits: boolean;
  /** Of a script: the names under which importing modules find its exports. */
  names?: string[];
  /** It does not parse, or its imports lead nowhere (`link`) or name what is not there; told to whoever loads it. Zero-based place. */
  broken?: { message: string; line: number; character: number; how: 'syntax' | 'link' | 'names' };
  /** The function is a generator that yields once, after its exports are registered: it takes part in a cycle. */
  cyclic: boolean;
  /** First program-wide site number of this module. */
  base: number;
  /** Owner of each site; see `Site.owner`. */
  owners: Int32Array;
  /** Cells that count how often each site is reached; see `Site.reach` and `Site.plus`. */
  reach: Int32Array;
  plus: Int32Array;
  /** For each function and class site its original text range, for `Function.prototype.toString`. */
  functions: { site: number; start: number; end: number }[];
  /** For code with patch points: the original range of the function of each slot it starts with, as pairs. */
  slots?: Int32Array;
  prefix: string;
  /** Values kept from an earlier run, by site of the module. */
  kept: { id: number; value: unknown }[];
  links: ModuleLink[];
  /** Specifiers of `import()` and `require()` that were resolved ahead. */
  dynamic: Record<string, ModuleLink>;
  /** Position mapping, see `Compiled`. */
  generated: Int32Array;
  source: Int32Array;
  originalStarts: Int32Array;
  original: string;
}

export interface ModuleLink {
  specifier: string;
  kind: 'local' | 'package' | 'builtin' | 'tests' | 'exhibits' | 'live' | 'missing';
  /** For `local`, the file; for `missing`, why. */
  target: string;
  /** For a package that was added for the pad, where it is resolved from. */
  base?: string;
  /** Names the importing module needs. */
  names: string[];
}
