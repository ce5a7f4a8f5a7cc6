/** A program that runs, as a debug adapter needs it: in this process, or behind its door. */
import type { Entered, LiveOutput } from '../../session/live/events.js';
import type { HeldCall, HoldEvent } from '../../session/live/holding/holding.js';
import type { Breakpoint, BreakpointAsked } from '../../session/live/pausing/breakpoints.js';
import type {
  Evaluated,
  PauseEvent,
  PauseOutcome,
  Standing,
  WatchedField,
} from '../../session/live/pausing/pausing.js';
import type { LookAnswer, LookRequest } from '../../wire/looking.js';
import type { Going, PauseScope, StopsAtErrors } from '../../wire/pausing.js';
import type { RawError } from '../../wire/reports.js';

type Done = PauseOutcome<{ is: 'done' }>;

export interface DebuggedProgram {
  readonly name: string;
  /** Its first file. */
  readonly entry: string;
  /** Labels of threads, processes and pages that take part; the program itself has the empty one. */
  places(): Promise<string[]>;
  standing(): Promise<Standing[]>;
  held(): Promise<HeldCall[]>;
  breakpoints(): Promise<Breakpoint[]>;
  set(asked: BreakpointAsked): Promise<Breakpoint>;
  clear(id: number): Promise<void>;
  /** Stops at writes to a field that code names where a frame stands. */
  watch(text: string, frame: number, where: string): Promise<PauseOutcome<{ is: 'watched'; field: WatchedField }>>;
  errors(which: StopsAtErrors): Promise<void>;
  pause(where: string): Promise<Done>;
  go(going: Going, where: string): Promise<Done>;
  scopes(frame: number, where: string): Promise<PauseOutcome<{ is: 'scopes'; moment: number; scopes: PauseScope[] }>>;
  evaluate(
    text: string,
    frame: number,
    where: string,
  ): Promise<PauseOutcome<Evaluated | { is: 'threw'; error: RawError }>>;
  /** Enters code in the module of a file. */
  enter(text: string, file?: string): Promise<Entered>;
  look(request: LookRequest): Promise<LookAnswer>;
  /** Lets go of the program, which goes on; or ends it. */
  leave(end: boolean): Promise<void>;
}

/** What a program tells. */
export interface ProgramListener {
  paused(event: PauseEvent): void;
  held(event: HoldEvent): void;
  output(output: LiveOutput): void;
  ended(text: string): void;
}

export interface LaunchLive {
  program: string;
  args?: string[] | undefined;
  cwd?: string | undefined;
  env?: Record<string, string> | undefined;
  /** Stop at the first statement. */
  stopOnEntry?: boolean | undefined;
  /** Hold calls that fail. */
  hold?: 'on' | 'auto' | undefined;
}
