/** What windows ask at the door of a live program, and what they are told: protocol `usher-anvil/door@1`. */
import { z } from 'zod';
import type { Entered, LiveEvent } from '../session/live/events.js';
import { lookRequest, type LookAnswer, type NameFound } from '../wire/looking.js';
import { entriesMethods, type EntriesAnswers } from './door-entries.js';
import { holdingMethods, type HoldingAnswers } from './door-holding.js';
import { toServer } from './protocol.js';

/** A change as it is told to windows. */
export interface DoorEvent extends Pick<LiveEvent, 'kind' | 'file' | 'text' | 'details' | 'typed'> {
  notes: NonNullable<LiveEvent['plan']>['notes'];
}

export interface Described {
  protocol: 'usher-anvil/door@1';
  name: string;
  pid: number;
  entry: string;
  /** Folder that names of files in its workbench are relative to. */
  root: string;
  files: string[];
  since: string;
  /** Address of the page that its development server serves. */
  site?: string;
  /** Threads, processes and pages that take part, with the files that each has. */
  places: { label: string; files: string[] }[];
  /** Statements that wait, by file. */
  waiting: { file: string; line: number; text: string }[];
}

const file = z.string().max(4_096);
/** What a window asks, by method. */
export const methods = {
  describe: z.object({}),
  /** `where`: the label of a place. */
  evaluate: z.object({
    file: file.optional(),
    text: z.string().max(1024 * 1024),
    where: z.string().max(100).optional(),
  }),
  complete: z.object({ file: file.optional(), text: z.string().max(100_000), where: z.string().max(100).optional() }),
  look: z.object({ request: lookRequest }),
  listen: z.object({ on: z.boolean() }),
  undo: z.object({}),
  run: z.object({ file: file.optional(), line: z.int().min(0).optional() }),
  reset: z.object({ file: file.optional(), name: z.string().max(1_000) }),
  /** What a page of the workbench says; its answers come as notifications of that name. */
  window: z.object({ message: toServer }),
  ...holdingMethods,
  ...entriesMethods,
};

export type Method = keyof typeof methods;

export interface Answers extends HoldingAnswers, EntriesAnswers {
  describe: Described;
  evaluate: Entered;
  complete: { from: number; names: NameFound[] };
  look: LookAnswer;
  listen: null;
  undo: { done: boolean };
  run: { ran: number };
  reset: { done: boolean };
  window: null;
}

/** A request of JSON-RPC 2.0. */
export const request = z.object({
  jsonrpc: z.literal('2.0'),
  id: z.union([z.number(), z.string()]),
  method: z.string(),
  params: z.unknown().optional(),
});
