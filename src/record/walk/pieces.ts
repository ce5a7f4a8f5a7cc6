/** The code that took part in a call of a walk, function by function, with what its variables had at its lines. */
import type { Walk } from './walk.js';

/** A function that ran under a call, in the order of first calls. */
export interface WalkedPiece {
  file: string;
  name: string;
  /** Zero-based, the last included. */
  firstLine: number;
  lastLine: number;
  calls: number;
  /** Steps in it, without those of what it called. */
  steps: number;
  /** Calls that ended by an error. */
  threw: number;
  /** By line, zero-based: how often statements on it ran, and what was set there in the last call. */
  lines: ReadonlyMap<number, WalkedLine>;
}

export interface WalkedLine {
  hits: number;
  /** By name. */
  values: Map<string, string>;
}

/**
 * @param frame number of the call; 0 for all that ran
 * @param most functions that are told
 * @param text of a value
 */
export function walkedPieces(
  run: Walk,
  frame: number,
  most: number,
  text: (value: ReturnType<Walk['variables']>[number]['value']) => string,
): WalkedPiece[] {
  const pieces = new Map<string, Found>();
  const byFrame = new Map<number, Found>();
  // A frame is entered behind the one that called it.
  const isUnder = new Uint8Array(run.frameCount + 1);
  isUnder[frame] = 1;
  for (let number = Math.max(1, frame); number <= run.frameCount; number++) {
    if (number !== frame && !isUnder[run.callerOf(number)]) continue;
    isUnder[number] = 1;
    const { name, file, range, how } = run.frame(number);
    if (name === 'module') continue;
    const key = `${file} ${range.start.line}:${range.start.character}`;
    let piece = pieces.get(key);
    if (!piece) {
      if (pieces.size >= most) continue;
      piece = {
        ...{ file, name, firstLine: range.start.line, lastLine: range.end.line },
        ...{ calls: 0, steps: 0, threw: 0, lines: new Map(), last: number },
      };
      pieces.set(key, piece);
    }
    piece.calls++;
    if (how === 'threw') piece.threw++;
    piece.last = number;
    byFrame.set(number, piece);
  }
  for (let index = 0; index < run.length; index++) {
    const piece = byFrame.get(run.frameOf(index));
    if (!piece) continue;
    piece.steps++;
    const step = run.step(index);
    if (!step.part) lineOf(piece.lines, step.range.start.line).hits++;
  }
  for (const piece of pieces.values()) addValues(run, piece, text);
  return [...pieces.values()];
}

/** `last`: number of the frame whose values stand for all. */
type Found = WalkedPiece & { last: number; lines: Map<number, WalkedLine> };

function addValues(run: Walk, { file, last, lines }: Found, text: Parameters<typeof walkedPieces>[3]): void {
  const first = run.firstIn(last);
  if (first === undefined) return;
  const own = run
    .variables(run.edge(first, 'exit'))
    .filter((one) => one.frame === last && one.file === file && one.value.type !== 'function')
    .sort((a, b) => a.moment - b.moment);
  for (const { name, value, range } of own) lineOf(lines, range.start.line).values.set(name, text(value));
}

function lineOf(lines: Map<number, WalkedLine>, line: number): WalkedLine {
  let found = lines.get(line);
  if (!found) lines.set(line, (found = { hits: 0, values: new Map() }));
  return found;
}
