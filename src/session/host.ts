/** What a session needs from outside: files to read, and targets to run in. */
import type { Made } from '../instrument/made-code.js';
import type { Translator } from '../instrument/translator.js';
import type { OwnResult } from '../record/own-results.js';
import type { LookAnswer, LookRequest } from '../wire/looking.js';
import type { Action } from '../wire/modules.js';
import type { ModuleCode, ModuleLink } from '../wire/modules.js';
import type { PauseAnswer, PauseNews, PauseRequest } from '../wire/pausing.js';
import type { Batch } from '../wire/reports.js';
import type { FrameworkPlace, PadResult, RawStop, RunAsked, Warmed } from '../wire/runs.js';
import type { PackageType } from '../syntax/parse.js';
import type { ProjectSettings } from '../syntax/settings.js';
import type { Problem } from '../syntax/problems.js';
import type { FrameworkName } from '../syntax/tests.js';
import type { Written } from '../syntax/written.js';

export type Resolution =
  | {
      kind: 'local';
      file: string;
      /** The settings of its tests lead there. */
      mapped?: true;
      /** What stands behind the file in its address. */
      query?: string;
    }
  | {
      kind: 'package' | 'builtin' | 'tests' | 'pad' | 'live';
      /** Resolve it from here: it was added for the pad. */
      base?: string;
      /** The settings of its tests lead to this name. */
      at?: string;
    }
  | { kind: 'missing'; message: string; /** A package that could be added. */ package?: string };

/** Reading and resolving. All synchronous: it stands on the way from a keystroke to a value. */
export interface Files {
  /** @throws AnvilError when the file cannot be read as text */
  read(file: string): string;
  resolve(specifier: string, from: string, how: 'import' | 'require'): Resolution;
  packageType(file: string): PackageType;
  /** What the project says about a TypeScript or JSX file; the same object as long as it says the same. */
  settings(file: string): ProjectSettings | undefined;
  /**
   * The test framework of the project that a file belongs to.
   *
   * @param name the one that it imports; undefined where it uses globals
   */
  framework?(file: string, name: FrameworkName | undefined): FrameworkPlace | undefined;
  /** What of a text is code, as long as the text at least: the rest stands as blanks; by default all of it. */
  codeOf?(file: string, text: string): string;
  /** The code that a language of the project makes of a file's text; undefined for what is JavaScript already. */
  made?(file: string, text: string): Made | undefined;
  /** What a person wrote, where this text of the file was made of that by other tools. */
  written?(file: string, text: string): Written | undefined;
  /** What of a file's project cannot be read, for a person, with what follows from it; empty where all can. */
  wrong?(file: string): string;
  /** The names under which importing modules find what a script exports, as far as its text tells. */
  scriptNames(file: string, text: string): string[];
  /** The path of a file that is named beside another; relative names are taken from there. */
  beside(file: string, name: string): string;
  /** Differs when the content of a file may; empty where there is none. */
  stamp(file: string): string;
  /** The name under which the engine compiles a file. */
  nameOf(file: string, goal: 'module' | 'script' | 'json'): string;
}

export interface Language {
  translator: Translator;
  /** All syntax errors of a text whose first are `first`; a promise while the second parser is not loaded. */
  recover(file: string, text: string, first: readonly Problem[]): Problem[] | Promise<Problem[]>;
}

export interface RunRequest {
  id: number;
  entry: string;
  modules: ModuleCode[];
  /** Milliseconds without an answer after which a target is ended. */
  hangMs: number;
  asked: RunAsked;
}

export interface RunSink {
  batch(batch: Batch): void;
  /** Top level and tests have ended; timers and the like may go on. */
  settled(durationMs: number): void;
  /** Nothing is pending any more. */
  idle(): void;
  /** It runs in the thread of an earlier run, whose packages are still loaded. */
  kept?(): void;
  stopped(stop: RawStop): void;
  /** The pad asked for something that only the main thread of a process has. */
  needsProcess(what: string): void;
  /** The answer to {@link RunHandle.look}. */
  looked(ask: number, answer: LookAnswer): void;
  /** The default export, where it was asked for. */
  result?(result: PadResult): void;
  /** It stands still, or goes on. */
  pausing?(news: PauseNews): void;
  /** The answer to {@link RunHandle.pause}. */
  answered?(ask: number, answer: PauseAnswer): void;
  /** A module that was not known before the run. */
  resolve(specifier: string, from: string): { link: ModuleLink; modules: ModuleCode[] };
}

export interface RunHandle {
  cancel(): void;
  /** Its time is up: ends it, and tells where it was. */
  expire(): void;
  /** Asks about a value that the target holds. */
  look(ask: number, request: LookRequest): void;
  /** Does something to the running program. */
  act(action: Action): void;
  /** Asks about breakpoints and pauses; the answer comes to {@link RunSink.answered}. */
  pause(ask: number, request: PauseRequest): void;
}

/** Where a pad runs: a thread, a process of its own, a page in a browser. */
export type HostKind = 'worker' | 'process' | 'page';

export interface Host {
  readonly kind: HostKind;
  run(request: RunRequest, sink: RunSink): RunHandle;
  /** Packages that the next target should have loaded before it is needed, and a program to get ready with. */
  warm(packages: readonly Warmed[], rehearsal: ModuleCode[]): void;
  close(): Promise<void>;
}

/** Test frameworks of projects, each run as the project itself runs it. */
export interface OwnRuns {
  /** Texts count that are not saved. */
  takesUnsaved(framework: FrameworkPlace): boolean;
  /**
   * Runs one file.
   *
   * @param texts unsaved ones, by file, where they count
   * @param changed files that may differ from what they were in the last run
   */
  start(
    framework: FrameworkPlace,
    file: string,
    texts: ReadonlyMap<string, string>,
    changed: readonly string[],
  ): OwnRunHandle;
}

export interface OwnRunHandle {
  /** Rejects where it gives no results, with the reason. */
  results: Promise<OwnResult[]>;
  cancel(): void;
}

export interface Clock {
  now(): number;
  /** Calls back after `ms`; the result cancels. */
  after(ms: number, callback: () => void): () => void;
  /** The same, and not before the thread has nothing else to do; absent where nobody waits for this thread. */
  whenIdle?(ms: number, callback: () => void): () => void;
}
