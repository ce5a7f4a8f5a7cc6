/** What a live session tells, and what it is given. */
import type { Compiled } from '../../instrument/translator.js';
import type { EntryProblem } from '../../patch/entry.js';
import type { Plan } from '../../patch/plan.js';
import type { HoldNews } from '../../wire/holding.js';
import type { PauseNews } from '../../wire/pausing.js';
import type { Value } from '../../wire/value.js';
import type { Files, Host, Language, RunHandle, RunRequest, RunSink } from '../host.js';
import type { RequestMaker } from './entries/asking.js';
import type { LiveTarget } from './target-state.js';

export interface LiveSink extends RunSink {
  news(
    news:
      | { is: 'undone' }
      | { is: 'extension'; file: string; from: string }
      | { is: 'output'; stream: 'stdout' | 'stderr'; text: string; omitted: number },
  ): void;
  pausing(news: PauseNews): void;
  holding(news: HoldNews): void;
}

/** A running program as its host gives it. */
export type LiveHandle = Omit<RunHandle, 'look' | 'act' | 'pause'> & LiveTarget;

export interface LiveHost extends Omit<Host, 'run' | 'warm'> {
  start(request: RunRequest, sink: LiveSink): LiveHandle;
}

export interface LiveParts {
  files: Files;
  language: Language;
  /** Where the program runs; without it, there are only guests. */
  host?: LiveHost;
  /** Makes requests of the program's servers; without it they are only watched. */
  requests?: RequestMaker;
  /** Values of all functions that are looked at are told, and not only of the one that is opened. */
  tellsAll?: boolean;
}

export interface LiveEvent {
  kind: 'patched' | 'reloaded' | 'refused' | 'failed' | 'undone' | 'error' | 'ended';
  file: string;
  /** One line. */
  text: string;
  /** Reasons and places, a line each. */
  details: string[];
  plan?: Plan;
  /** It answers an edit that is being typed, not a save. */
  typed?: true;
}

/** What became of something entered for a module. */
export type Entered =
  | { is: 'incomplete' }
  | { is: 'wrong'; problems: EntryProblem[] }
  /** Nothing was changed, or what was to run threw. */
  | { is: 'failed'; text: string; details: string[] }
  | {
      is: 'done';
      /** What it changed, in one line; empty where it changed nothing. */
      changes: string;
      /** What the last statement gave, if there was one: it can be opened under its moment. */
      result?: { value: Value; moment: number };
      pauseMs: number;
      /** Where, if not in the program itself. */
      where?: string;
    };

/** Something the program wrote. */
export interface LiveOutput {
  stream: 'stdout' | 'stderr';
  text: string;
  /** Characters of a flood that are left out. */
  omitted: number;
}

/** Code of a module for a guest. */
export interface Served {
  code: string;
  format: 'module' | 'commonjs';
  /** Number of the version, which the module tells when it is executed. */
  version: number;
  compiled: Compiled;
}
