/** What page and server say to each other, as schemas: the server checks what comes in, the page imports the types. */
import { z } from 'zod';
import type { LanguageLook } from '../instrument/made-code.js';
import { fileMessages, type FilesToWindow } from './protocol-files.js';
import {
  entriesMessages,
  type ComparedMessage,
  type EntriesMessage,
  type EntryMessage,
  type SidesMessage,
} from './protocol-entries.js';
import type { ShownLine } from './entries-shown.js';
import { heldMessages, type HeldMessage, type WrittenMessage } from './protocol-held.js';
import { pageAsked, type PageMessage, type PointedMessage } from './protocol-page.js';
import { lookRequest } from '../wire/looking.js';
import type { AcceptedMessage, WholeText } from '../sharing/joined-text.js';
import type { NameFound } from '../wire/looking.js';
import type { HoveredMessage, LookedAnswer, StageMessage } from './protocol-looking.js';
import type { DrawCall } from '../wire/reports.js';
import type { Comparison } from '../compare/comparison.js';
import type { Entered } from '../session/live/events.js';
import type { View } from '../views/view.js';
import type { HistoryMessage, LocationMessage, RecordMessage } from './protocol-record.js';

export type * from './protocol-page.js';
export type * from './protocol-record.js';
export type { StageMessage } from './protocol-looking.js';

export const PROTOCOL = 'usher-anvil/window@2';

const file = z.string().min(1).max(4096);
const ask = z.int().min(0);
const text = z.string().max(4 * 1024 * 1024);

