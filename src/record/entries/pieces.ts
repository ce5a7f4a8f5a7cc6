/** The pieces of a request: all the code that took part, in the order of calls, and what was sent and read between. */
import type { Outline } from '../../syntax/outline.js';
import { LineTable } from '../../syntax/positions.js';
import type { RawEntry, RawExchange, RawPart } from '../../wire/entries.js';
import { layerOf, type LayerPatterns } from './layers.js';

/** A function that took part, as a part of its file. */
export interface CodePiece {
  is: 'code';
  file: string;
  /** Path of the function; of several in one piece that of the outermost. */
  name: string;
  layer: string;
  /** Zero-based, the last included. */
  firstLine: number;
  lastLine: number;
  calls: number;
  /** Milliseconds of its calls until they returned. */
  ms: number;
  isAbout?: true;
  threw?: number;
  /** Functions inside it that took part too, by path. */
  inner: string[];
}

/** A file that was read, a query or request that was sent. */
export interface ExchangePiece extends Omit<RawExchange, 'after' | 'by'> {
  layer: string;
}

export type Piece = CodePiece | ExchangePiece;

/** What is known of a program's texts. */
export interface PieceTexts {
  find(of: number): { file: string; path: string } | undefined;
  outline(file: string): Outline | undefined;
  /** From the program's folder, with `/`. */
  shortPath(file: string): string;
  layers: LayerPatterns;
}

/** Pieces of one request. A function inside another one that took part is no piece of its own. */
export function piecesOf(entry: Pick<RawEntry, 'parts' | 'exchanges'>, texts: PieceTexts): Piece[] {
  const pieces: { at: number; piece: Piece }[] = [];
  const tables = new Map<Outline, LineTable>();
  const known = new Map<string, CodePiece>();
  const outer = outermost(entry.parts, texts);
  entry.parts.forEach((part, at) => {
    const found = texts.find(part.of);
    const place = outer.get(part.of);
    if (!found || !place) return;
    const { outline, path } = place;
    const key = `${found.file} ${path}`;
    const inner = path === found.path ? [] : [found.path];
    const before = known.get(key);
    if (before) {
      join(before, part, found.path, path);
      return;
    }
    const info = outline.functions.find((one) => one.path === path)!;
    let lines = tables.get(outline);
    if (!lines) tables.set(outline, (lines = new LineTable(outline.parsed.text)));
    const isOwn = path === found.path;
    const piece: CodePiece = {
      ...{ is: 'code', file: found.file, name: path, inner },
      layer: layerOf(texts.shortPath(found.file), texts.layers),
      firstLine: lines.lineAt(info.start),
      lastLine: lines.lineAt(info.end),
      calls: isOwn ? part.calls : 0,
      ms: isOwn ? part.ms : 0,
      ...(isOwn && part.isAbout ? { isAbout: true as const } : {}),
      ...(isOwn && part.threw ? { threw: part.threw } : {}),
    };
    known.set(key, piece);
    pieces.push({ at, piece });
  });
  for (const { after, is, text, state, status, ms, answer, isCut } of entry.exchanges) {
    const exchange = {
      ...{ is, text, state },
      ...(status === undefined ? {} : { status }),
      ...(ms === undefined ? {} : { ms }),
      ...(answer === undefined ? {} : { answer }),
      ...(isCut ? { isCut } : {}),
    };
    const layer =
      exchange.is === 'file'
        ? layerOf(texts.shortPath(exchange.text), texts.layers)
        : exchange.is === 'query'
          ? 'queries'
          : 'requests';
    // Behind the functions that had begun by then.
    pieces.push({ at: after - 0.5, piece: { ...exchange, layer } });
  }
  return pieces.sort((a, b) => a.at - b.at).map(({ piece }) => piece);
}

function join(piece: CodePiece, part: RawPart, path: string, own: string): void {
  if (path === own) {
    piece.calls += part.calls;
    piece.ms += part.ms;
    if (part.threw) piece.threw = (piece.threw ?? 0) + part.threw;
    if (part.isAbout) piece.isAbout = true;
  } else if (!piece.inner.includes(path)) piece.inner.push(path);
}

/** By number: the outermost function around it that took part, and the outline in which it is. */
function outermost(parts: readonly RawPart[], texts: PieceTexts): Map<number, { outline: Outline; path: string }> {
  const paths = new Set(
    parts.flatMap(({ of }) => {
      const found = texts.find(of);
      return found ? [`${found.file} ${found.path}`] : [];
    }),
  );
  const result = new Map<number, { outline: Outline; path: string }>();
  for (const { of } of parts) {
    const found = texts.find(of);
    const text = found && texts.outline(found.file);
    if (!found || !text) continue;
    let index = text.functions.findIndex((one) => one.path === found.path);
    if (index < 0) continue;
    let path = found.path;
    for (; index >= 0; index = text.functions[index]!.parent) {
      const around = text.functions[index]!.path;
      if (paths.has(`${found.file} ${around}`)) path = around;
    }
    result.set(of, { outline: text, path });
  }
  return result;
}

/** Of a piece, the same for one that another request needs too. */
export function nameOfPiece(piece: Piece): string {
  return piece.is === 'code' ? `${piece.file} ${piece.name}` : `${piece.is} ${piece.text}`;
}
