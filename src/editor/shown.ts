/** What stands beside the lines of a file's text as it is now. */
import { linesBetween } from '../server/workbench/subject.js';
import type { LineMessage, LocationMessage } from '../server/protocol.js';
import { type OpenFile, textOf } from './open-files.js';
import type { Seat } from './seat.js';

export interface ShownLines {
  lines: LineMessage[];
  /** They are of a run before: the text of now could not be executed, or has not been. */
  earlier: boolean;
}

/** Lines of the record where they stand in the text of now; those that were edited since are left out. */
export function shownLines(seat: Seat | undefined, file: OpenFile): ShownLines {
  const { record } = seat ?? {};
  if (!seat || !record || record.file !== seat.file) return { lines: withSizes([], file), earlier: false };
  const earlier = record.stale || seat.runs?.behind === true;
  const lines = moved(record.lines, seat.recordText, file);
  if (!record.stale || !seat.good) return { lines: withSizes(lines, file), earlier };
  // A text that could not be executed says what is wrong with it; around that stands what was before.
  const said = new Set(lines.map(({ line }) => line));
  const before = moved(seat.good.record.lines, seat.good.text, file).filter(({ line }) => !said.has(line));
  return { lines: withSizes([...before, ...lines].sort(byLine), file), earlier };
}

const byLine = (a: LineMessage, b: LineMessage): number => a.line - b.line;

function moved(lines: readonly LineMessage[], from: string | undefined, file: OpenFile): LineMessage[] {
  const text = textOf(file.document);
  const place = from === text ? (line: number) => line : linesBetween(from, text);
  return lines.flatMap((line) => {
    const now = place(line.line);
    return now === undefined ? [] : [{ ...line, line: now }];
  });
}

/** Adds what packages cost to the lines of their imports, where these are as they were. */
function withSizes(lines: LineMessage[], file: OpenFile): LineMessage[] {
  if (file.sizes.length === 0) return lines;
  const texts = textOf(file.document).split('\n');
  const added = file.sizes.filter(({ line, of }) => texts[line] === of);
  const known = new Map(lines.map((line) => [line.line, line]));
  for (const { line, text } of added) {
    const there = known.get(line) ?? { line, state: 'none', hits: 0, heat: 0, way: false, title: '', items: [] };
    known.set(line, { ...there, items: [...there.items, { kind: 'note', text, title: text }] });
  }
  return [...known.values()].sort(byLine);
}

/** Where a line of the record is in the text of now; undefined where it was edited since. */
export function placeIn(seat: Seat, file: OpenFile): (line: number) => number | undefined {
  const text = textOf(file.document);
  return seat.recordText === text ? (line) => line : linesBetween(seat.recordText, text);
}

/** Path of a place that a record names. */
export const pathAt = (seat: Seat, at: LocationMessage): string => seat.bench.pathOf(at.file);