/** From a window to the server. */
export const toServer = z.discriminatedUnion('type', [
  /** `show`: the file that the window showed before the connection was gone. */
  z.object({ type: z.literal('hello'), format: z.literal(PROTOCOL), show: file.optional() }),
  /** Show a file; `run` makes it the pad that is executed. */
  z.object({ type: z.literal('show'), file, run: z.boolean() }),
  /** What was typed; see `Edits`. */
  z.object({
    type: z.literal('edit'),
    file,
    epoch: z.string().max(40),
    version: z.int().min(0),
    client: z.string().regex(/^[\w-]{1,40}$/),
    first: z.int().min(1),
    changes: z.array(z.unknown()).min(1).max(100_000),
  }),
  /** Save what windows share; all that was typed here has been sent. */
  z.object({ type: z.literal('save'), file }),
  /** The whole text is asked for: what came does not follow on what this window has. */
  z.object({ type: z.literal('whole'), file }),
  /** The file on disk has changed under unsaved edits: which text counts? */
  z.object({ type: z.literal('settle'), file, take: z.enum(['disk', 'mine']) }),
  z.object({ type: z.literal('execute') }),
  /** What changes something outside of the pad is held, or never; executes anew. */
  z.object({ type: z.literal('careful'), on: z.boolean() }),
  /** What the project adds may execute, from now on. */
  z.object({ type: z.literal('additions') }),
  /** When the pad executes from now on. */
  z.object({ type: z.literal('when'), when: z.enum(['edit', 'save', 'command']) }),
  /** Forget what is kept, and execute anew. */
  z.object({ type: z.literal('drop') }),
  z.object({ type: z.literal('stop') }),
  /** Execute with one test or suite alone, by its names from the outermost in; null for all of them. */
  z.object({ type: z.literal('alone'), path: z.array(z.string().max(1_000)).min(1).max(50).nullable() }),
  /** `ask`: the answer is for a place of its own, and not for the inspector. */
  z.object({ type: z.literal('inspect'), file, line: z.int().min(0), ask: ask.optional() }),
  /** Everything is shown as of this moment; null for the end. */
  z.object({ type: z.literal('cursor'), moment: z.int().min(0).nullable() }),
  /** The visit before or after the cursor, of the site at a place. */
  z.object({
    type: z.literal('step'),
    file,
    line: z.int().min(0),
    character: z.int().min(0),
    by: z.union([z.literal(-1), z.literal(1)]),
  }),
  /** Lines that are on the screen, the last not included: of a long text they are told first. */
  z.object({ type: z.literal('sees'), file, from: z.int().min(0), to: z.int().min(0) }),
  /** What stands at a place: for a card beside the pointer. */
  z.object({ type: z.literal('hover'), ask, file, line: z.int().min(0), character: z.int().min(0) }),
  /** The numbers of all console lines of this shape are wanted as they come; null ends it. */
  z.object({ type: z.literal('follow'), shape: z.string().max(400).nullable() }),
  z.object({ type: z.literal('look'), ask, request: lookRequest }),
  pageAsked,
  /** Walk through a run of the pad: begin at a failure (of a test, by its names from the outermost in), move, leave. */
  z.object({
    type: z.literal('walk'),
    do: z.enum([
      ...(['begin', 'leave', 'into', 'over', 'out', 'line', 'entry', 'exit', 'start'] as const),
      ...(['callback', 'source', 'set', 'frame', 'here', 'repeat', 'calls', 'call', 'pieces'] as const),
    ]),
    back: z.boolean().optional(),
    test: z.array(z.string().max(1_000)).min(1).max(50).optional(),
    /** Begin at a pixel of a picture that is painted pixel by pixel: its call alone is recorded. */
    pixel: z.object({ x: z.int().min(0), y: z.int().min(0) }).optional(),
    /** Of a source, from 0, or of a frame (with `pieces` 0 for all that ran); with `line` of `begin`, the visit of it from 1. */
    number: z.int().min(0).optional(),
    /** Of a variable, with keys behind it: `lock.levels[0]`; with `next`, where it gets another value. */
    name: z.string().max(400).optional(),
    next: z.boolean().optional(),
    file: file.optional(),
    line: z.int().min(0).optional(),
    /** With `here`, what is selected: from a character of the line up to a place. */
    character: z.int().min(0).optional(),
    until: z.object({ line: z.int().min(0), character: z.int().min(0) }).optional(),
    /** With `calls`, what a frame (`number`, 0 for the outermost) called: how many are there already, and a filter. */
    from: z.int().min(0).optional(),
    filter: z.string().max(400).optional(),
  }),
  /** Turn a dial; write all that is turned into the source; or put all back. */
  z.object({
    type: z.literal('turn'),
    name: z.string().max(1_000),
    value: z.union([z.string().max(100_000), z.number(), z.boolean()]),
  }),
  z.object({ type: z.literal('dials'), do: z.enum(['write', 'reset']) }),
  /** Do something to the program that runs. */
  z.object({
    type: z.literal('act'),
    action: z.union([
      z.object({ do: z.enum(['stop-timer', 'open-gate']), id: z.int().min(0) }),
      z.object({ do: z.literal('clock'), id: z.int().min(0), to: z.enum(['stop', 'go', 'step']) }),
      z.object({ do: z.literal('let-through'), name: z.string().max(400).optional() }),
    ]),
  }),
  /** The data that `input` reads: pasted text; null for what the pad itself names. */
  z.object({ type: z.literal('data'), name: z.string().min(1).max(200), text: z.string().max(12_000_000).nullable() }),
  /** Install a package for the pad. */
  z.object({ type: z.literal('add'), package: z.string().min(1).max(300) }),
  /** Tell what imported packages cost when bundled. */
  z.object({ type: z.literal('sizes') }),
  z.object({ type: z.literal('types'), on: z.boolean() }),
  /** Enter code inside a module of a live program; without `text`, the statement at the line. */
  z.object({
    type: z.literal('enter'),
    ask,
    file,
    text: text.optional(),
    line: z.int().min(0).optional(),
    remember: z.boolean().optional(),
    /** The program stops in it. */
    stops: z.boolean().optional(),
  }),
  z.object({ type: z.literal('complete'), ask, file, text: z.string().max(100_000) }),
  /** Show no values of functions of a live program any more. */
  z.object({ type: z.literal('shut'), file }),
  /** Take the last change of a live program back; run statements that wait; give a name its first value. */
  z.object({ type: z.literal('undo') }),
  /** A file of a live program is executed anew where it runs: pages are loaded again. */
  z.object({ type: z.literal('again'), file }),
  z.object({ type: z.literal('waiting'), file, line: z.int().min(0).optional() }),
  z.object({ type: z.literal('reset'), file, name: z.string().max(1_000) }),
  /** The text of a file of a live program as an editor has it: what is told is told in its lines. */
  z.object({ type: z.literal('hold'), file, text }),
  /** The program takes the text that is held, before it is saved. */
  z.object({ type: z.literal('apply'), file }),
  /** The editor has saved the text that it holds. */
  z.object({ type: z.literal('stored'), file }),
  ...heldMessages,
  ...entriesMessages,
  ...fileMessages,
  /** The record as a document. */
  z.object({
    type: z.literal('export'),
    format: z.enum(['html', 'md', 'svg', 'png', 'json']),
    /** Zero-based lines alone, the last included. */
    lines: z.object({ from: z.int().min(0), to: z.int().min(0) }).optional(),
  }),
]);
export type ToServer = z.infer<typeof toServer>;

