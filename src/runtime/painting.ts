/**
 * A picture that is made by a function per pixel, or by several, of which each reads what the one before has made.
 * Coarse at once, then finer; with a clock, again and again, as fine as there is time for.
 */
import type { RawShown } from '../wire/reports.js';
import * as own from './originals.js';
import type { Reporter } from './reports/reporter.js';

/** Sizes of blocks, from coarse to fine. */
const BLOCKS = [16, 8, 4, 2, 1] as const;
/** Milliseconds of painting between two looks at what else there is to do. */
const SLICE_MS = 24;
/** Milliseconds that one picture of an animation may take, between two of them, and between two that are told. */
const FRAME_MS = 13;
const NEXT_MS = 16;
const TOLD_MS = 66;
const FOREVER_MS = 2 ** 30;

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

export interface PaintOptions {
  title?: string;
  /** What numbers stand for the first and the last colour. Without it, the lowest and the highest painted. */
  scale?: [number, number];
  /** What all pixels are computed from, by name; shown with the picture. */
  inputs?: Record<string, unknown>;
  /** It is painted again and again, with its clock; that can be stopped and stepped. */
  animate?: boolean;
}

/** What painting needs of whoever shows the picture. */
export interface PaintingParts {
  reporter: Reporter;
  later(callback: () => void): void;
  after: ((ms: number, callback: () => void) => unknown) | undefined;
  put(picture: NonNullable<RawShown['pixels']>): void;
}

/** Blocks of one pass. */
interface Grid {
  block: number;
  columns: number;
  rows: number;
  rgba: Uint8Array;
  values: Float64Array | undefined;
}

/** A picture on its way: the pass and the row that are next. */
interface Work {
  block: number;
  pass: number;
  row: number;
  grid: Grid;
  before: Grid | undefined;
}

export class Painting {
  private low = Infinity;
  private high = -Infinity;
  private isOver = false;
  private isRunning: boolean;
  private readonly clock = { time: 0, frame: 0 };
  private block = 1;
  private toldAt = -Infinity;
  private isKept = false;

  constructor(
    private readonly passes: readonly Colouring[],
    private readonly options: PaintOptions,
    private readonly shown: RawShown,
    private readonly parts: PaintingParts,
  ) {
    this.isRunning = options.animate === true && parts.after !== undefined;
  }

  private get width(): number {
    return this.shown.width!;
  }

  private get height(): number {
    return this.shown.height!;
  }

  /** The coarsest picture is there when the call returns; the finer ones follow when nothing else is to be done. */
  begin(): void {
    let at = 0;
    while (at < BLOCKS.length - 1 && this.width * this.height < BLOCKS[at]! ** 2 * 16) at++;
    const begun = this.parts.reporter.now();
    const work = this.workFor(BLOCKS[at]!);
    while (!this.paintRow(work)) {
      // All of it, however long that takes.
    }
    this.tell(work.grid);
    if (!this.isRunning) {
      this.parts.later(() => this.refine(at + 1, undefined));
      return;
    }
    // As fine as a picture may be that is made sixty times a second.
    const perBlock = (this.parts.reporter.now() - begun) / (work.grid.columns * work.grid.rows);
    this.block = 1;
    while (this.block < 16 && (this.width * this.height * perBlock) / this.block ** 2 > FRAME_MS) this.block *= 2;
    this.next();
  }

  end(): void {
    this.isOver = true;
    this.isRunning = false;
  }

  turn(to: 'stop' | 'go' | 'step'): boolean {
    if (this.isOver || this.options.animate !== true) return false;
    const was = this.isRunning;
    this.isRunning = to === 'go';
    if (to === 'go' && !was) this.next();
    if (to === 'step') {
      this.clock.time += NEXT_MS / 1_000;
      this.clock.frame++;
    }
    // A clock that stands may go on: the program waits for that.
    if (!this.isKept) this.parts.after?.(FOREVER_MS, () => undefined);
    this.isKept = true;
    // What stands still is made as fine as it can be.
    if (to !== 'go') this.parts.later(() => this.refine(BLOCKS.length - 1, undefined));
    return true;
  }

