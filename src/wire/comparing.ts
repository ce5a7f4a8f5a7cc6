/** What a process that calls a way of a comparison is asked, and answers. */
import { z } from 'zod';
import { isValue, type Value } from './value.js';

/** A plain module, and which of its exports is meant. */
export interface LoadedWay {
  /** Path of the module. */
  module: string;
  /** Name of the function that it exports. */
  name: string;
}

export type ToCompared =
  /** The way that is timed; what it is called with comes from `data`, a module that may be another one. */
  | { ask: number; do: 'load'; way: LoadedWay; data: string; size?: number }
  | { ask: number; do: 'warm' }
  | { ask: number; do: 'batch'; ms: number }
  /** Bytes that one call allocates. */
  | { ask: number; do: 'memory' }
  | {
      ask: number;
      do: 'equal';
      baseline: LoadedWay;
      candidate: LoadedWay;
      data: string;
      most: number;
      patienceMs: number;
    };

const value = z.custom<Value>((one) => isValue(one), 'no value');
const difference = z.looseObject({ path: z.string(), received: value.optional(), expected: value.optional() });
const differences = z.object({
  list: z.array(difference),
  more: z.number(),
  compared: z.number(),
  partial: z.literal(true).optional(),
});

const answer = z.discriminatedUnion('is', [
  /** Sizes of input can be asked for. */
  z.object({ is: z.literal('loaded'), isSized: z.boolean() }),
  z.object({ is: z.literal('warm') }),
  z.object({ is: z.literal('batch'), ns: z.number().nonnegative(), collections: z.number() }),
  z.object({ is: z.literal('memory'), bytes: z.number().optional() }),
  z.object({
    is: z.literal('equal'),
    tried: z.number(),
    differing: z.number(),
    smallest: z.object({ part: z.enum(['result', 'error', 'input']), input: value, differences }).optional(),
  }),
  /** What was asked cannot be done: the code threw, or has no such export. */
  z.object({ is: z.literal('failed'), why: z.string() }),
]);
export type ComparedAnswer = z.infer<typeof answer>;

export const fromCompared = z.object({ ask: z.number(), answer });