/** A live program that a window looks at. */
export interface LiveMessage {
  name: string;
  pid: number;
  /** Since when it runs, ISO 8601. */
  since: string;
  /** Address of the page that its development server serves. */
  site?: string;
  /** What was entered in earlier sessions, the oldest first. */
  entered: string[];
}

/** What became of a change of a live program. */
export interface ChangeMessage {
  kind: 'patched' | 'reloaded' | 'refused' | 'failed' | 'undone' | 'error' | 'ended';
  file: string;
  text: string;
  details: string[];
  /** Time of day, `14:03:22`. */
  at: string;
  /** Edits that were typed one after the other and did the same. */
  times?: number;
  /** Names whose live value was kept though their first value has changed. */
  kept: string[];
}

/** Something the pad shows on purpose. */
export interface ShownMessage {
  id: number;
  kind: string;
  title: string;
  at?: LocationMessage;
  views?: View[];
  text?: string;
  width?: number;
  height?: number;
  calls?: DrawCall[];
  /** Of an animated picture: seconds and pictures of its clock, and whether that goes. */
  clock?: { time: number; frame: number; running: boolean };
  /** So many other threads paint it, as plain code: lines tell of the coarse picture alone. */
  threads?: number;
  /** Of a page: more was painted than the record holds. */
  partial?: true;
  pixels?: { block: number; columns: number; rows: number; rgba: string; values?: (number | null)[] };
}

/** What comparisons of a pad have come to, in the order of its text. */
export interface ComparisonsMessage {
  type: 'comparisons';
  pad: string;
  list: {
    /** Zero-based. */
    line: number;
    names: string[];
    state: 'waits' | 'runs' | 'done' | 'failed';
    /** What is done now, or why it failed. */
    text: string;
    /** Of each way but the first; of one that is being timed what is known so far. */
    found: { comparison: Comparison; sentence: string; differing: string[] }[];
    /** It is of an older text. */
    stale?: true;
  }[];
}

/** How a text stands to the file on disk. */
export interface TextState {
  unsaved: boolean;
  /** The file on disk has changed under unsaved edits. */
  conflict: boolean;
  restored: boolean;
  /** The text on disk, where there is a conflict. */
  other?: string;
  /** It has no file until a person gives it a name. */
  untitled?: true;
}

/** When a pad executes, and whether the text here has. */
export interface RunsMessage {
  type: 'runs';
  pad: string;
  when: 'edit' | 'save' | 'command';
  /** What changes something outside of the pad is held; `asks`: nobody has said so, the first such thing asks. */
  careful: boolean | 'asks';
  /** The text has not run since its last change. */
  behind: boolean;
  /** Why it was opened without running. */
  held?: string;
}

/** What a frame of the run that is walked through called, `from` which on. */
export interface WalkCalls {
  type: 'walk-calls';
  /** Of which run: frames of another have other numbers. */
  run: number;
  under: number;
  from: number;
  filter: string;
  calls: {
    number: number;
    name: string;
    at: { file: string; line: number };
    /** In it and under it; and their share of all. */
    steps: number;
    share: number;
    /** There are calls under it. */
    more: boolean;
  }[];
  /** How many there are in all. */
  total: number;
}

