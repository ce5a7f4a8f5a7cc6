/** Semantic marks for code that never ran: each line as a token of its own. */
import type { SemanticTokens, SemanticTokensLegend } from 'vscode-languageserver';
import { type OpenFile, textOf } from './open-files.js';
import type { Seat } from './seat.js';
import { shownLines } from './shown.js';

export const LEGEND: SemanticTokensLegend = { tokenTypes: ['neverRan'], tokenModifiers: [] };

export function tokensOf(seat: Seat | undefined, file: OpenFile): SemanticTokens {
  const { lines, earlier } = shownLines(seat, file);
  const data: number[] = [];
  if (earlier) return { data };
  const texts = textOf(file.document).split('\n');
  let last = 0;
  for (const { line, state } of lines) {
    const text = texts[line];
    if (state !== 'never' || text === undefined || text.trim() === '') continue;
    const start = text.length - text.trimStart().length;
    data.push(line - last, start, text.trim().length, 0, 0);
    last = line;
  }
  return { data };
}
