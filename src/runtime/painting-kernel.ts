/** One picture of a painting, or some rows of it, computed pixel by pixel. */
import * as own from './originals.js';

/**
 * A colour as `[red, green, blue]` or with alpha, 0 to 255; a number on the scale; or a word of CSS: `#1f5e86`, `rgb(31
 * 94 134)`.
 */
export type Pixel = number | string | readonly number[] | { colour: string | readonly number[]; value: number };

/** What a pixel is computed from besides its place. */
export interface PixelContext {
  /** What the pass before has made of a pixel: its number, else `[red, green, blue, alpha]`. Outside, the nearest. */
  before(x: number, y: number): number | readonly number[] | undefined;
  inputs: Record<string, unknown>;
  /** Seconds of the picture's clock, and the pictures before this one. */
  time: number;
  frame: number;
}

export type Colouring = (x: number, y: number, context: PixelContext) => Pixel;

/** What a pass has made of the blocks of some rows. */
export interface Grid {
  block: number;
  columns: number;
  rows: number;
  rgba: Uint8Array;
  values: Float64Array | undefined;
}

/** A picture that is computed: its size, and what all of its pixels are given. */
export interface Picture {
  width: number;
  height: number;
  time: number;
  frame: number;
  inputs: Record<string, unknown>;
}

export function gridOf({ width, height }: Picture, block: number): Grid {
  const columns = Math.ceil(width / block);
  const rows = Math.ceil(height / block);
  return { block, columns, rows, rgba: new Uint8Array(columns * rows * 4), values: undefined };
}

/** Calls a function for the pixel in the middle of a block. */
type Call = (x: number, y: number, call: () => Pixel) => Pixel;

/** Computes one row of a grid. @param call calls the function for a pixel */
export function paintRow(
  picture: Picture,
  colour: Colouring,
  grid: Grid,
  before: Grid | undefined,
  row: number,
  call: Call = (_x, _y, made) => made(),
): void {
  const { width, height, time, frame, inputs } = picture;
  const { block, columns } = grid;
  const context: PixelContext = { before: (x, y) => readAt(before, x, y), inputs, time, frame };
  const y = Math.min(height - 1, row * block + (block >> 1));
  for (let column = 0; column < columns; column++) {
    const x = Math.min(width - 1, column * block + (block >> 1));
    take(
      grid,
      row * columns + column,
      call(x, y, () => colour(x, y, context)),
    );
  }
}

function take(grid: Grid, at: number, pixel: Pixel): void {
  const note = (value: number): void => {
    (grid.values ??= new Float64Array(grid.columns * grid.rows).fill(NaN))[at] = value;
  };
  if (typeof pixel === 'number') {
    // Told from a colour by an alpha of 0 until the scale is known.
    note(pixel);
    return;
  }
  let colour: unknown = pixel;
  if (typeof pixel === 'object' && pixel !== null && !own.isArray(pixel)) {
    const { value } = pixel as { value: number };
    if (typeof value === 'number') note(value);
    colour = (pixel as { colour: unknown }).colour;
  }
  colourInto(grid.rgba, at * 4, colour);
}

/** The lowest and the highest of the numbers that take their place on a scale. */
export function scaleOf({ rgba, values }: Grid, [low, high]: readonly [number, number]): [number, number] {
  if (!values) return [low, high];
  for (let i = 0; i < values.length; i++) {
    const value = values[i]!;
    if (rgba[i * 4 + 3] !== 0 || value !== value) continue;
    if (value < low) low = value;
    if (value > high) high = value;
  }
  return [low, high];
}

function readAt(grid: Grid | undefined, x: number, y: number): number | readonly number[] | undefined {
  if (!grid) return undefined;
  const column = Math.min(grid.columns - 1, Math.max(0, own.floor(x / grid.block)));
  const row = Math.min(grid.rows - 1, Math.max(0, own.floor(y / grid.block)));
  const at = row * grid.columns + column;
  const value = grid.values?.[at];
  if (value !== undefined && value === value) return value;
  const { rgba } = grid;
  return [rgba[at * 4]!, rgba[at * 4 + 1]!, rgba[at * 4 + 2]!, rgba[at * 4 + 3]!];
}

