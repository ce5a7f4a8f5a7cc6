/** What a bench shows: a pad's session, or a program that runs on. */
import type { Session } from '../hosts/node/index.js';
import { lineMap } from '../record/live.js';
import type { PadRecord } from '../record/record.js';
import type { LookAnswer, LookRequest } from '../runtime/look.js';
import type { Entered, LiveEvent } from '../session/live/events.js';
import type { LiveSession } from '../session/live/session.js';
import { outlineOf } from '../syntax/outline.js';
import { parse } from '../syntax/parse.js';
import { LineTable } from '../syntax/positions.js';

export type Subject = Pick<
  Session,
  | 'files'
  | 'textOf'
  | 'edit'
  | 'execute'
  | 'drop'
  | 'stop'
  | 'testAlone'
  | 'record'
  | 'goodRecord'
  | 'onRecord'
  | 'look'
  | 'turn'
  | 'turned'
  | 'resetKnobs'
  | 'forgetKnobs'
  | 'act'
  | 'data'
  | 'setInput'
  | 'rehearse'
  | 'close'
> & { readonly options: { readonly file: string } };

/** A live program as a bench shows it. What only a pad has does nothing here. */
export class LiveSubject implements Subject {
  readonly options: { file: string };
  private readonly watched = new Set<string>();
  private known: PadRecord | undefined;
  private readonly ends: (() => void)[] = [];

  constructor(readonly live: LiveSession) {
    this.options = { file: live.file };
    this.ends.push(live.onRecord(() => (this.known = undefined)));
  }

  get files(): string[] {
    return this.live.files;
  }

  get record(): PadRecord {
    return (this.known ??= this.live.record);
  }

  get goodRecord(): PadRecord {
    return this.record;
  }

  /** The record for a window that shows a file: a text that does not parse did not run. */
  recordFor(file: string): PadRecord {
    return this.live.isWrong(file) ? { ...this.record, target: 'none', outcome: 'syntax' } : this.record;
  }

  onRecord(listener: (record: PadRecord) => void): () => void {
    const end = this.live.onRecord(() => listener(this.record));
    this.ends.push(end);
    return end;
  }

  textOf(file: string): string {
    return this.live.textOf(file);
  }

  /** Watches these files, and no others. */
  lookAt(files: ReadonlySet<string>): void {
    for (const file of files)
      if (!this.watched.has(file)) {
        this.watched.add(file);
        void this.live.watch(file);
      }
    for (const file of this.watched)
      if (!files.has(file)) {
        this.watched.delete(file);
        void this.live.unwatch(file);
      }
  }

  edit(file: string, text: string): void {
    void this.live.edit(file, text);
  }

  /** The text of a file is the one on disk. */
  saved(file: string): void {
    void this.live.forgetEdit(file);
    void this.live.changed([file], false);
  }

  /**
   * Where lines of the text that runs are in the one that a window shows. They differ while a text is not taken, after
   * an undo, and for what was entered at a prompt.
   */
  lineIn(file: string, shown: string | undefined): (line: number) => number | undefined {
    return this.between(this.live.runningText(file), shown);
  }

  /** The other way round. */
  lineOut(file: string, shown: string): (line: number) => number | undefined {
    return this.between(shown, this.live.runningText(file));
  }

  private between(from: string | undefined, to: string | undefined): (line: number) => number | undefined {
    return from === undefined || to === undefined || from === to
      ? (line) => line
      : lineMap(new LineTable(from), new LineTable(to));
  }

  /**
   * The statement of the module's top level at a line, or undefined. One that declares names stands for what they hold
   * now: to run it again would give them their first values.
   */
  statementAt(file: string, text: string, line: number): { text: string; lastLine: number } | undefined {
    const parsed = parse(text, { file });
    if (!parsed.program || parsed.problems.length > 0) return undefined;
    const lines = new LineTable(text);
    const outline = outlineOf(parsed);
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
    return this.live.evaluate(file, text);
  }

  onEvent(listener: (event: LiveEvent) => void): void {
    this.ends.push(this.live.onEvent(listener));
  }

  look(request: LookRequest): Promise<LookAnswer> {
    return this.live.look(request);
  }

  /** The program goes on, whoever looks at it. */
  stop(): void {}

  /** Leaves the program as it is, and unwatched. */
  close(): Promise<void> {
    for (const end of this.ends) end();
    this.lookAt(new Set());
    for (const file of this.files) void this.live.forgetEdit(file);
    return Promise.resolve();
  }

  readonly turned = new Map<string, never>();
  readonly data = undefined;
  execute(): void {
    this.live.clear();
  }
  drop(): void {}
  testAlone(): void {}
  turn(): void {}
  resetKnobs(): void {}
  forgetKnobs(): void {}
  act(): void {}
  setInput(): void {}
  rehearse(): void {}
}
