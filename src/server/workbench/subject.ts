/** What the workbench shows: a pad's session, or a program that runs on. Each says what it can do beyond what both can. */
import type { Session } from '../../hosts/node/index.js';
import type { PadRecord } from '../../record/record.js';
import type { LookAnswer, LookRequest } from '../../wire/looking.js';
import type { LiveSubject } from './live-subject.js';

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
  /** Runs it anew; a program that runs on begins a new record. */
  execute(): void;
  look(request: LookRequest): Promise<LookAnswer>;
  onRecord(listener: (record: PadRecord) => void): void;
  close(): Promise<void>;
  /** Only a pad has these. */
  readonly pad?: PadAbilities;
  /** Only a program that runs on has these. */
  readonly live?: LiveSubject;
}

/** What can be done with a pad, and not with a program that runs on. */
export type PadAbilities = Pick<
  Session,
  | 'drop'
  | 'stop'
  | 'testAlone'
  | 'turn'
  | 'turned'
  | 'resetDials'
  | 'forgetDials'
  | 'act'
  | 'data'
  | 'setInput'
  | 'rehearse'
>;

/** A pad as the workbench shows it. */
export class PadSubject implements Subject {
  readonly pad: PadAbilities;

  constructor(private readonly session: Session) {
    this.pad = session;
  }

  get file(): string {
    return this.session.options.file;
  }

  get files(): string[] {
    return this.session.files;
  }

  get record(): PadRecord | undefined {
    return this.session.record;
  }

  get goodRecord(): PadRecord | undefined {
    return this.session.goodRecord;
  }

  textOf(file: string): string {
    return this.session.textOf(file);
  }

  edit(file: string, text: string): void {
    this.session.edit(file, text);
  }

  saved(file: string, text: string): void {
    this.session.edit(file, text);
  }

  execute(): void {
    this.session.execute();
  }

  look(request: LookRequest): Promise<LookAnswer> {
    return this.session.look(request);
  }

  onRecord(listener: (record: PadRecord) => void): void {
    this.session.onRecord(listener);
  }

  close(): Promise<void> {
    return this.session.close();
  }
}