/** Numbers take their place between steel blue, straw and amber. */
export function toColours({ rgba, values }: Grid, [low, high]: readonly [number, number]): Uint8Array {
  if (!values) return rgba;
  for (let i = 0; i < values.length; i++) {
    if (rgba[i * 4 + 3] !== 0 || values[i] !== values[i]) continue;
    const part = high > low ? Math.min(1, Math.max(0, (values[i]! - low) / (high - low))) : 0.5;
    ramp(part, rgba, i * 4);
  }
  return rgba;
}

const STEPS = [
  [38, 66, 96],
  [127, 151, 173],
  [226, 205, 140],
  [217, 113, 31],
] as const;

function ramp(part: number, into: Uint8Array, at: number): void {
  const place = part * (STEPS.length - 1);
  const index = Math.min(STEPS.length - 2, own.floor(place));
  const rest = place - index;
  for (let i = 0; i < 3; i++) into[at + i] = STEPS[index]![i]! + (STEPS[index + 1]![i]! - STEPS[index]![i]!) * rest;
  into[at + 3] = 255;
}

/** Writes a colour; one that is none becomes the violet of an error, half transparent. */
function colourInto(into: Uint8Array, at: number, colour: unknown): void {
  const parts =
    typeof colour === 'string' ? parseColour(colour) : own.isArray(colour) ? (colour as unknown[]) : undefined;
  const valid =
    parts !== undefined && typeof parts[0] === 'number' && typeof parts[1] === 'number' && typeof parts[2] === 'number';
  for (let i = 0; i < 3; i++) into[at + i] = valid ? clamp(parts[i] as number) : [122, 63, 194][i]!;
  into[at + 3] = valid ? (typeof parts[3] === 'number' ? clamp(parts[3]) : 255) : 128;
}

function clamp(value: number): number {
  return value < 0 ? 0 : value > 255 ? 255 : value;
}

/** `#rgb`, `#rrggbb`, `#rrggbbaa`, `rgb()`, `rgba()`, `hsl()` as numbers from 0 to 255. */
export function parseColour(text: string): number[] | undefined {
  const hex = own.exec(/^#([0-9a-f]{3,8})$/i, own.trim(text));
  if (hex) {
    const digits = hex[1]!;
    if (digits.length === 3 || digits.length === 4) {
      const parts: number[] = [];
      for (let i = 0; i < digits.length; i++) own.append(parts, own.NumberCopy(`0x${digits[i]}${digits[i]}`));
      return parts;
    }
    if (digits.length !== 6 && digits.length !== 8) return undefined;
    const parts: number[] = [];
    for (let i = 0; i < digits.length; i += 2) own.append(parts, own.NumberCopy(`0x${own.slice(digits, i, i + 2)}`));
    return parts;
  }
  const call = own.exec(
    /^(rgba?|hsla?)\(\s*([-\d.]+)(?:deg)?\s*[, ]\s*([-\d.]+)%?\s*[, ]\s*([-\d.]+)%?\s*(?:[,/]\s*([-\d.]+)(%?)\s*)?\)$/i,
    own.trim(text),
  );
  if (!call) return undefined;
  const [a, b, c] = [own.NumberCopy(call[2]), own.NumberCopy(call[3]), own.NumberCopy(call[4])];
  const alpha = call[5] === undefined ? 255 : own.NumberCopy(call[5]) * (call[6] === '%' ? 2.55 : 255);
  if (call[1]![0] === 'r' || call[1]![0] === 'R') return [a, b, c, alpha];
  const saturation = b / 100;
  const light = c / 100;
  const channel = (offset: number): number => {
    const k = (offset + a / 30 + 120) % 12;
    return 255 * (light - saturation * Math.min(light, 1 - light) * Math.max(-1, Math.min(k - 3, 9 - k, 1)));
  };
  return [channel(0), channel(8), channel(4), alpha];
}
