/**
 * The messages between a session and its guests: threads, processes and pages
 * whose modules the engine loads by itself. What they tell has a schema: they
 * run foreign code.
 */
import { z } from 'zod';
import { holdAnswer, holdNews, type HoldRequest } from './holding.js';
import { lookAnswer, type LookRequest, type NamesRequest } from './looking.js';
import { ask, checkWith, liveAnswer, type Checked } from './messages.js';
import type { LiveChange, ModuleCode } from './modules.js';
import { pauseAnswer, pauseNews, type PauseRequest } from './pausing.js';
import { batch } from './reports.js';

/** What a guest is asked. */
export type ToGuest =
  | { type: 'change'; ask: number; change: LiveChange }
  | { type: 'look'; ask: number; request: LookRequest | NamesRequest }
  | { type: 'hold'; ask: number; request: HoldRequest }
  | { type: 'pause'; ask: number; request: PauseRequest }
  /** All that is asked of a module is said: one that waits before its first line goes on. */
  | { type: 'goes-on' }
  /** The text behind a module that was executed: columns, and what functions show as their source. */
  | { type: 'known'; code: ModuleCode };

const told = [
  /** A module begins; `version` is the one its text was served as. */
  z.object({
    type: z.literal('executed'),
    file: z.string(),
    version: z.int().min(0),
    url: z.string(),
    /** It waits for `goes-on`. */
    waits: z.literal(true).optional(),
  }),
  z.object({ type: z.literal('changed'), ask, answer: liveAnswer }),
  z.object({ type: z.literal('looked'), ask, answer: lookAnswer }),
  z.object({ type: z.literal('batch'), batch }),
  z.object({ type: z.literal('hold-answered'), ask, answer: holdAnswer }),
  z.object({ type: z.literal('holding'), news: holdNews }),
  z.object({ type: z.literal('answered'), ask, answer: pauseAnswer }),
  z.object({ type: z.literal('pausing'), news: pauseNews }),
  /** A change did not end, and was taken back. */
  z.object({ type: z.literal('undone') }),
] as const;

/** What a guest tells. */
const fromGuest = z.discriminatedUnion('type', told);
export type FromGuest = z.infer<typeof fromGuest>;

/** From a thread or process: first `join` with the token, on each of its two connections. */
const fromParticipant = z.discriminatedUnion('type', [
  ...told,
  z.object({
    type: z.literal('join'),
    token: z.string(),
    id: z.string().max(200),
    label: z.string().max(200),
    role: z.enum(['program', 'loader']),
  }),
  z.object({ type: z.literal('code'), ask, url: z.string() }),
  z.object({ type: z.literal('resolve'), ask, specifier: z.string(), from: z.string() }),
]);
export type FromParticipant = z.infer<typeof fromParticipant>;

export interface ServedCode {
  code: string;
  format: 'module' | 'commonjs';
  /** Something is asked of it before anything in it runs. */
  waits: boolean;
}

/** To the loader of a thread or process. */
export type ToLoader =
  | { type: 'code'; ask: number; served: ServedCode | undefined }
  | { type: 'resolved'; ask: number; url: string | undefined };

/** Looks at what a guest told. */
export function checkFromGuest(message: unknown): Checked<FromGuest> {
  return checkWith<FromGuest>(fromGuest, message);
}

/** Looks at what a thread or process told. */
export function checkFromParticipant(message: unknown): Checked<FromParticipant> {
  return checkWith<FromParticipant>(fromParticipant, message);
}
