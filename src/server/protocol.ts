/** What page and server say to each other, as schemas: the server checks what comes in, the page imports the types. */
import { z } from 'zod';

export const PROTOCOL = 'usher-anvil/window@1';

const file = z.string().min(1).max(4096);
const text = z.string().max(4 * 1024 * 1024);

/** From a window to the server. */
export const toServer = z.discriminatedUnion('type', [
  z.object({ type: z.literal('hello'), format: z.literal(PROTOCOL) }),
  /** Show a file; `run` makes it the pad that is executed. */
  z.object({ type: z.literal('show'), file, run: z.boolean() }),
  /** The whole new text after an edit; versions of one window only grow. */
  z.object({ type: z.literal('edit'), file, text, version: z.int() }),
  z.object({ type: z.literal('save'), file, text, version: z.int() }),
  /** The file on disk has changed under unsaved edits: which text counts? */
  z.object({ type: z.literal('settle'), file, take: z.enum(['disk', 'mine']) }),
  z.object({ type: z.literal('execute') }),
  z.object({ type: z.literal('stop') }),
  z.object({ type: z.literal('inspect'), file, line: z.int().min(0) }),
]);
export type ToServer = z.infer<typeof toServer>;

export interface MarginItemMessage {
  kind: 'value' | 'error' | 'passed' | 'failed' | 'skipped' | 'calls' | 'note';
  text: string;
  count?: string;
  series?: number[];
  title: string;
}

export interface LineMessage {
  line: number;
  state: 'ran' | 'partly' | 'never' | 'failed' | 'none';
  hits: number;
  heat: number;
  way: boolean;
  title: string;
  items: MarginItemMessage[];
}

export interface PlaceMessage {
  file: string;
  /** Zero-based. */
  line: number;
  character: number;
}

export interface ErrorMessage {
  text: string;
  kind: string;
  at: PlaceMessage;
  endCharacter: number;
  test?: string;
  expected?: string;
  received?: string;
  frames: { name: string; at: PlaceMessage }[];
  causes: string[];
}

export interface ConsoleMessage {
  level: string;
  text: string;
  indent: number;
  at?: PlaceMessage;
  table?: { columns: string[]; rows: string[][] };
}

export interface TestMessage {
  name: string;
  path: string[];
  state: 'passed' | 'failed' | 'skipped' | 'todo' | 'running';
  durationMs: number;
  at: PlaceMessage;
}

export interface RecordMessage {
  type: 'record';
  pad: string;
  /** File shown, and the version of its text that was executed. */
  file: string;
  version: number;
  outcome: 'ok' | 'failed' | 'syntax' | 'stopped';
  ended: boolean;
  /** The text did not run: what stands beside the lines is from an earlier run. */
  stale: boolean;
  summary: { run: string; trouble: string; tests: string };
  lines: LineMessage[];
  console: ConsoleMessage[];
  consoleOmitted: number;
  errors: ErrorMessage[];
  tests: TestMessage[];
}

/** From the server to a window. */
export type ToWindow =
  | { type: 'welcome'; format: typeof PROTOCOL; root: string; pads: string[]; pad: string | null }
  | { type: 'text'; file: string; text: string; unsaved: boolean; version: number; conflict: boolean; restored: boolean }
  | { type: 'state'; file: string; unsaved: boolean; conflict: boolean }
  | { type: 'inspected'; file: string; line: number; histories: { name: string; kind: string; visits: number; samples: { visit: number; text: string }[] }[] }
  | { type: 'problem'; code: string; message: string }
  | RecordMessage;
