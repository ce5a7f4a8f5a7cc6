/**
 * A target in which modules of a live program run: the program itself, a
 * thread or process that it starts, a page. What is known of each.
 */
import type { Waiting } from '../../patch/emit.js';
import type { LiveModule } from '../../patch/live-module.js';
import type { Step } from '../../wire/steps.js';
import type { LookAnswer, LookRequest, NamesRequest } from '../../wire/looking.js';
import type { LiveAnswer } from '../../wire/messages.js';
import type { HoldAnswer, HoldRequest } from '../../wire/holding.js';
import type { PauseAnswer, PauseRequest } from '../../wire/pausing.js';
import type { LiveChange } from '../../wire/modules.js';
import type { ModuleCode, ModuleLink } from '../../wire/modules.js';
import type { Observation } from './observation.js';

/** What is asked of a target that runs on. */
export interface LiveTarget {
  change(change: LiveChange): Promise<LiveAnswer>;
  look(request: LookRequest | NamesRequest): Promise<LookAnswer>;
  /** About its pauses; a target without this never stands still. */
  pause?(request: PauseRequest): Promise<PauseAnswer>;
  /** About calls that are held; a target without this holds none. */
  hold?(request: HoldRequest): Promise<HoldAnswer>;
}

/** A target whose modules the engine loads by itself, and that comes to a session. */
export interface Guest extends LiveTarget {
  id: string;
  /** `thread 3`, `process 4711`, `page 2`. */
  label: string;
  /** It writes nowhere but to its console. */
  console?: true;
  /** It never stands still: its breakpoints only print. */
  runsOn?: true;
  /** It stands still only where versions of functions ask. */
  atPoints?: true;
  /** A module runner executes its modules: the global symbol of the runtime there. */
  runner?: string;
  /** How it reaches a module that is imported only now; by default as Node does. */
  resolve?(specifier: string, from: string): Promise<ModuleLink> | ModuleLink;
  /** The text behind a module that it has executed. */
  know?(code: ModuleCode): void;
  /** One that waits before the first line of a module goes on. */
  goOn?(): void;
  /** It can be begun anew where a change cannot be made in place; it leaves then, and another comes. */
  reload?(reason: string): void;
}

export class TargetState {
  /** Modules that run there, by file. */
  modules = new Map<string, LiveModule>();
  /** Statements that saves brought and that were not run, by file. */
  readonly waiting = new Map<string, Waiting[]>();
  /** What sets names anew whose live value was kept, by file and name. */
  readonly resets = new Map<string, Map<string, Step>>();
  /** The way to it; undefined for a program that has not started. */
  target: LiveTarget | undefined;

  constructor(
    /** Its number among all targets of the program that ever were. */
    readonly index: number,
    /** Empty for the program itself. */
    readonly label: string,
    readonly guest: Guest | undefined,
    /** Which of its functions report. */
    readonly observation: Observation,
  ) {
    this.target = guest;
  }
}
