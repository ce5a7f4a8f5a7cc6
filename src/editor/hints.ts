/** Values, counts and results of tests as inlay hints behind the lines. */
import type { InlayHint, Range } from 'vscode-languageserver';
import type { LineMessage } from '../server/protocol.js';
import { lineText } from './line-text.js';
import { block } from './markdown.js';
import { type OpenFile, textOf } from './open-files.js';
import type { Seat } from './seat.js';
import { shownLines } from './shown.js';

/** Characters of a hint; all of it is told when it is asked for. */
const MOST = 120;

export interface HintData {
  uri: string;
  line: number;
}

/** The hints of a range; each is whole only after {@link resolveHint}. */
export function hintsOf(seat: Seat | undefined, file: OpenFile, range: Range): InlayHint[] {
  const { lines, earlier } = shownLines(seat, file);
  const texts = textOf(file.document).split('\n');
  const hints: InlayHint[] = [];
  let count = 0;
  for (const line of lines) {
    // A count stands where it changes, and where there is something that ran.
    const text = texts[line.line];
    const label = line.items.length === 0 && !/\w/.test(text ?? '') ? '' : labelOf(line, count);
    if (line.hits > 0) count = line.hits;
    if (label === '' || text === undefined || line.line < range.start.line || line.line > range.end.line) continue;
    hints.push({
      position: { line: line.line, character: text.length },
      label: `${earlier ? '╎' : '│'} ${label}`,
      paddingLeft: true,
      data: { uri: file.uri, line: line.line } satisfies HintData,
    });
  }
  return hints;
}

/** @param before how often the line above ran: a count stands where it changes */
function labelOf({ items, hits, state }: LineMessage, before: number): string {
  if (items.length === 0) return hits > 1 && hits !== before && state !== 'never' ? `×${grouped(hits)}` : '';
  return lineText(items, MOST);
}

const grouped = (count: number): string => count.toLocaleString('en-US');

/** Adds all that is known to a hint that a person looks at. */
export function resolveHint(hint: InlayHint, seat: Seat | undefined, file: OpenFile): InlayHint {
  const { line: number } = hint.data as HintData;
  const { lines, earlier } = shownLines(seat, file);
  const line = lines.find((one) => one.line === number);
  if (!line) return hint;
  const told = [...line.items.map((item) => item.title || item.text), line.title].filter((text) => text !== '');
  const parts = told.map((text) => block(text, 'text'));
  if (earlier) parts.unshift('Of a run before: the text of now has not been executed.');
  return { ...hint, tooltip: { kind: 'markdown', value: parts.join('\n\n') } };
}
