/** What windows ask about breakpoints and what stands still, of a live program and of a pad alike. */
import type { Going, PauseScope, StopsAtErrors } from '../../../wire/pausing.js';
import type { RawError } from '../../../wire/reports.js';
import type { Breakpoint, BreakpointAsked } from './breakpoints.js';
import type { Evaluated, PauseEvent, PauseOutcome, Standing } from './told.js';

export interface PausingFace {
  /** Calls back when a target stops, goes on, or a breakpoint acts. Returns what ends it. */
  listen(listener: (event: PauseEvent) => void): () => void;
  /** What stands still, longest first. */
  readonly all: Standing[];
  readonly breakpoints: Breakpoint[];
  readonly stopsAtErrors: StopsAtErrors;
  /** Sets a breakpoint; its state tells whether it can act. */
  set(asked: BreakpointAsked): Promise<Breakpoint>;
  /** False where there is none of that number. */
  remove(id: number): Promise<boolean>;
  stopAtErrors(which: StopsAtErrors): Promise<PauseOutcome<{ is: 'done' }>>;
  /** Stops at the next statement. */
  pause(where?: string): Promise<PauseOutcome<{ is: 'done' }>>;
  go(going: Going, where?: string): Promise<PauseOutcome<{ is: 'done' }>>;
  /** The variables of a frame, by number from the innermost out; each can be opened by the moment and its part. */
  scopes(frame: number, where?: string): Promise<PauseOutcome<{ is: 'scopes'; moment: number; scopes: PauseScope[] }>>;
  /** Gives what an expression gives where a frame stands. It may assign to variables of the frame. */
  evaluate(
    text: string,
    frame: number,
    where?: string,
  ): Promise<PauseOutcome<Evaluated | { is: 'threw'; error: RawError }>>;
}
