/** Calls that failed and wait to be mended: what a target tells of them, and what is asked. */
import { z } from 'zod';
import { pausedFrame, pauseScope } from './pausing.js';
import { rawError } from './reports.js';
import { isValue, type Value } from './value.js';

const value = z.custom<Value>((one) => isValue(one), 'no value');

/** What is said about a call that a version stands for, so that it may be held. */
export interface HeldFunction {
  /** Path of the function in its file. */
  name: string;
  /** Its calls give a promise. */
  isAsync: boolean;
  /** Its calls give nothing: whoever calls it waits for no value. */
  givesNothing: boolean;
}

/** What is asked about holding. */
export type HoldRequest =
  /** `limitMs`: how long a call is held at most; 0 for no limit. */
  | { do: 'hold'; on: boolean; limitMs: number }
  /** The function is called again, in its newest version. */
  | { do: 'again'; id: number }
  /** `code` is evaluated in the module of the function; what it gives goes to whoever waits. */
  | { do: 'give'; id: number; file: string; code: string }
  | { do: 'fail'; id: number }
  /** Nobody gets an answer. */
  | { do: 'drop'; id: number };

export const holdAnswer = z.discriminatedUnion('is', [
  z.object({ is: z.literal('done') }),
  z.object({ is: z.literal('threw'), error: rawError }),
  z.object({ is: z.literal('cannot'), why: z.string() }),
]);
export type HoldAnswer = z.infer<typeof holdAnswer>;

export const rawHeld = z.object({
  /** Held calls of a target are counted. */
  id: z.int().min(1),
  /** Path of the function, and its file. */
  name: z.string(),
  file: z.string(),
  /** `promise`: the promise of the call waits. `aside`: nobody waits for the call itself. */
  how: z.enum(['promise', 'aside']),
  error: rawError,
  /** Arguments, and what `this` is; opened by `moment` and the number of each, `this` behind the arguments. */
  moment: z.number(),
  given: z.array(value),
  self: value.optional(),
  /** The frames of the failure with their variables, where the engine told them; opened by `moment` of each. */
  frames: z.array(pausedFrame.extend({ moment: z.number(), scopes: z.array(pauseScope) })),
  /** What waits: `GET /tolls, a browser is waiting`. */
  waits: z.array(z.string()),
  /** Why it can only fail or be dropped. */
  isOver: z.string().optional(),
});
export type RawHeld = z.infer<typeof rawHeld>;

/** What a target tells about held calls. */
export const holdNews = z.discriminatedUnion('is', [
  z.object({ is: z.literal('held'), held: rawHeld }),
  /** Held no longer; `how` as it was asked, or `limit`, or `gone` where nobody waits any more. */
  z.object({
    is: z.literal('released'),
    id: z.int().min(1),
    how: z.enum(['again', 'give', 'fail', 'drop', 'limit', 'gone']),
  }),
]);
export type HoldNews = z.infer<typeof holdNews>;
