/** A pad as the workbench shows it. */
import type { Session } from '../../hosts/node/index.js';
import type { PadRecord } from '../../record/record.js';
import type { LookAnswer, LookRequest } from '../../wire/looking.js';
import { linesBetween, type PadAbilities, type Subject } from './subject.js';

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

  lineIn(file: string, shown: string | undefined): (line: number) => number | undefined {
    return linesBetween(this.ranText(file), shown);
  }

  lineOut(file: string, shown: string): (line: number) => number | undefined {
    return linesBetween(shown, this.ranText(file));
  }

  private ranText(file: string): string | undefined {
    return this.record?.program.files.find((one) => one.file === file)?.lines.text;
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
