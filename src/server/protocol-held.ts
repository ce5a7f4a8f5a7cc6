/** What page and server say about calls that are held, breakpoints, and what stands still. Lines are zero-based. */
import { z } from 'zod';

const file = z.string().min(1).max(4096);
const number = z.int().min(0);

/** From a window. */
export const heldMessages = [
  z.object({ type: z.literal('holding'), mode: z.enum(['off', 'on', 'auto']) }),
  z.object({
    type: z.literal('held'),
    id: z.int().min(1),
    do: z.enum(['again', 'give', 'fail', 'drop', 'write']),
    /** What is given. */
    text: z.string().max(100_000).optional(),
  }),
  /** Set a breakpoint, or take those of the line away. */
  z.object({
    type: z.literal('breakpoint'),
    file,
    line: number,
    do: z.enum(['set', 'clear']),
    where: z.enum(['statement', 'entry', 'return']).optional(),
    condition: z.string().max(10_000).optional(),
    message: z.string().max(10_000).optional(),
    every: z.int().min(1).optional(),
    after: z.int().min(1).optional(),
  }),
  z.object({ type: z.literal('errors'), which: z.enum(['none', 'uncaught', 'all']) }),
  /** What stands still goes on, or what runs stops. `where`: the label of a place. */
  z.object({
    type: z.literal('going'),
    do: z.enum(['on', 'over', 'into', 'out', 'to', 'again', 'pause']),
    line: number.optional(),
    frame: number.optional(),
    where: z.string().max(100).optional(),
  }),
  /** The variables of a frame of what stands still are wanted. */
  z.object({ type: z.literal('frame'), frame: number, where: z.string().max(100) }),
] as const;

/** A variable, to be opened by moment and part. */
export interface HeldVariable {
  name: string;
  text: string;
  moment: number;
  part: number;
}

/** Something that a call may have done already, as it is written there. */
export interface DoneMessage {
  file: string;
  line: number;
  text: string;
}

export interface HeldFrame {
  name: string;
  /** Absent for code that is no file of the program. */
  at?: { file: string; line: number };
  variables: HeldVariable[];
  /** What its call may have done already. */
  done?: DoneMessage[];
  /** Why none of them can be reached. */
  unreached?: string;
}

export interface HeldCallMessage {
  id: number;
  name: string;
  /** `TypeError: book.settle is not a function`. */
  error: string;
  at?: { file: string; line: number };
  waits: string[];
  /** Milliseconds since 1970: when it failed, and when it fails for good. */
  since: number;
  until?: number;
  /** In which thread, process or page; empty for the program itself. */
  where: string;
  /** Why it can only fail or be dropped. */
  isOver?: string;
  /** A function or method is missing that can be written. */
  misses?: string;
  /** What it may have done already: that stays done when it is called again. */
  done: DoneMessage[];
  frames: HeldFrame[];
}

export interface StandingMessage {
  where: string;
  number: number;
  /** Why it stands: `at breakpoint 2`. */
  why: string;
  /** Calls of its frames can be begun anew. */
  canBeginAnew: boolean;
  frames: HeldFrame[];
}

export interface BreakpointMessage {
  id: number;
  file: string;
  line: number;
  where: 'statement' | 'entry' | 'return';
  /** `when tonnes > 20, every 10 times`. */
  text: string;
  /** Why it does not act. */
  why?: string;
}

/** Everything of it, as it is now. */
export interface HeldMessage {
  type: 'held';
  mode: 'off' | 'on' | 'auto';
  stopsAtErrors: 'none' | 'uncaught' | 'all';
  calls: HeldCallMessage[];
  standing: StandingMessage[];
  breakpoints: BreakpointMessage[];
}

/** What is missing, to be put into a text as if it were typed; the cursor goes into its body. */
export interface WrittenMessage {
  type: 'written';
  file: string;
  /** Offset in the text that windows share. */
  at: number;
  text: string;
  line: number;
  character: number;
}
