/** What is asked of a target that can stand still, and what it tells when it does. */
import { z } from 'zod';
import { rawError, rawFrame } from './reports.js';
import { isValue, type Value } from './value.js';

/** When a target stops at one of its breakpoints. The condition is in the code of the function itself. */
export interface BreakpointRule {
  id: number;
  /** Only every so many times that it is met. */
  every?: number;
  /** Not before it has been met so many times. */
  after?: number;
}

/** Errors at which a target stops when they are thrown: all, those that no code of the person catches, none. */
export type StopsAtErrors = 'none' | 'uncaught' | 'all';

/** How one that stands still goes on. `to`: to a line of the file that it stands in. */
export type Going =
  | { how: 'on' | 'over' | 'into' | 'out' }
  | { how: 'to'; line: number }
  /** The call of a frame begins anew, in the newest version of its function. */
  | { how: 'again'; frame: number };

/** What is asked about pauses. Answered at once, also by a target that stands still. */
export type PauseRequest =
  /** All breakpoints that there are. */
  | { do: 'breakpoints'; list: BreakpointRule[] }
  | { do: 'errors'; which: StopsAtErrors }
  /** Stop at the next statement of the person's code. */
  | { do: 'pause' }
  | { do: 'go'; going: Going }
  | { do: 'scopes'; frame: number }
  /** `code` is evaluated where the frame stands, and may assign to its variables. */
  | { do: 'evaluate'; frame: number; code: string }
  /**
   * Stop at writes to a field of the object that `code` gives: where a frame stands, or else in the module of a file.
   */
  | { do: 'watch'; id: number; key: string; code: string; frame?: number; file: string }
  | { do: 'unwatch'; id: number };

const value = z.custom<Value>((one) => isValue(one), 'no value');

const pauseVariable = z.object({
  name: z.string(),
  value,
  /** To open it, with the moment of the answer. */
  part: z.int().min(0),
  /** A later version reaches it through an object of ours. */
  isReached: z.literal(true).optional(),
});
export type PauseVariable = z.infer<typeof pauseVariable>;

export const pauseScope = z.object({
  /** `this`, or what the engine calls it. */
  kind: z.enum(['this', 'local', 'block', 'catch', 'closure', 'module', 'with']),
  variables: z.array(pauseVariable),
  /** Variables that are not in the list. */
  more: z.number(),
});
export type PauseScope = z.infer<typeof pauseScope>;

export const pauseAnswer = z.discriminatedUnion('is', [
  z.object({ is: z.literal('done') }),
  z.object({ is: z.literal('scopes'), moment: z.number(), scopes: z.array(pauseScope) }),
  z.object({ is: z.literal('value'), value, moment: z.number() }),
  /** What was evaluated threw. */
  z.object({ is: z.literal('threw'), error: rawError }),
  z.object({ is: z.literal('cannot'), why: z.string() }),
]);
export type PauseAnswer = z.infer<typeof pauseAnswer>;

export const pausedFrame = rawFrame.extend({
  /** It runs a version that came after the module had started. */
  version: z.boolean(),
});
export type PausedFrame = z.infer<typeof pausedFrame>;

export const pauseReason = z.enum(['breakpoint', 'return', 'write', 'error', 'step', 'asked', 'again']);
export type PauseReason = z.infer<typeof pauseReason>;

/** What a target tells about its pauses. */
export const pauseNews = z.discriminatedUnion('is', [
  z.object({
    is: z.literal('paused'),
    /** Pauses of a target are counted. */
    number: z.int().min(1),
    reason: pauseReason,
    /** Which breakpoint. */
    breakpoint: z.int().optional(),
    /** The innermost first. */
    frames: z.array(pausedFrame),
    error: rawError.optional(),
    /** Whoever called from outside needs a value now: the call cannot be held, so it stands here. */
    needsValue: z.literal(true).optional(),
    /** Calls of its frames can be begun anew. */
    canBeginAnew: z.literal(true).optional(),
    /** What is about to be returned or written, and the moment under which it can be opened. */
    value: z.object({ value, moment: z.number() }).optional(),
  }),
  z.object({ is: z.literal('went-on'), number: z.int().min(1) }),
  /** The condition or message of a breakpoint threw, or did not end: it sleeps until it is set anew. */
  z.object({ is: z.literal('asleep'), breakpoint: z.int(), error: rawError }),
  /** A breakpoint prints. */
  z.object({ is: z.literal('message'), breakpoint: z.int(), text: z.string() }),
]);
export type PauseNews = z.infer<typeof pauseNews>;
