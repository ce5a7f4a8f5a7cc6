/** A window as the workbench knows it, and when it is sent what. */
import type { PadRecord } from '../../record/record.js';
import type { LineRange } from '../protocol-record.js';
import type { ToWindow } from '../protocol.js';

export interface WorkbenchWindow {
  send(message: ToWindow): void;
}

export interface Viewer {
  window: WorkbenchWindow;
  /** Path of the file it shows. */
  file: string | undefined;
  /** The moment that everything is shown as of; Infinity for the end. */
  until: number;
  /** The text of a file as an editor has it, where this is the window of one. */
  held: { path: string; text: string } | undefined;
  /** What the pad shows on purpose, as it was sent last. */
  shown: PadRecord['shown'] | undefined;
  /** Console lines whose numbers are wanted, and the moment up to which they were sent; -1 for none. */
  follows: { shape: string; sent: number } | undefined;
  /** A record that waits to be sent. */
  waiting: NodeJS.Timeout | undefined;
  sentAt: number;
  /** Lines on its screen, as far as it has told. */
  sees: LineRange | undefined;
  /** A record of which only these lines are told. */
  part: (LineRange & { record: PadRecord }) | undefined;
  /** It shows entry points, and not files by themselves; and the record of the one that it was told last. */
  serves: boolean;
  entry: PadRecord | null | undefined;
  /** What tells the others. */
  rest: NodeJS.Timeout | undefined;
}

export function viewerOf(window: WorkbenchWindow): Viewer {
  return {
    window,
    file: undefined,
    until: Infinity,
    held: undefined,
    shown: undefined,
    follows: undefined,
    waiting: undefined,
    sentAt: 0,
    sees: undefined,
    part: undefined,
    rest: undefined,
    serves: false,
    entry: undefined,
  };
}

/** A text of more lines is told in two steps: what is on the screen, and all of it when its person pauses. */
const LONG = 300;
/** Lines told above and below of those on the screen: a turn of the wheel is no question yet. */
const AROUND = 60;

/** The lines to tell now; undefined for all. */
export function partFor({ sees }: Viewer, lineCount: number): LineRange | undefined {
  if (!sees || lineCount <= LONG) return undefined;
  return { from: Math.max(0, sees.from - AROUND), to: sees.to + AROUND };
}

/** Milliseconds between two records of a program that runs on. */
const LIVE_MS = 150;
/** The same for a pad whose run prints much and goes on. */
const CHATTY_MS = 250;
/** Console lines and errors that make a record heavy. */
const HEAVY = 100;

/**
 * Milliseconds that a record has to wait before it is sent to a window, so that a chatty run does not flood it; 0 for
 * at once.
 *
 * @param runsOn it is of a program that runs on
 */
export function waitFor(viewer: Viewer, record: PadRecord, runsOn: boolean, now: number): number {
  const weight = record.console.length + record.errors.length;
  if (!runsOn && (record.ended || weight < HEAVY)) return 0;
  return Math.max(0, viewer.sentAt + (runsOn ? LIVE_MS : CHATTY_MS) - now);
}
