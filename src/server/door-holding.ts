/** What windows ask at the door about breakpoints, what stands still, and calls that are held. */
import { z } from 'zod';
import type { HeldCall, HoldMode } from '../session/live/holding/holding.js';
import type { MissingText } from '../session/live/holding/missing.js';
import type { Breakpoint } from '../session/live/pausing/breakpoints.js';
import type { Evaluated, Standing, WatchedField } from '../session/live/pausing/pausing.js';
import type { LiveSession } from '../session/live/session.js';
import type { HoldAnswer } from '../wire/holding.js';
import type { PauseScope, StopsAtErrors } from '../wire/pausing.js';
import type { RawError } from '../wire/reports.js';

const file = z.string().max(4_096);
const line = z.int().min(0);
const where = z.string().max(100).optional();
const frame = z.int().min(0).max(10_000);
const expression = z.string().max(100_000);

export const holdingMethods = {
  held: z.object({}),
  hold: z.object({
    mode: z.enum(['off', 'on', 'auto']),
    /** Milliseconds that a call is held at most; 0 for no limit. */
    limitMs: z.int().min(0).optional(),
  }),
  release: z.object({
    id: z.int().min(1),
    how: z.enum(['again', 'give', 'fail', 'drop']),
    /** What is given. */
    text: expression.optional(),
  }),
  missing: z.object({ id: z.int().min(1) }),
  breakpoint: z.object({
    file,
    line,
    where: z.enum(['statement', 'entry', 'return']).optional(),
    condition: expression.optional(),
    every: z.int().min(1).optional(),
    after: z.int().min(1).optional(),
    message: expression.optional(),
    /** It goes with the window that has set it. */
    own: z.boolean().optional(),
  }),
  /** Stop at writes to a field, named by code. */
  watch: z.object({
    text: expression,
    frame: frame.optional(),
    file: file.optional(),
    where,
    own: z.boolean().optional(),
  }),
  clear: z.object({ id: z.int().min(1) }),
  errors: z.object({ which: z.enum(['none', 'uncaught', 'all']) }),
  pause: z.object({ where }),
  go: z.object({
    how: z.enum(['on', 'over', 'into', 'out', 'to', 'again']),
    /** Of `to`. */
    line: line.optional(),
    /** Of `again`, from the innermost out. */
    frame: frame.optional(),
    where,
  }),
  scopes: z.object({ frame, where }),
  evaluateIn: z.object({ text: expression, frame, where }),
};

type Cannot = { is: 'cannot'; why: string };

export interface HeldState {
  mode: HoldMode;
  limitMs: number;
  calls: HeldCall[];
  standing: Standing[];
  breakpoints: Breakpoint[];
  fields: WatchedField[];
  stopsAtErrors: StopsAtErrors;
}

export interface HoldingAnswers {
  held: HeldState;
  hold: null;
  release: HoldAnswer;
  missing: { is: 'missing'; missing: MissingText } | Cannot;
  breakpoint: Breakpoint;
  watch: { is: 'watched'; field: WatchedField } | Cannot;
  clear: { done: boolean };
  errors: { is: 'done' } | Cannot;
  pause: { is: 'done' } | Cannot;
  go: { is: 'done' } | Cannot;
  scopes: { is: 'scopes'; moment: number; scopes: PauseScope[] } | Cannot;
  evaluateIn: Evaluated | { is: 'threw'; error: RawError } | Cannot;
}

type Asked<M extends keyof typeof holdingMethods> = z.infer<(typeof holdingMethods)[M]>;

export type HoldingHandlers = {
  [M in keyof typeof holdingMethods]: (asked: Asked<M>) => Promise<HoldingAnswers[M]> | HoldingAnswers[M];
};

/** Everything about breakpoints, pauses and held calls of a program. */
export function heldState({ held, pausing }: LiveSession): HeldState {
  return {
    mode: held.mode,
    limitMs: held.limitMs,
    calls: held.all,
    standing: pausing.all,
    breakpoints: pausing.breakpoints,
    fields: pausing.fields,
    stopsAtErrors: pausing.stopsAtErrors,
  };
}

export function holdingHandlers(session: LiveSession): HoldingHandlers {
  const { held, pausing } = session;
  return {
    held: () => heldState(session),
    hold: async ({ mode, limitMs }) => {
      await held.switchTo(mode, limitMs);
      return null;
    },
    release: ({ id, how, text }) => (how === 'give' ? held.give(id, text ?? 'undefined') : held[how](id)),
    missing: ({ id }) => held.missing(id),
    breakpoint: ({ own: _, ...asked }) => pausing.set(asked),
    watch: ({ text, frame: number, file: of, where: at }) =>
      pausing.watch(text, {
        ...(number === undefined ? {} : { frame: number }),
        ...(of === undefined ? {} : { file: of }),
        ...(at === undefined ? {} : { where: at }),
      }),
    clear: async ({ id }) => ({ done: await pausing.remove(id) }),
    errors: ({ which }) => pausing.stopAtErrors(which),
    pause: ({ where: at }) => pausing.pause(at),
    go: ({ how, line: to, frame: number, where: at }) =>
      pausing.go(how === 'to' ? { how, line: to ?? 0 } : how === 'again' ? { how, frame: number ?? 0 } : { how }, at),
    scopes: ({ frame: number, where: at }) => pausing.scopes(number, at),
    evaluateIn: ({ text, frame: number, where: at }) => pausing.evaluate(text, number, at),
  };
}
