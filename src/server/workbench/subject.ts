/**
 * What the workbench shows: a pad's session, or a program that runs on. Each says what it can do beyond what both can.
 */
import type { Session } from '../../hosts/node/index.js';
import { lineMap } from '../../record/line-map.js';
import type { PadRecord } from '../../record/record.js';
import { LineTable } from '../../syntax/positions.js';
import type { LookAnswer, LookRequest } from '../../wire/looking.js';
import type { Entered } from '../../session/live/events.js';
import type { LiveSession } from '../../session/live/session.js';

/** Where lines of one text are in another; where one of the two is not known, they are the same. */
export function linesBetween(from: string | undefined, to: string | undefined): (line: number) => number | undefined {
  if (from === undefined || to === undefined || from === to) return (line) => line;
  return lineMap(new LineTable(from), new LineTable(to));
}

/** What both can do. */
export interface Subject {
  /** First file. */
  readonly file: string;
  /** Local files that take part. */
  readonly files: string[];
  readonly record: PadRecord | undefined;
  /** The last record of a text that ran. */
  readonly goodRecord: PadRecord | undefined;
  textOf(file: string): string;
  /** Takes an unsaved text. */
  edit(file: string, text: string): void;
  /** The text of a file is the one on disk from now on. */
  saved(file: string, text: string): void;
  /**
   * Where lines of the text that ran are in the one that a window shows, which may have been edited since.
   *
   * @param shown undefined where no window has it
   */
  lineIn(file: string, shown: string | undefined): (line: number) => number | undefined;
  /** The other way round. */
  lineOut(file: string, shown: string): (line: number) => number | undefined;
  /** Runs it anew; a program that runs on begins a new record. */
  execute(): void;
  look(request: LookRequest): Promise<LookAnswer>;
  onRecord(listener: (record: PadRecord) => void): void;
  close(): Promise<void>;
  /** Only a pad has these. */
  readonly pad?: PadAbilities;
  /** Only a program that runs on has these. */
  readonly live?: LiveAbilities;
}

/** What can be done with a pad, and not with a program that runs on. */
export type PadAbilities = Pick<
  Session,
  | 'take'
  | 'overlay'
  | 'behind'
  | 'afterSave'
  | 'drop'
  | 'stop'
  | 'testAlone'
  | 'dials'
  | 'pausing'
  | 'act'
  | 'data'
  | 'setInput'
  | 'rehearse'
  | 'select'
  | 'packages'
>;

/** What can be done with a program that runs on, and not with a pad. */
export interface LiveAbilities {
  readonly session: LiveSession;
  readonly record: PadRecord;
  /** The record for a window that shows a file: a text that does not parse did not run. */
  recordFor(file: string): PadRecord;
  /** Looks at these files, and at no others. */
  lookAt(files: ReadonlySet<string>): void;
  /** The statement of the module's top level at a line, or undefined. */
  statementAt(file: string, text: string, line: number): { text: string; lastLine: number } | undefined;
  enter(file: string, text: string): Promise<Entered>;
  /** The function of a file whose values are shown, and statements that wait. */
  stateOf(file: string): { opened?: string; waiting: { line: number; text: string }[] };
}
