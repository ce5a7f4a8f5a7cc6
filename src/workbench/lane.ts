/** Where the values of a line stand: behind it, or pinned to the window's edge over a line that leaves no room. */
import type { MarginItemMessage } from '../server/protocol.js';

/** Room for code and values, in pixels, and the width of a character. */
export interface Room {
  width: number;
  character: number;
}

export interface Place {
  /** Over the end of the line, or of what is seen of it. */
  pinned: boolean;
  /** Pixels that the values may take. */
  width: number;
  /** Pixels between the line's end and the window's edge; none where the line goes beyond it. */
  free: number;
}

/** Pixels between a line and its values. */
const BEFORE = 18;
/** Pixels of the thin rule before the values. */
const GAP = 18;
/** Pixels of a curve with the space before it. */
const SPARK = 64;
/** Share of the window that values of a long line may take. */
const SHARE = 0.4;
const LEAST = 120;

/** Columns that a text takes; characters of double width take two. */
export function columnsOf(text: string, tabSize = 2): number {
  // Nearly all lines, and asked of each at each record.
  if (/^[\x20-\x7e]*$/.test(text)) return text.length;
  let columns = 0;
  for (const character of text) {
    const code = character.codePointAt(0)!;
    if (character === '\t') columns += tabSize - (columns % tabSize);
    else if (code < 0x300) columns++;
    else if (/\p{Mn}|\p{Me}|\u200d|[\ufe00-\ufe0f]/u.test(character)) continue;
    else columns += isWide(code) ? 2 : 1;
  }
  return columns;
}

/** East Asian wide and full-width ranges, and pictures. */
function isWide(code: number): boolean {
  return (
    (code >= 0x1100 && code <= 0x115f) ||
    (code >= 0x2e80 && code <= 0xa4cf) ||
    (code >= 0xac00 && code <= 0xd7a3) ||
    (code >= 0xf900 && code <= 0xfaff) ||
    (code >= 0xfe30 && code <= 0xfe6f) ||
    (code >= 0xff00 && code <= 0xff60) ||
    (code >= 0xffe0 && code <= 0xffe6) ||
    code >= 0x1f300
  );
}

/** Pixels that items would take if they had them. */
function wanted(items: readonly MarginItemMessage[], character: number): number {
  let columns = 0;
  let pixels = GAP;
  for (const item of items) {
    columns += columnsOf(item.text) + (item.count ? columnsOf(item.count) + 1 : 0) + 3;
    if (item.series && item.count) pixels += SPARK;
  }
  return pixels + columns * character;
}

/** The place of the values behind a line of so many columns. */
export function placeOf(columns: number, items: readonly MarginItemMessage[], { width, character }: Room): Place {
  const free = width - columns * character - BEFORE;
  const most = Math.max(LEAST, width * SHARE);
  const want = wanted(items, character);
  // Cut only where more than the share is there: what stands behind its line may be read to the window's edge.
  if (free >= Math.min(want, most)) return { pinned: false, width: free, free };
  return { pinned: true, width: Math.min(want, most, Math.max(LEAST, width)), free: Math.max(0, free) };
}

/** A column may lie under values that are pinned. */
export function isCovered(column: number, { width, character }: Room): boolean {
  return column * character > width - Math.max(LEAST, width * SHARE) - GAP;
}
