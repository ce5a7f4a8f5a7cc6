/** What page and server say about entry points. */
import { z } from 'zod';
import type { ShownEntries, ShownEntry, ShownSides } from './entries-shown.js';

export type * from './entries-shown.js';

/** From a window. */
export const entriesMessages = [
  /** The window shows entry points, and the code that works for one; or the files again. */
  z.object({ type: z.literal('serves'), on: z.boolean() }),
  /** An entry point is picked; what asking changes nothing of is asked by itself. */
  z.object({ type: z.literal('pick'), key: z.string().max(20_000).nullable() }),
  /** The one that is picked is asked, once more or otherwise. */
  z.object({
    type: z.literal('ask'),
    url: z.string().max(16_384).optional(),
    body: z.string().max(1_000_000).optional(),
  }),
  /** Is a function slower than it was: before it was changed here, or as of the last commit? */
  z.object({ type: z.literal('slower'), file: z.string().min(1).max(4096), name: z.string().max(1_000) }),
  /** Two requests that were made are laid side by side, by their numbers. */
  z.object({ type: z.literal('beside'), one: z.int().min(1), other: z.int().min(1) }),
] as const;

export type EntriesMessage = { type: 'entries'; shown: ShownEntries };
export type SidesMessage = { type: 'sides'; sides: ShownSides };
/** What became of a function that is compared with what it was; `isOver`: nothing more comes. */
export interface ComparedMessage {
  type: 'compared';
  file: string;
  name: string;
  lines: string[];
  isOver: boolean;
}
/** Without an entry, none is picked. */
export type EntryMessage = { type: 'entry'; shown?: ShownEntry };