  private next(): void {
    this.parts.after?.(NEXT_MS, () => {
      if (!this.isRunning) return;
      const begun = this.parts.reporter.now();
      this.clock.time += NEXT_MS / 1_000;
      this.clock.frame++;
      const work = this.workFor(this.block);
      while (!this.paintRow(work)) {
        // One picture is one moment.
      }
      this.tell(work.grid);
      const took = this.parts.reporter.now() - begun;
      if (took > FRAME_MS * 1.5 && this.block < 16) this.block *= 2;
      else if (took < FRAME_MS / 6 && this.block > 1) this.block /= 2;
      this.next();
    });
  }

  private refine(at: number, begun: Work | undefined): void {
    if (this.isOver || this.isRunning || at >= BLOCKS.length) return;
    const work = begun ?? this.workFor(BLOCKS[at]!);
    const until = this.parts.reporter.now() + SLICE_MS;
    while (!this.paintRow(work))
      if (this.parts.reporter.now() > until) {
        this.parts.later(() => this.refine(at, work));
        return;
      }
    this.toldAt = -Infinity;
    this.tell(work.grid);
    this.parts.later(() => this.refine(at + 1, undefined));
  }

  private workFor(block: number): Work {
    return { block, pass: 0, row: 0, grid: this.gridOf(block), before: undefined };
  }

  private gridOf(block: number): Grid {
    const columns = Math.ceil(this.width / block);
    const rows = Math.ceil(this.height / block);
    return { block, columns, rows, rgba: new Uint8Array(columns * rows * 4), values: undefined };
  }

  /** @returns true where it was the last of the last pass */
  private paintRow(work: Work): boolean {
    const { grid, block, before } = work;
    const { reporter } = this.parts;
    const colour = this.passes[work.pass]!;
    const isLast = work.pass === this.passes.length - 1;
    const context: PixelContext = {
      before: (x, y) => readAt(before, x, y),
      inputs: this.options.inputs ?? {},
      ...this.clock,
    };
    const y = Math.min(this.height - 1, work.row * block + (block >> 1));
    for (let column = 0; column < grid.columns; column++) {
      const x = Math.min(this.width - 1, column * block + (block >> 1));
      this.take(
        grid,
        work.row * grid.columns + column,
        reporter.forPixel(x, y, () => colour(x, y, context)),
        isLast,
      );
    }
    if (++work.row < grid.rows) return false;
    if (isLast) return true;
    work.before = grid;
    work.grid = this.gridOf(block);
    work.pass++;
    work.row = 0;
    return false;
  }

  private take(grid: Grid, at: number, pixel: Pixel, isLast: boolean): void {
    const note = (value: number): void => {
      (grid.values ??= new Float64Array(grid.columns * grid.rows).fill(NaN))[at] = value;
    };
    if (typeof pixel === 'number') {
      note(pixel);
      if (isLast && pixel < this.low) this.low = pixel;
      if (isLast && pixel > this.high) this.high = pixel;
      // Told from a colour by an alpha of 0 until the scale is known.
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

  private tell(grid: Grid): void {
    const { block, columns, rows, values } = grid;
    const rgba = toColours(grid, this.options.scale ?? [this.low, this.high]);
    const { shown, parts } = this;
    shown.pixels = { block, columns, rows, rgba, ...(values ? { values } : {}) };
    if (this.options.animate) shown.clock = { ...this.clock, running: this.isRunning };
    parts.put(shown.pixels);
    const now = parts.reporter.now();
    if (now - this.toldAt < TOLD_MS && this.isRunning) return;
    this.toldAt = now;
    parts.reporter.addShown({ ...shown });
    parts.reporter.flush();
  }
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
function toColours({ rgba, values }: Grid, [low, high]: readonly [number, number]): Uint8Array {
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
