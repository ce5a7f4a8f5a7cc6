/** Modules as a target runs them, and what is done to those that run. From the session to the target. */
import type { EntriesRequest } from './entries.js';
import type { Step } from './steps.js';

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
  /**
   * It does not parse, or its imports lead nowhere (`link`) or name what is not there; told to whoever loads it.
   * Zero-based place.
   */
  broken?: { message: string; line: number; character: number; how: 'syntax' | 'link' | 'names' };
  /** The function is a generator that yields once, after its exports are registered: it takes part in a cycle. */
  cyclic: boolean;
  /** Before that it replaces modules: its imports are evaluated behind it. */
  ahead?: boolean;
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
  /** It stops at breakpoints. */
  stops?: true;
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
  /** `replaced` is for links of a running program alone. */
  kind: 'local' | 'package' | 'builtin' | 'tests' | 'pad' | 'live' | 'missing' | 'replaced';
  /** For `local`, the file; for `missing`, why; for `replaced`, its key; else the name by which it is loaded. */
  target: string;
  /** The settings of a project's tests lead there, and not what the engine finds. */
  mapped?: true;
  /** For a package that was added for the pad, where it is resolved from. */
  base?: string;
  /** What stands behind the file in its address: each makes a module of its own. */
  query?: string;
  /** Names the importing module needs. */
  names: string[];
}

/** Versions that report, over those that the program has; no change that could be taken back. */
export interface ObserveSteps {
  /** Steps of kind `function`; one that fails is left out. */
  steps: readonly Step[];
  /** Slots that nobody observes any more. */
  release: readonly { file: string; slots: readonly number[] }[];
}

/** Functions that report from now on, or no longer. */
export interface Observe extends ObserveSteps {
  /** Units of counts that come, with how many functions their module has, and those that go. */
  units: { unit: number; base: number; owners: Int32Array; reach: Int32Array; plus: Int32Array; functions: number }[];
  gone: readonly number[];
}

/** What is done to a live program. */
export type LiveChange =
  /** `links`: modules imported only now, which are loaded before anything is applied. */
  | {
      do: 'patch';
      steps: Step[];
      links: { file: string; name: string; link: ModuleLink }[];
      modules: ModuleCode[];
      observe?: Observe;
    }
  /**
   * Functions report, or no longer. Steps that would take longer than `budgetMs` in one job are left: the answer tells
   * how many were taken, at least one.
   */
  | { do: 'observe'; observe: Observe; budgetMs?: number }
  /** Console, counts and values are told as they come, or no longer. */
  | { do: 'report'; on: boolean }
  /** About calls that come from outside. */
  | { do: 'entries'; request: EntriesRequest }
  | { do: 'undo' }
  /** `steps` are applied to the new modules. */
  | { do: 'reload'; modules: ModuleCode[]; steps: Step[] }
  /** Milliseconds that patched code may hold the thread. */
  | { do: 'patience'; ms: number }
  /** Expressions to evaluate inside a module, one after the other; the value of the last is told. */
  | { do: 'evaluate'; file: string; codes: { code: string; awaits: boolean }[] }
  /** What is written to standard output and error is told as well. */
  | { do: 'listen'; on: boolean };

/** What a person asks of a program that runs. */
export type Action =
  | { do: 'stop-timer'; id: number }
  | { do: 'open-gate'; id: number }
  /** The clock of an animated picture. */
  | { do: 'clock'; id: number; to: 'stop' | 'go' | 'step' }
  /** Let what a careful run holds through from now on: what has that name, or everything. */
  | { do: 'let-through'; name?: string };
