/** Entry points as they are told to windows, terminals and other programs: format `usher-anvil/entries@1`. */
import type { Answer, AnswerChange } from '../record/entries/answers.js';
import type { EntryPoint } from '../record/entries/book.js';
import { nameOfPiece, type Piece } from '../record/entries/pieces.js';
import { sideBySide } from '../record/entries/beside.js';
import type { HttpQuestion } from '../session/live/entries/asking.js';
import type { KeptRequest } from '../session/live/entries/kept-requests.js';
import type { PickedEntry } from '../session/live/entries/picked.js';
import type { LiveSession } from '../session/live/session.js';
import { LineTable } from '../syntax/positions.js';
import { linesView } from '../views/margin.js';

export const ENTRIES_FORMAT = 'usher-anvil/entries@1';

/** An entry point of the list. Times are milliseconds, `at` since 1970; lines are counted from 1. */
export interface ShownPoint {
  key: string;
  kind: EntryPoint['kind'];
  method?: string;
  shape?: string;
  count: number;
  failed: number;
  /** Calls a second, over the last ten. */
  rate: number;
  meanMs?: number;
  lastMs?: number;
  status?: number;
  at?: number;
  /** Path and query of the last request. */
  lastUrl?: string;
  /** The function that is called, or where the handler is registered. */
  place?: { file: string; line?: number; name?: string };
  where?: string;
}

/** A line of a piece, with what stands beside it. */
export interface ShownLine {
  /** From 1, in its file. */
  line: number;
  text: string;
  /** `ran`, `partly`, `never`, `failed`; absent where nothing runs. */
  state?: string;
  hits?: number;
  /** As the rail beside code draws it, and in words. */
  heat?: number;
  title?: string;
  values: string[];
  errors: string[];
}

export type ShownPiece = { layer: string; joined?: true } & (
  | {
      is: 'code';
      file: string;
      name: string;
      calls: number;
      ms: number;
      isAbout?: true;
      threw?: number;
      lines: ShownLine[];
    }
  | {
      is: 'request' | 'query' | 'file';
      text: string;
      state: 'open' | 'done' | 'failed';
      status?: number;
      ms?: number;
      answer?: string;
      isCut?: true;
    }
);

export interface ShownEntry {
  format: typeof ENTRIES_FORMAT;
  point: ShownPoint;
  question?: HttpQuestion;
  answer?: Answer;
  change?: AnswerChange;
  pieces: ShownPiece[];
  faded: ShownPiece[];
  /** All layers of the program. */
  layers: string[];
  isAsking: boolean;
  why?: string;
  request?: number;
  /** Requests that were made and are kept, the newest first. */
  requests: ShownRequest[];
}

export interface ShownRequest {
  number: number;
  /** `GET /tolls/Heron` */
  text: string;
  status?: number;
  ms: number;
}

/** Two requests side by side. */
export interface ShownSides {
  one: ShownRequest;
  other: ShownRequest;
  /** Pieces by name: `rules.ts toll`, `file templates/page.html`. */
  both: string[];
  onlyOne: string[];
  onlyOther: string[];
  /** Where their values part: the first of each place, in the order of the first request. Lines from 1. */
  partings: { file: string; line: number; name: string; one: string; other: string }[];
}

export interface ShownEntries {
  format: typeof ENTRIES_FORMAT;
  /** What comes in is watched. */
  isWatched: boolean;
  entries: ShownPoint[];
}

export function shownEntries({ entries }: LiveSession, shortPath: (file: string) => string): ShownEntries {
  return {
    format: ENTRIES_FORMAT,
    isWatched: entries.isWatched,
    entries: entries.all.map((point) => shownPoint(point, shortPath)),
  };
}

function shownPoint(point: EntryPoint, shortPath: (file: string) => string): ShownPoint {
  const { key, kind, method, shape, count, failed, rate, lastMs, status, at, last, registered, handler, where } = point;
  const place = registered
    ? { file: shortPath(registered.file), line: registered.line + 1 }
    : handler && { file: shortPath(handler.file), name: handler.path };
  return {
    ...{ key, kind, count, failed, rate },
    ...(method === undefined ? {} : { method }),
    ...(shape === undefined ? {} : { shape }),
    ...(count > 0 ? { meanMs: point.totalMs / count } : {}),
    ...(lastMs === undefined ? {} : { lastMs }),
    ...(status === undefined ? {} : { status }),
    ...(at === undefined ? {} : { at }),
    ...(last?.url === undefined ? {} : { lastUrl: last.url }),
    ...(place ? { place } : {}),
    ...(where === '' ? {} : { where }),
  };
}

