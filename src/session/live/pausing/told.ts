/** What a session tells of targets that stand still. */
import type { Done } from '../holding/already-done.js';
import type { PauseReason } from '../../../wire/pausing.js';
import type { RawError, RawFrame } from '../../../wire/reports.js';
import type { Value } from '../../../wire/value.js';
import type { Breakpoint } from './breakpoints.js';

/** Why nothing can be asked of a pause. */
export const NOTHING_STANDS = 'nothing stands still there';

/** A frame of a target that stands still. */
export interface StandingFrame extends RawFrame {
  /** It runs a version that came after the module had started. */
  version: boolean;
  /** What its call may have done already: that stays done when it is run again. */
  done: Done[];
}

/** A target that stands still. */
export interface Standing {
  /** Where: the label of the target, empty for the program itself. */
  where: string;
  /** Pauses of a target are counted. */
  number: number;
  reason: PauseReason;
  breakpoint?: number;
  /** The innermost first. */
  frames: StandingFrame[];
  /** What is being thrown. */
  error?: RawError;
  /** Whoever called from outside needs a value now: the call could not be held. */
  needsValue?: true;
  /** Calls of its frames can be begun anew. */
  canBeginAnew?: true;
  /** What is about to be given. */
  value?: { value: Value; moment: number };
  /** Milliseconds since 1970. */
  since: number;
}

/** A field of one object that is looked at. */
export interface WatchedField {
  id: number;
  /** As it was named. */
  text: string;
  where: string;
}

/** What became of something that was asked about a pause. */
export type PauseOutcome<Done> = Done | { is: 'cannot'; why: string };

export interface Evaluated {
  is: 'value';
  value: Value;
  /** To open it. */
  moment: number;
}

export type PauseEvent =
  | { is: 'paused'; standing: Standing }
  | { is: 'went-on'; where: string; number: number }
  | { is: 'breakpoints' }
  /** A breakpoint prints. */
  | { is: 'message'; breakpoint: Breakpoint; text: string; where: string };
