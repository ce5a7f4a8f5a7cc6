/** What is asked of one run, and how it ends. */
import { z } from 'zod';
import { bytes, numbers } from './arrays.js';
import type { Observe } from './modules.js';
import type { BreakpointRule, StopsAtErrors } from './pausing.js';
import type { Outside } from './taken.js';
import { rawFrame, type RawTest } from './reports.js';

/** What is asked of one run besides its modules. */
export interface RunAsked {
  tests?: TestOrder;
  /** A test framework of the project runs the tests. */
  framework?: FrameworkPlace;
  controls?: ControlOrder;
  input?: InputData;
  /** Frames and statements are reported as well. */
  steps?: StepOrder;
  /** Of a picture that is painted pixel by pixel, the call for this one alone is told at that depth. */
  pixel?: { x: number; y: number };
  /** In a thread of its own, however long that takes to be ready. */
  clean?: boolean;
  /** Nobody is there to let through what is held: the run ends there. */
  alone?: boolean;
  /** What is there before the first line runs. */
  begin?: RunBegin;
  /** The default export is wanted when the run has come to its end. */
  result?: boolean;
}

/** How a program or pad begins that is stopped at breakpoints, or whose calls are held. */
export interface RunBegin {
  /** It stops at its first statement. */
  pause: boolean;
  rules: BreakpointRule[];
  /** Of a program that lives. */
  observe?: Observe;
  errors: StopsAtErrors;
  /** Calls that fail are held, so many milliseconds at most; 0 for no limit. */
  hold?: { limitMs: number };
}

/** What is told of frames and steps. */
export interface StepOrder {
  /** Reports of steps, frames and values at most; what comes behind is counted alone. */
  most: number;
  /** Steps before this one are counted alone. Default 0. */
  from?: number;
  /** Steps up to this one are told, however many reports that takes. */
  least?: number;
  /** What the program took from outside when it ran first, and is given again. */
  outside?: Outside;
}

/** A package that a thread loads before its run. */
export interface Warmed {
  specifier: string;
  from: string;
  /** No package: what this framework has around the tests is put up, for the packages behind it. */
  around?: FrameworkPlace;
}

/** A test framework as the project has it. */
export interface FrameworkPlace {
  name: 'jest' | 'vitest' | 'mocha' | 'jasmine';
  /** Its parts, each with the file that it is resolved from; in the order in which they are loaded. */
  packages: { specifier: string; from: string }[];
  /** What the project asks of it; undefined where that is nothing. */
  settings?: FrameworkSettings;
  /** Why a file's tests cannot run in a pad, if they cannot. */
  gap?: string;
}

/** A project's settings of its test framework. */
export interface FrameworkSettings {
  /** The environment around the tests, where it is not the platform's own. */
  environment?: { name: string; /** The file that makes it. */ module?: string; options: Record<string, unknown> };
  /** Files that are evaluated before the tests', in order. */
  setup: string[];
  /** Names of modules that lead elsewhere: patterns, and what the match is replaced by, or the whole name. */
  mapped: { pattern: string; flags: string; to: string[] }[];
  /** What imports of styles and pictures give: what a development server gives for them, or nothing by itself. */
  assets?: 'addresses' | 'none';
  /** In the framework's own words. */
  config: Record<string, unknown>;
  /** Names in the global object. */
  globals: Record<string, unknown>;
  /** What `import.meta.env` has. */
  env: Record<string, unknown>;
  gap?: string;
}

/** What dials are turned to, and gates that open when they are reached, by name. */
export interface ControlOrder {
  dials: Record<string, unknown>;
  open: string[];
  /** What a careful run holds is let through. */
  letThrough?: boolean;
}

/** The data a pad works on: where it lies, or itself. */
export type InputData = { name: string; file: string } | { name: string; bytes: Uint8Array };

/** What is asked of the tests of a run. */
export interface TestOrder {
  /** Results of an earlier run that still hold, by program-wide site; `parent` is an index into the list. */
  reuse: { site: number; tests: RawTest[] }[];
  /** Names, from the outermost in, of the one test or suite to run; the others are skipped. */
  alone?: string[];
  /** It is to be told what each test reaches. */
  reach?: boolean;
}

/** A pad's default export, ready to be written somewhere; `none` where there is none, `failed` with the reason. */
export const padResult = z.discriminatedUnion('is', [
  z.object({ is: z.literal('text'), text: z.string() }),
  z.object({ is: z.literal('bytes'), bytes: bytes }),
  z.object({ is: z.literal('none') }),
  z.object({ is: z.literal('failed'), why: z.string() }),
]);
export type PadResult = z.infer<typeof padResult>;

/** Why a run ended before its own end. */
export const stopReason = z.enum([
  'time-limit',
  'not-answering',
  'memory',
  'exit',
  'abort',
  'killed',
  'crashed',
  /** It sent something that is no message of ours. */
  'garbled',
  /** Something was held that nobody can let through. */
  'held',
  'cancelled',
]);
export type StopReason = z.infer<typeof stopReason>;

export const rawStop = z.object({
  reason: stopReason,
  code: z.union([z.number(), z.string()]).optional(),
  detail: z.string().optional(),
  frames: z.array(rawFrame).optional(),
  /** Cells that went on counting shortly before the end: unit, cell, by how much. */
  active: z.array(z.object({ unit: z.number(), cell: z.number(), by: z.number() })).optional(),
  /** Exact counts at the end, where they could be read. */
  counts: z.array(z.object({ unit: z.number(), cells: numbers })).optional(),
});
/** The end of a run before its own end. */
export type RawStop = z.infer<typeof rawStop>;
