/** What a session of a pad is made with. */
import type { InputData } from '../wire/runs.js';
import type { Units } from './units.js';
import type { Clock, Files, Host, HostKind, Language, OwnRuns } from './host.js';

export interface SessionOptions {
  /** Absolute path of the pad. */
  file: string;
  /** Text of the pad, where it is not (yet) that of the file. */
  text?: string;
  /** Where it runs: `auto` takes a worker unless the pad needs a process of its own. */
  target: 'auto' | HostKind;
  /** Ends a run after this long, whatever it does. Infinity: only a target that does not answer is ended. */
  timeLimitMs: number;
  /** Milliseconds without an answer after which a target is ended. */
  hangMs: number;
  /** Gates that open by themselves when they are reached. */
  open?: readonly string[];
  /** Nobody is there to let through what a careful run holds. */
  alone?: boolean;
  /** The pad's default export is wanted: see `padResult`. */
  result?: boolean;
  /**
   * When the project's own test framework runs the tests of a saved file as well: before the run ends (`at-end`), or a
   * moment later, while nobody types (`at-rest`). Where a pad cannot run them, it always does.
   */
  ownRuns?: 'at-end' | 'at-rest';
  /** How much is reported; `steps` adds frames and statements, and takes every value. Default `values`. */
  depth?: 'values' | 'steps';
  /** At depth `steps`: bytes that frames, statements and values may take. Default 96 MB. */
  stepsBytes?: number;
  /** Of pictures that are painted pixel by pixel, the call for this one alone is told at that depth. */
  pixel?: { x: number; y: number };
  /** It is to be told what of the program each test reaches. */
  reach?: boolean;
  /** The data that `input` reads from the start. */
  input?: InputData;
}

export interface SessionParts {
  files: Files;
  language: Language;
  clock: Clock;
  ownRuns?: OwnRuns;
  /** Files that several sessions share, each parsed once. */
  units?: Units;
  /** Makes the host of a kind when it is first needed. */
  host(kind: HostKind): Host;
}
