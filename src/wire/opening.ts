/** What a run tells of itself where telling begins in its middle: who is active, and what variables hold. */
import { z } from 'zod';
import { isValue, type Value } from './value.js';

const value = z.custom<Value>((one) => isValue(one), 'no value');

/** A frame, the site of the statement that it is at (-1: at none yet), and the number of that step. */
const standing = z.object({ frame: z.int(), site: z.int(), step: z.number() });
export type Standing = z.infer<typeof standing>;

const early = {
  /** Frames from before what is told, by number: the function's site, the frame that called, and the one around it. */
  frames: z.array(z.object({ frame: z.int(), site: z.int(), caller: z.int(), around: z.int() })),
  /** What variables of such frames hold. */
  variables: z.array(z.object({ frame: z.int(), name: z.string(), value })),
};

export const opening = z.object({
  ...early,
  /** Steps before it, which are not told. */
  steps: z.number(),
  /** Number of the last frame before it. */
  last: z.int(),
  /**
   * Moments from here on are those of what is said here: one for each frame, then for each place, then for each variable,
   * which is as it is now, and not as it was at those places.
   */
  moment: z.number(),
  /** Frames that are active, the innermost last. */
  active: z.array(standing),
  /** Those that wait. */
  waiting: z.array(standing),
});
export type Opening = z.infer<typeof opening>;

/** Frames from before what is told that are met only later: they go on, or a function is called that they made. */
export const met = z.object({
  ...early,
  /** The first of the moments of the variables. */
  moment: z.number(),
});
export type Met = z.infer<typeof met>;
export type EarlyFrame = Met['frames'][number];

export const path = z.object({
  /** Steps so far, whether they were told or not. */
  steps: z.number(),
  /** Made of the places of all of them in turn. */
  mark: z.number(),
  /** Not all of what it took from outside was written down, or given to it again. */
  apart: z.literal(true).optional(),
  /** Enough was told: the last moment of that. */
  over: z.number().optional(),
  /** Moments of errors since the last time, in parts that were counted alone, each with the number of the last step. */
  noted: z.array(z.object({ moment: z.number(), step: z.number() })).optional(),
});
/** How far a run is, and which way it went. */
export type Path = z.infer<typeof path>;