/** The entry point that is picked; undefined where none is. */
export function shownEntry(session: LiveSession, shortPath: (file: string) => string): ShownEntry | undefined {
  const picked = session.entries.current;
  if (!picked) return undefined;
  const { point, question, answer, change, isAsking, why, request } = picked;
  const joined = new Set(picked.joined);
  return {
    format: ENTRIES_FORMAT,
    point: shownPoint(point, shortPath),
    ...(question ? { question } : {}),
    ...(answer ? { answer } : {}),
    ...(change ? { change } : {}),
    pieces: shownPieces(session, picked, picked.pieces, shortPath).map((piece, index) =>
      joined.has(nameOfPiece(picked.pieces[index]!)) ? { ...piece, joined: true as const } : piece,
    ),
    faded: shownPieces(session, picked, picked.faded, shortPath),
    layers: session.entries.layers,
    isAsking,
    ...(why === undefined ? {} : { why }),
    ...(request === undefined ? {} : { request }),
    requests: session.entries.requests.all.map(({ number, request: one }) => shownRequest(number, one)),
  };
}

function shownPieces(
  session: LiveSession,
  { record }: Pick<PickedEntry, 'record'>,
  pieces: readonly Piece[],
  shortPath: (file: string) => string,
): ShownPiece[] {
  const views = new Map<string, ReturnType<typeof linesView>>();
  // All that is known is of one request, and not since somebody looks.
  const ofRequest = { ...record };
  delete (ofRequest as { live?: unknown }).live;
  return pieces.map((piece): ShownPiece => {
    if (piece.is !== 'code') return { ...piece, text: piece.is === 'file' ? shortPath(piece.text) : piece.text };
    const { file, name, layer, calls, ms, isAbout, threw } = piece;
    let view = views.get(file);
    if (!view) views.set(file, (view = linesView(ofRequest, file)));
    return {
      ...{ is: 'code', file: shortPath(file), name, layer, calls, ms },
      ...(isAbout ? { isAbout } : {}),
      ...(threw ? { threw } : {}),
      lines: linesOf(piece, session.runningText(file) ?? '', view),
    };
  });
}

function linesOf(
  { firstLine, lastLine }: Extract<Piece, { is: 'code' }>,
  text: string,
  views: ReturnType<typeof linesView>,
): ShownLine[] {
  const table = new LineTable(text);
  const lines: ShownLine[] = [];
  for (let line = firstLine; line <= lastLine && line < table.lineCount; line++) {
    const view = views.get(line);
    const items = view?.items ?? [];
    const isError = (kind: string): boolean => kind === 'error' || kind === 'failed';
    lines.push({
      line: line + 1,
      text: table.line(line),
      ...(view && view.state !== 'none'
        ? { state: view.state, hits: view.hits, heat: view.heat, title: view.title }
        : {}),
      values: items
        .filter(({ kind }) => !isError(kind) && kind !== 'calls' && kind !== 'note')
        .map(({ text: value, count }) => (count === undefined ? value : `${value} ${count}`)),
      errors: items.filter(({ kind }) => isError(kind)).map(({ text: value }) => value),
    });
  }
  return lines;
}

function shownRequest(number: number, { question, answer }: KeptRequest): ShownRequest {
  const { status, ms } = answer;
  return {
    ...{ number, text: `${question.method} ${question.url}`, ms },
    ...(status === undefined ? {} : { status }),
  };
}

/** Two requests that were made, by their numbers; undefined where one is kept no longer. */
export function shownSides(
  { entries }: LiveSession,
  one: number,
  other: number,
  shortPath: (file: string) => string,
): ShownSides | undefined {
  const [first, second] = [entries.request(one), entries.request(other)];
  if (!first || !second) return undefined;
  const { both, onlyOne, onlyOther, partings } = sideBySide(first, second);
  const texts = new Map(
    [...first.pieces, ...second.pieces].map((piece) => [nameOfPiece(piece), pieceText(piece, shortPath)]),
  );
  const shown = (names: readonly string[]): string[] => names.map((name) => texts.get(name) ?? name);
  return {
    one: shownRequest(one, first),
    other: shownRequest(other, second),
    ...{ both: shown(both), onlyOne: shown(onlyOne), onlyOther: shown(onlyOther) },
    partings: partings.map((parting) => ({ ...parting, file: shortPath(parting.file), line: parting.line + 1 })),
  };
}

function pieceText(piece: Piece, shortPath: (file: string) => string): string {
  if (piece.is === 'code') return `${shortPath(piece.file)} ${piece.name}`;
  return `${piece.is} ${piece.is === 'file' ? shortPath(piece.text) : piece.text}`;
}
