/** Lines of one text in another one. */
import type { LineTable } from '../syntax/positions.js';

/**
 * Where lines of a text are in another one: those above and below what differs. Gives undefined for the others.
 */
export function lineMap(before: LineTable, after: LineTable): (line: number) => number | undefined {
  let head = 0;
  const most = Math.min(before.lineCount, after.lineCount);
  while (head < most && before.line(head) === after.line(head)) head++;
  let tail = 0;
  while (tail < most - head && before.line(before.lineCount - 1 - tail) === after.line(after.lineCount - 1 - tail))
    tail++;
  return (line) =>
    line < head ? line : line >= before.lineCount - tail ? line + after.lineCount - before.lineCount : undefined;
}
