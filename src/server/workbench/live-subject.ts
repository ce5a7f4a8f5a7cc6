/** A live program as the workbench shows it. */
import type { PadRecord } from '../../record/record.js';
import type { LookAnswer, LookRequest } from '../../wire/looking.js';
import type { Entered, LiveEvent } from '../../session/live/events.js';
import type { LiveSession } from '../../session/live/session.js';
import { outlineOfText } from '../../syntax/outlined.js';
import { LineTable } from '../../syntax/positions.js';
import { linesBetween, type LiveAbilities, type Subject } from './subject.js';

export class LiveSubject implements Subject, LiveAbilities {
  private readonly observed = new Set<string>();
  private known: PadRecord | undefined;
  private readonly ends: (() => void)[] = [];

  /** Itself: what only a live program can do. */
  readonly live: LiveAbilities = this;

  constructor(readonly session: LiveSession) {
    this.ends.push(session.onRecord(() => (this.known = undefined)));
  }

  get file(): string {
    return this.session.file;
  }

  get files(): string[] {
    return this.session.files;
  }

  get record(): PadRecord {
    return (this.known ??= this.session.record);
  }

  get goodRecord(): PadRecord {
    return this.record;
  }

  /** The record for a window that shows a file: a text that does not parse did not run. */
  recordFor(file: string): PadRecord {
    return this.session.isWrong(file) ? { ...this.record, target: 'none', outcome: 'syntax' } : this.record;
  }

  onRecord(listener: (record: PadRecord) => void): void {
    this.ends.push(this.session.onRecord(() => listener(this.record)));
  }

  textOf(file: string): string {
    return this.session.textOf(file);
  }

  /** Observes these files, and no others. */
  lookAt(files: ReadonlySet<string>): void {
    for (const file of files)
      if (!this.observed.has(file)) {
        this.observed.add(file);
        void this.session.observe(file);
      }
    for (const file of this.observed)
      if (!files.has(file)) {
        this.observed.delete(file);
        void this.session.unobserve(file);
      }
  }

  edit(file: string, text: string): void {
    void this.session.edit(file, text);
  }

  /** The function of a file whose values are shown, and statements that wait. */
  stateOf(file: string): { opened?: string; waiting: { line: number; text: string }[] } {
    const opened = this.session.openedFunction(file);
    const waiting = (this.session.waitingStatements.get(file) ?? []).map(({ line, text }) => ({ line, text }));
    return { ...(opened === undefined ? {} : { opened }), waiting };
  }

  /** The text of a file is the one on disk. */
  saved(file: string): void {
    void this.session.forgetEdit(file);
    void this.session.changed([file]);
  }

  /**
   * Where lines of the text that runs are in the one that a window shows. They differ while a text is not taken, after
   * an undo, and for what was entered at a prompt.
   */
  lineIn(file: string, shown: string | undefined): (line: number) => number | undefined {
    return linesBetween(this.session.runningText(file), shown);
  }

  /** The other way round. */
  lineOut(file: string, shown: string): (line: number) => number | undefined {
    return linesBetween(shown, this.session.runningText(file));
  }

  /**
   * The statement of the module's top level at a line, or undefined. One that declares names stands for what they hold
   * now: to run it again would give them their first values.
   */
  statementAt(file: string, text: string, line: number): { text: string; lastLine: number } | undefined {
    const outline = outlineOfText(text, file);
    if (!outline) return undefined;
    const lines = new LineTable(text);
    for (const { start, end, kind, names: declared } of outline.statements) {
      if (lines.lineAt(start) > line || lines.lineAt(end) < line) continue;
      const imports = outline.imports.filter((entry) => !entry.typeOnly && entry.start >= start && entry.start < end);
      const names = kind === 'import' ? imports.flatMap((entry) => entry.names.map((name) => name.local)) : declared;
      const held = names.length === 1 ? names[0]! : `({ ${names.join(', ')} })`;
      const declares =
        names.length > 0 && ['const', 'let', 'var', 'using', 'import', 'enum', 'namespace'].includes(kind);
      return { text: declares ? held : text.slice(start, end), lastLine: lines.lineAt(end) };
    }
    return undefined;
  }

  enter(file: string, text: string): Promise<Entered> {
    return this.session.evaluate(file, text);
  }

  onEvent(listener: (event: LiveEvent) => void): void {
    this.ends.push(this.session.onEvent(listener));
  }

  /** Called when nobody looks at the program any more. */
  onClose(end: () => void): void {
    this.ends.push(end);
  }

  look(request: LookRequest): Promise<LookAnswer> {
    return this.session.look(request);
  }

  /** Leaves the program as it is, and unobserved. */
  close(): Promise<void> {
    for (const end of this.ends) end();
    this.lookAt(new Set());
    for (const file of this.files) void this.session.forgetEdit(file);
    return Promise.resolve();
  }

  /** The program runs on: what is shown of it begins anew. */
  execute(): void {
    this.session.clear();
  }
}
