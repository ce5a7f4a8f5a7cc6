/**
 * Edits of one text, applied in one pass, and the position mapping that
 * follows from them.
 *
 * An edit replaces `[start, end)` by `text`; an insertion has `start === end`.
 * Edits at one offset keep the order in which they were made, so a walker that
 * opens on the way in and closes on the way out nests correctly by itself.
 *
 * Where a statement begins behind one that has no semicolon, {@link Edits.statement}
 * says so once: whatever comes to stand there, by whichever edit, gets the
 * semicolon that the line end was.
 *
 * This is our own and not a general string editor because the list itself is
 * the source map: both directions are a binary search over two typed arrays,
 * which the target can do without decoding a map (see `docs/architecture.md`).
 */
import { floorIndex } from '../wire/sorted.js';

/** Stands for a semicolon that is written only where something follows it at its place. */
const BOUNDARY = '\u0000;';

export class Edits {
  private readonly starts: number[] = [];
  private readonly ends: number[] = [];
  private readonly texts: string[] = [];

  /** Text before and after everything else. */
  header = '';
  footer = '';

  constructor(readonly original: string) {}

  insert(at: number, text: string): void {
    this.starts.push(at);
    this.ends.push(at);
    this.texts.push(text);
  }

  /**
   * A statement begins at `at`, in a list of statements, and what stands before it ends at `before`.
   * Where that end is not a semicolon it may be the line end that ends it, and a text put between the
   * two could go on with it: `x⏎(probe)` is a call. Such a text is then put behind a semicolon.
   */
  statement(at: number, before: number): void {
    if (this.original[before - 1] !== ';') this.insert(at, BOUNDARY);
  }

  /** Takes a statement out and leaves an empty one, so that the statements around it do not become one. */
  remove(start: number, end: number): void {
    this.replace(start, end, `;${this.lineEnds(start, end)}`);
  }

  private lineEnds(start: number, end: number): string {
    return this.original.slice(start, end).replace(/[^\r\n\u2028\u2029]+/g, '');
  }

  /** An insertion whose text is known only later; see {@link fill}. */
  reserve(at: number): number {
    this.insert(at, '');
    return this.texts.length - 1;
  }

  fill(slot: number, text: string): void {
    this.texts[slot] = text;
  }

  replace(start: number, end: number, text: string): void {
    this.starts.push(start);
    this.ends.push(end);
    this.texts.push(text);
  }

  /** Takes back what was done inside `[start, end)`. */
  drop(start: number, end: number): void {
    for (let i = 0; i < this.starts.length; i++) {
      if (this.starts[i]! < start || this.ends[i]! > end || (this.starts[i] === end && this.ends[i] === end)) continue;
      this.ends[i] = this.starts[i]!;
      this.texts[i] = '';
    }
  }

  /** Removes `[start, end)` and keeps its line ends, so that no later line moves. */
  blank(start: number, end: number): void {
    this.replace(start, end, this.lineEnds(start, end));
  }

  /** Applies the edits that lie within `[from, to)` to that part of `text`. */
  applyTo(text: string, from: number, to: number): string {
    const inner = new Edits(this.original);
    for (let i = 0; i < this.starts.length; i++) {
      if (this.starts[i]! >= from && this.ends[i]! <= to) inner.replace(this.starts[i]!, this.ends[i]!, this.texts[i]!);
    }
    const { code } = inner.apply(text.slice(0, to), from);
    return code;
  }

  /** Applies the edits to `text`, which must be as long as the original, with every character at its place. */
  apply(text: string = this.original, from = 0): Edited {
    const count = this.starts.length;
    const order = new Uint32Array(count);
    for (let i = 0; i < count; i++) order[i] = i;
    const { starts, ends } = this;
    // At one place insertions come before what is replaced there; otherwise in the order of their making.
    order.sort(
      (a, b) => starts[a]! - starts[b]! || Number(ends[a]! > starts[a]!) - Number(ends[b]! > starts[b]!) || a - b,
    );
    const parts: string[] = [];
    const generated: number[] = [];
    const source: number[] = [];
    let at = from;
    let length = 0;
    const run = (from: number, to: number): void => {
      if (to <= from) return;
      generated.push(length);
      source.push(from);
      parts.push(text.slice(from, to));
      length += to - from;
    };
    if (this.header !== '') {
      generated.push(0);
      source.push(~0);
      parts.push(this.header);
      length = this.header.length;
    }
    let boundary = -1;
    for (let i = 0; i < count; i++) {
      const k = order[i]!;
      const start = this.starts[k]!;
      if (start > at) {
        run(at, start);
        at = start;
      }
      let piece = this.texts[k]!;
      if (piece === BOUNDARY) {
        boundary = start;
        continue;
      }
      if (boundary === start && piece !== '') {
        piece = `;${piece}`;
        boundary = -1;
      }
      if (piece.length > 0) {
        // An inserted piece belongs to the place it stands at.
        generated.push(length);
        source.push(~start);
        parts.push(piece);
        length += piece.length;
      }
      const end = this.ends[k]!;
      if (end > at) at = end;
    }
    run(at, text.length);
    if (this.footer !== '') {
      generated.push(length);
      source.push(~text.length);
      parts.push(this.footer);
    }
    return new Edited(this.original, parts.join(''), Int32Array.from(generated), Int32Array.from(source));
  }
}

/** The outcome of a list of edits: the new text and the way back to the old one. */
export class Edited {
  constructor(
    readonly original: string,
    readonly code: string,
    /** Start of each segment in `code`, ascending. */
    readonly generated: Int32Array,
    /** Start of each segment in `original`; `~offset` for a piece that was inserted there. */
    readonly source: Int32Array,
  ) {}

  /** The offset in the original text that stands behind `offset` in the new text. */
  originalOffset(offset: number): number {
    const { generated, source } = this;
    if (generated.length === 0) return offset;
    const at = floorIndex(generated, offset);
    const from = source[at]!;
    return from < 0 ? ~from : from + (offset - generated[at]!);
  }
}
