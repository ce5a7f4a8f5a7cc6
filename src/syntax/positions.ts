/**
 * Positions as in the Language Server Protocol: zero-based lines and
 * zero-based UTF-16 characters. Inside the core, places are offsets into the
 * text; they become positions at the border, through a {@link LineTable}.
 */
import { floorIndex } from '../wire/sorted.js';

export interface Position {
  line: number;
  character: number;
}

export interface Range {
  start: Position;
  end: Position;
}

/** Offsets of line starts of one text; answers both directions in O(log lines). */
export class LineTable {
  readonly starts: Int32Array;
  readonly length: number;

  constructor(readonly text: string) {
    const starts: number[] = [0];
    for (let i = 0; i < text.length; i++) {
      const code = text.charCodeAt(i);
      if (code === 10) starts.push(i + 1);
      else if (code === 13) {
        if (text.charCodeAt(i + 1) === 10) i++;
        starts.push(i + 1);
      } else if (code === 0x2028 || code === 0x2029) starts.push(i + 1);
    }
    this.starts = Int32Array.from(starts);
    this.length = text.length;
  }

  get lineCount(): number {
    return this.starts.length;
  }

  /** The zero-based line that holds `offset`. */
  lineAt(offset: number): number {
    return floorIndex(this.starts, offset);
  }

  positionAt(offset: number): Position {
    const at = offset < 0 ? 0 : offset > this.length ? this.length : offset;
    const line = this.lineAt(at);
    return { line, character: at - this.starts[line]! };
  }

  /** The offset of a position; lines and characters beyond the text are clamped to it. */
  offsetAt(position: Position): number {
    if (position.line >= this.starts.length) return this.length;
    if (position.line < 0) return 0;
    const end = position.line + 1 < this.starts.length ? this.starts[position.line + 1]! : this.length;
    return Math.min(this.starts[position.line]! + Math.max(0, position.character), end);
  }

  rangeOf(start: number, end: number): Range {
    return { start: this.positionAt(start), end: this.positionAt(end) };
  }

  /** The text of one line, without its line end. */
  line(index: number): string {
    const start = this.starts[index]!;
    const end = index + 1 < this.starts.length ? this.starts[index + 1]! : this.length;
    return this.text.slice(start, end).replace(/[\r\n\u2028\u2029]+$/, '');
  }
}
