/**
 * Code that other tools made of what a person wrote: a component of JSX, a
 * single-file component. It runs, is compared and patched as it was made;
 * people are told places in what they wrote.
 */
import { floorIndex } from '../wire/sorted.js';
import { LineTable, type Range } from './positions.js';

export class Written {
  readonly lines: LineTable;
  private readonly made: LineTable;

  /**
   * @param text as the person wrote it
   * @param code that was made of it
   * @param generated starts of segments of the code, ascending
   * @param source the offset in `text` that each stands for; -1 where it stands for nothing in it
   */
  constructor(
    readonly text: string,
    readonly code: string,
    private readonly generated: Int32Array,
    private readonly source: Int32Array,
  ) {
    this.lines = new LineTable(text);
    this.made = new LineTable(code);
  }

  /** The offset behind a place of the code that a person wrote; -1 for what the tools have added. */
  offset(at: number): number {
    if (this.generated.length === 0) return -1;
    const index = floorIndex(this.generated, at);
    const start = this.generated[index]!;
    if (start > at) return -1;
    const from = this.source[index]!;
    if (from < 0) return -1;
    // Behind the start of a segment only what was taken over as it stands is known.
    return start === at || this.code.slice(start, at + 1) === this.text.slice(from, from + at + 1 - start)
      ? from + (at - start)
      : -1;
  }

  /** The nearest place before: where a person looks for what happens there. -1 where its line has none. */
  near(at: number): number {
    const exact = this.offset(at);
    if (exact >= 0 || this.generated.length === 0) return exact;
    const index = floorIndex(this.generated, at);
    const start = this.generated[index]!;
    return start <= at && this.made.lineAt(start) === this.made.lineAt(at) ? this.source[index]! : -1;
  }

  /** A range of the text; undefined for what the tools have added. */
  range({ start, end }: { start: number; end: number }): { start: number; end: number } | undefined {
    const from = this.offset(start);
    if (from < 0) return undefined;
    const last = this.offset(Math.max(start, end - 1));
    if (last >= from) return { start: from, end: last + 1 };
    const near = this.near(Math.max(start, end - 1));
    return { start: from, end: Math.max(from + 1, near) };
  }

  /** A range of lines and characters; the line as a whole where no more is known, undefined where not even that is. */
  place({ start, end }: Range): Range | undefined {
    const from = this.near(this.made.offsetAt(start));
    if (from < 0) return this.lineOf(start.line);
    const last = this.near(this.made.offsetAt(end));
    return this.lines.rangeOf(from, Math.max(from, last));
  }

  private lineOf(line: number): Range | undefined {
    const first = this.firstIn(line);
    return first < 0 ? undefined : this.lines.rangeOf(first, first);
  }

  private firstIn(line: number): number {
    const from = this.made.starts[line];
    if (from === undefined) return -1;
    const to = this.made.starts[line + 1] ?? this.code.length + 1;
    const index = this.generated.findIndex((start, i) => start >= from && start < to && this.source[i]! >= 0);
    return index < 0 ? -1 : this.source[index]!;
  }

  /** Places of the code, from one to another (not included), at which another place of the text begins. */
  startsBetween(from: number, to: number): number[] {
    const found: number[] = [];
    for (let i = Math.max(0, floorIndex(this.generated, from)); i < this.generated.length; i++) {
      const at = this.generated[i]!;
      if (at >= to) break;
      if (at >= from) found.push(at);
    }
    return found;
  }

  /** The zero-based line of the code that was made of a line of the text last; undefined where none was. */
  lastMadeLine(line: number): number | undefined {
    let best: number | undefined;
    for (let i = 0; i < this.source.length; i++)
      if (this.source[i]! >= 0 && this.lines.lineAt(this.source[i]!) === line) {
        const made = this.made.lineAt(this.generated[i]!);
        if (best === undefined || made > best) best = made;
      }
    return best;
  }

  /** The zero-based line of the code that was made of a line of the text first; undefined where none was. */
  madeLine(line: number): number | undefined {
    let best: number | undefined;
    for (let i = 0; i < this.source.length; i++)
      if (this.source[i]! >= 0 && this.lines.lineAt(this.source[i]!) === line) {
        const made = this.made.lineAt(this.generated[i]!);
        if (best === undefined || made < best) best = made;
      }
    return best;
  }
}
