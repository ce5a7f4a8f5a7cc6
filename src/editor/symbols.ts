/** Functions, classes and names of a file, with how often each ran. */
import { type DocumentSymbol, SymbolKind } from 'vscode-languageserver';
import { outlineOfText } from '../syntax/outlined.js';
import { LineTable } from '../syntax/positions.js';
import { type OpenFile, textOf } from './open-files.js';
import type { Seat } from './seat.js';
import { shownLines } from './shown.js';

const KINDS: Readonly<Record<string, SymbolKind>> = {
  class: SymbolKind.Class,
  enum: SymbolKind.Enum,
  namespace: SymbolKind.Namespace,
  const: SymbolKind.Constant,
  let: SymbolKind.Variable,
  var: SymbolKind.Variable,
  function: SymbolKind.Function,
};

export function symbolsOf(seat: Seat | undefined, file: OpenFile): DocumentSymbol[] {
  const text = textOf(file.document);
  const outline = outlineOfText(text, file.path);
  if (!outline) return [];
  const lines = new LineTable(text);
  const { lines: shown, earlier } = shownLines(seat, file);
  const byLine = new Map(shown.map((line) => [line.line, line]));
  /** How often the code between two offsets ran: what the first line of its body tells. */
  const detailOf = (start: number, end: number): string => {
    const last = lines.lineAt(end);
    for (let line = lines.lineAt(start) + (lines.lineAt(start) < last ? 1 : 0); line <= last; line++) {
      const found = byLine.get(line);
      if (!found || found.state === 'none') continue;
      if (found.state === 'never') return 'never ran';
      return `×${found.hits.toLocaleString('en-US')}${earlier ? ' before' : ''}`;
    }
    return '';
  };
  const symbol = (name: string, kind: SymbolKind, start: number, end: number, counts: boolean): DocumentSymbol => {
    const range = { start: lines.positionAt(start), end: lines.positionAt(end) };
    const detail = counts ? detailOf(start, end) : '';
    return { name, kind, range, selectionRange: range, ...(detail === '' ? {} : { detail }), children: [] };
  };
  const found = outline.statements.flatMap(({ kind, names, start, end }) =>
    names.flatMap((name) => {
      const of = KINDS[kind];
      const counts = kind === 'function' || outline.functions.some((one) => one.start >= start && one.end <= end);
      return of === undefined ? [] : [symbol(name, of, start, end, counts && kind !== 'class')];
    }),
  );
  const isWithin = (outer: DocumentSymbol, start: number, end: number): boolean =>
    lines.offsetAt(outer.range.start) <= start && end <= lines.offsetAt(outer.range.end);
  for (const { owner, name, start, end } of outline.functions) {
    if (owner < 0 || name === '') continue;
    const around = found.find((one) => one.kind === SymbolKind.Class && isWithin(one, start, end));
    around?.children!.push(symbol(name, SymbolKind.Method, start, end, true));
  }
  return found;
}
