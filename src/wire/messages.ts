/**
 * The messages between a session, the relay in the pads' process, and a pad's
 * thread. What comes from the side where foreign code runs has a schema: a pad
 * may post to its parent or write to its pipe whatever it likes.
 */
import { z } from 'zod';
import { sharedMemory } from './arrays.js';
import { entriesAnswer } from './entries.js';
import { lookAnswer, type LookRequest, type NamesRequest } from './looking.js';
import type { Action, LiveChange, ModuleCode, ModuleLink, Observe } from './modules.js';
import { holdAnswer, holdNews, type HoldRequest } from './holding.js';
import { pauseAnswer, pauseNews, type PauseRequest } from './pausing.js';
import { batch, rawError, rawFrame } from './reports.js';
import { padResult, rawStop, type RunAsked, type Warmed } from './runs.js';
import { isValue, type Value } from './value.js';

/** Session to relay. */
export type ToRelay =
  | {
      type: 'configure';
      memoryMb: number;
      warm: Warmed[];
      rehearsal: ModuleCode[];
      once: boolean;
      careful: boolean;
    }
  | { type: 'run'; id: number; entry: string; modules: ModuleCode[]; hangMs: number; argv: string[]; asked: RunAsked }
  | { type: 'cancel'; id: number }
  | { type: 'expire'; id: number }
  | { type: 'resolved'; id: number; ask: number; answer: Resolved }
  | { type: 'change'; id: number; ask: number; change: LiveChange }
  | { type: 'act'; id: number; action: Action }
  | { type: 'pause'; id: number; ask: number; request: PauseRequest }
  | { type: 'hold'; id: number; ask: number; request: HoldRequest }
  | { type: 'look'; id: number; ask: number; request: LookRequest | NamesRequest };

/** A module that was asked for while the program runs. */
export interface Resolved {
  link: ModuleLink;
  modules: ModuleCode[];
  /** What is asked of the modules before they run. */
  observe?: Observe;
}

/** Relay to the pad's thread. */
export type ToPad =
  /** Packages to load before the pad comes. */
  | { type: 'warm'; packages: PadData['warm'] }
  | { type: 'run'; entry: string; modules: ModuleCode[]; argv: string[]; asked: RunAsked }
  | { type: 'ping' }
  | { type: 'resolved'; ask: number; answer: Resolved }
  | { type: 'change'; ask: number; change: LiveChange }
  | { type: 'act'; action: Action }
  | { type: 'pause'; ask: number; request: PauseRequest }
  | { type: 'hold'; ask: number; request: HoldRequest }
  | { type: 'look'; ask: number; request: LookRequest | NamesRequest };

export const liveAnswer = z.object({
  failed: z.object({ step: z.number(), error: rawError }).optional(),
  /** Objects that live and got new fields, or went over to a class made anew. */
  objects: z.number(),
  /** Functions that had stopped with an error and are called again. */
  resumed: z.array(z.string()),
  /** Milliseconds that the program stood still for it. */
  pauseMs: z.number(),
  /** How many steps of what was to be observed were taken, where there was a budget of time. */
  taken: z.int().nonnegative().optional(),
  /** Steps of what was to be observed that could not be taken. */
  unobserved: z.array(z.object({ step: z.number(), message: z.string() })).optional(),
  /** What was evaluated gave this; it can be opened under its moment. */
  result: z.object({ value: z.custom<Value>((one) => isValue(one), 'no value'), moment: z.number() }).optional(),
  entries: entriesAnswer.optional(),
});
export type LiveAnswer = z.infer<typeof liveAnswer>;

/** What a live program tells by itself. */
const liveNews = z.discriminatedUnion('is', [
  /** A patch did not end, and was taken back. */
  z.object({ is: z.literal('undone') }),
  z.object({ is: z.literal('extension'), file: z.string(), from: z.string() }),
  /** The program wrote to its output; `omitted` characters of a flood are not told. */
  z.object({ is: z.literal('output'), stream: z.enum(['stdout', 'stderr']), text: z.string(), omitted: z.number() }),
]);
export type LiveNews = z.infer<typeof liveNews>;

export const ask = z.int().min(0);
const flag = sharedMemory;
/** Of a process that is to be ended with its group: 0 and 1 would mean others. */
const startedPid = z.int().min(2);

