/** What page and server say to each other about files: the start page, new pads, names. */
import { z } from 'zod';
import type { HistoryMessage } from './protocol-record.js';

const file = z.string().min(1).max(4096);

/** From a window to the server. */
export const fileMessages = [
  /** What the start page lists is asked for. */
  z.object({ type: z.literal('start') }),
  /**
   * A new pad without a file: empty, from a template, or a copy of what is open; `text` stands in place of the
   * template's.
   */
  z.object({
    type: z.literal('new'),
    template: z.string().min(1).max(200).optional(),
    copy: file.optional(),
    text: z.string().max(8_000_000).optional(),
  }),
  /** A file is renamed or moved; one that is not saved yet gets its name. */
  z.object({ type: z.literal('move'), file, to: file }),
  z.object({ type: z.literal('delete'), file }),
  /** The file that was deleted last comes back. */
  z.object({ type: z.literal('undelete') }),
  /** An example is copied into the folder, and opened. */
  z.object({ type: z.literal('example'), name: z.string().min(1).max(200) }),
  /** The function at a line is called from a pad of its own. */
  z.object({ type: z.literal('try'), file, line: z.int().min(0), character: z.int().min(0) }),
  /** An expression reports as if it had a mark, from the next run on; none where it begins where it ends. Offsets. */
  z.object({ type: z.literal('select'), ask: z.int().min(0), file, start: z.int().min(0), end: z.int().min(0) }),
  /** What types and the last run know of a place: names, the type there, the call around it. Offsets. */
  z.object({
    type: z.literal('assist'),
    ask: z.int().min(0),
    file,
    offset: z.int().min(0),
    what: z.enum(['names', 'about', 'detail', 'signature', 'package']),
    name: z.string().max(1_000).optional(),
  }),
] as const;

/** What the start page lists. */
export interface StartMessage {
  type: 'start';
  templates: { name: string; sentence: string; own: boolean }[];
  recent: { file: string; outcome: string; bad: boolean; untitled: boolean; at: number }[];
  /** Names with which `?program=` of the page's address joins them. */
  programs: { name: string; since: string; file: string }[];
  examples: { name: string; title: string; sentence: string; picture: string }[];
}

/** What is known of what a person has selected. */
export interface SelectedMessage {
  type: 'selected';
  ask: number;
  /** `none`: it is no expression that has a value; `soon`: it reports from the next run or call on. */
  is: 'none' | 'soon' | 'values';
  why: string;
  /** The expression itself, as offsets: without blanks around it. */
  start: number;
  end: number;
  history?: HistoryMessage;
  /** It stands at the top level: code elsewhere in the file can use it. */
  top?: true;
}

export interface AssistedMessage {
  type: 'assisted';
  ask: number;
  /** Names for what is being written; those that the value of the last run really has tell it. */
  names: { name: string; kind: string; sort: string; value?: string }[];
  /** A type with its documentation. */
  about?: { type: string; text: string };
  /** A call: its text in parts, which of them is the parameter at the place or -1, and what is said of it. */
  signature?: { parts: string[]; active: number; text: string };
}

export type FilesToWindow =
  | AssistedMessage
  | SelectedMessage
  | StartMessage
  /** A file has another name; its text stays as it is. */
  | { type: 'renamed'; file: string; to: string }
  /** A file is gone; null where nothing is open in its place. `back`: it can be put back. */
  | { type: 'deleted'; file: string }
  /** The files that may be opened. */
  | { type: 'files'; pads: string[]; idle?: string[] };