/** All the code that took part in a call that is walked through, function by function, in the order of first calls. */
export interface WalkPieces {
  type: 'walk-pieces';
  /** The call, by its name. */
  of: string;
  pieces: { file: string; name: string; layer: string; calls: number; threw?: number; lines: ShownLine[] }[];
}

/** Where a walk stands. Lines are zero-based, of the text that the window shows. */
export interface WalkStop {
  /** From 1, of all steps. */
  step: number;
  total: number;
  /** Number of the run, for {@link WalkCalls}. */
  run: number;
  /** Not all of them are kept: it can be repeated for others. */
  part?: true;
  at: LocationMessage;
  /** The innermost first. */
  frames: { number: number; name: string; at: { file: string; line: number } }[];
  /** What changed with the last step first; `at`: where it got its value; `own`: of the innermost frame. */
  variables: { name: string; text: string; changed: boolean; own: boolean; at: { file: string; line: number } }[];
  /** What the code reads, calls and was led to by, with where that comes from. */
  sources: {
    kind: 'name' | 'property' | 'call' | 'condition';
    text: string;
    value?: string;
    at?: { file: string; line: number };
  }[];
  /** Lines that were left on the way here. */
  trail: { file: string; line: number }[];
  /** Lines of its function that this frame did not come by. */
  unreached: number[];
  /** What went wrong here. */
  error?: string;
}

/** From the server to a window. */
/** What a project adds, or would. */
export interface AddedHere {
  languages?: LanguageLook[];
  /** All that the project has execute here, and where it comes from; what of it cannot be loaded. */
  adds?: string;
  /** What it would add, as its configuration names it, and does not until a person says so. */
  held?: string[];
}

export type ToWindow =
  | (AddedHere & { type: 'additions' })
  | (AddedHere & {
      type: 'welcome';
      format: typeof PROTOCOL;
      root: string;
      /** Differs for each folder. */
      folder: string;
      pads: string[];
      /** Files of the project that the live program has not loaded. */
      idle?: string[];
      pad: string | null;
      /** The window begins with the start page. */
      start?: true;
      live?: LiveMessage;
    })
  | { type: 'entered'; ask: number; entered: Entered; line?: number; text?: string }
  | { type: 'completed'; ask: number; from: number; names: NameFound[] }
  | { type: 'changes'; changes: ChangeMessage[] }
  | ({ type: 'text'; file: string } & WholeText & TextState)
  | ({ type: 'state'; file: string } & TextState)
  /** Changes that became part of a text. */
  | ({ type: 'accepted'; file: string } & AcceptedMessage)
  | RunsMessage
  | {
      type: 'inspected';
      ask?: number;
      file: string;
      line: number;
      histories: HistoryMessage[];
      chains: { text: string; stages: StageMessage[] }[];
    }
  | HoveredMessage
  | { type: 'looked'; ask: number; answer: LookedAnswer }
  /** Readings: milliseconds since the run began, then the numbers. `fresh` begins anew. */
  | { type: 'numbers'; points: number[][]; fresh: boolean }
  /** Changes to the text, for the window to make as if they were typed. */
  | { type: 'rewrite'; file: string; edits: { from: number; to: number; insert: string }[] }
  /** Something that takes a while: how far it is; empty when it is over. */
  | { type: 'busy'; text: string }
  /** Where a walk stands, and what is to be said of it; without a stop it is over, or has not begun. */
  | { type: 'walk'; stop?: WalkStop; note?: string }
  | WalkCalls
  | WalkPieces
  | PageMessage
  | PointedMessage
  | { type: 'note'; text: string }
  | { type: 'document'; name: string; mime: string; base64: string }
  | { type: 'shown'; pad: string; shown: ShownMessage[] }
  | { type: 'problem'; code: string; message: string }
  | ComparisonsMessage
  | HeldMessage
  | EntriesMessage
  | EntryMessage
  | SidesMessage
  | ComparedMessage
  | WrittenMessage
  | FilesToWindow
  | RecordMessage;