/** The pad's thread to the relay. */
const fromPad = z.discriminatedUnion('type', [
  /** It has loaded what it was told to, which took so many milliseconds. */
  z.object({ type: z.literal('ready'), loadMs: z.number() }),
  z.object({ type: z.literal('cells'), unit: z.int(), cells: flag }),
  /** What is in it is looked at by the session. `pace` counts those that were handed on: the program waits for it. */
  z.object({ type: z.literal('batch'), batch: z.unknown(), pace: flag.optional() }),
  z.object({ type: z.literal('settled'), durationMs: z.number() }),
  z.object({ type: z.literal('idle') }),
  /** The run has left nothing behind: one more may begin in its thread. */
  z.object({ type: z.literal('unchanged') }),
  z.object({ type: z.literal('result'), result: padResult }),
  z.object({ type: z.literal('pong') }),
  /** Packages, or what is around tests, begin to be loaded, or have been: its event loop may not turn meanwhile. */
  z.object({ type: z.literal('loading'), begins: z.boolean() }),
  z.object({ type: z.literal('needs-process'), what: z.string() }),
  /** It started a process that leads a group of its own. */
  z.object({ type: z.literal('started'), pid: startedPid }),
  /** The pad is about to end its own thread or process. The flag is set when the session has been told. */
  z.object({
    type: z.literal('leaving'),
    reason: z.enum(['exit', 'abort', 'killed', 'held']),
    code: z.union([z.number(), z.string()]).optional(),
    frames: z.array(rawFrame),
    told: flag,
  }),
  z.object({ type: z.literal('resolve'), ask, specifier: z.string(), from: z.string(), wake: flag.optional() }),
  z.object({ type: z.literal('changed'), ask, answer: z.unknown() }),
  z.object({ type: z.literal('live'), event: liveNews }),
  z.object({ type: z.literal('looked'), ask, answer: z.unknown() }),
  z.object({ type: z.literal('answered'), ask, answer: z.unknown() }),
  z.object({ type: z.literal('hold-answered'), ask, answer: z.unknown() }),
  z.object({ type: z.literal('holding'), news: z.unknown() }),
  /** It stands still while `bell` is there: what is said to it is told by the bell. */
  z.object({ type: z.literal('pausing'), news: z.unknown(), bell: flag.optional() }),
  /** Of a main thread: what the thread beside it is to do with the engine's debugger. */
  z.object({
    type: z.literal('beside'),
    request: z.object({ do: z.enum(['stop', 'errors', 'close']), on: z.boolean().optional(), flag }),
  }),
]);
export type FromPad = z.infer<typeof fromPad>;

const id = z.number();

/** Relay to session. */
const fromRelay = z.discriminatedUnion('type', [
  z.object({ type: z.literal('ready') }),
  z.object({ type: z.literal('batch'), id, batch }),
  z.object({ type: z.literal('settled'), id, durationMs: z.number() }),
  z.object({ type: z.literal('idle'), id }),
  /** It runs in the thread of an earlier run, whose packages are still loaded. */
  z.object({ type: z.literal('kept'), id }),
  z.object({ type: z.literal('result'), id, result: padResult }),
  z.object({ type: z.literal('stopped'), id, stop: rawStop }),
  z.object({ type: z.literal('needs-process'), id, what: z.string() }),
  z.object({ type: z.literal('started'), id, pid: startedPid }),
  z.object({ type: z.literal('resolve'), id, ask, specifier: z.string(), from: z.string() }),
  z.object({ type: z.literal('changed'), id, ask, answer: liveAnswer }),
  z.object({ type: z.literal('live'), id, event: liveNews }),
  z.object({ type: z.literal('looked'), id, ask, answer: lookAnswer }),
  z.object({ type: z.literal('answered'), id, ask, answer: pauseAnswer }),
  z.object({ type: z.literal('pausing'), id, news: pauseNews }),
  z.object({ type: z.literal('hold-answered'), id, ask, answer: holdAnswer }),
  z.object({ type: z.literal('holding'), id, news: holdNews }),
]);
export type FromRelay = z.infer<typeof fromRelay>;

/** A message that was looked at, or what is wrong with it. */
export type Checked<Message> = { ok: true; message: Message } | { ok: false; why: string };

/** Looks at what came from a pad's thread. */
export function checkFromPad(message: unknown): Checked<FromPad> {
  return checkWith<FromPad>(fromPad, message);
}

/** Looks at what came from a pad's process. */
export function checkFromRelay(message: unknown): Checked<FromRelay> {
  return checkWith<FromRelay>(fromRelay, message);
}

/** Looks at a message from a side that runs foreign code. */
export function checkWith<Message>(schema: z.ZodType<Message>, message: unknown): Checked<Message> {
  const result = schema.safeParse(message);
  // The message itself and not its copy: what is in it beside the schema is never read.
  if (result.success) return { ok: true, message: message as Message };
  const [issue] = result.error.issues;
  const where = issue!.path.length > 0 ? `${issue!.path.map(String).join('.')}: ` : '';
  return { ok: false, why: `${where}${issue!.message}` };
}

/** How a pad's thread was started. */
export interface PadData {
  warm: Warmed[];
  /** A program to run before the pad comes; its reports go nowhere. */
  rehearsal: ModuleCode[];
  /** `worker`, or the main thread of a process. */
  place: 'worker' | 'process';
  /** Patches are expected: the program's own output and input stay its own. */
  live: boolean;
  /** What a pad starts goes on when its run ends. */
  keepStarted?: boolean;
  /** What changes something outside of the pad is held. */
  careful?: boolean;
  /** One more run may begin in the thread. */
  keeps?: boolean;
}
