/**
 * `usher-anvil/pad` inside a target: values, plots, tables, drawings and
 * painted pictures that a pad shows on purpose.
 */
import { DrawingContext } from './drawing.js';
import { paintedContext, type RealContext } from './painted-context.js';
import type { DrawCall } from '../wire/reports.js';
import * as own from './originals.js';
import { WIDE } from './preview.js';
import type { Reporter } from './reports/reporter.js';
import type { Stacks } from './stacks.js';
import type { RawShown } from '../wire/reports.js';
import type { Value } from '../wire/value.js';

/** Pictures of more pixels than this are refused. */
const MOST_PIXELS = 4_000_000;
/** Block sizes of a painted picture, from coarse to fine. */
const PASSES = [16, 8, 4, 2, 1] as const;
/** Milliseconds of painting between two looks at what else there is to do. */
const SLICE_MS = 24;

/** Milliseconds between two reports of a drawing that is painted over and over. */
const REPORT_MS = 200;

/** A canvas of the page that the pad is. */
export interface PageCanvas {
  context: RealContext;
  /**
   * Puts a picture there, `columns` by `rows` with four bytes each, as large as the canvas.
   *
   * @param values numbers that the colours stand for
   */
  put(picture: { rgba: Uint8Array; columns: number; rows: number; values?: Float64Array }): void;
}

/**
 * Finds the canvas of a drawing, or makes it.
 *
 * @param place what it has in common with the drawing that is to be painted over
 */
export type FindCanvas = (width: number, height: number, title: string | undefined, place: string) => PageCanvas;

/** What showing needs of the engine around it. */
export interface ShowingEngine {
  /** Calls back when nothing else is to be done. */
  later(callback: () => void): void;
  /** Calls back after `ms` without keeping the program alive. */
  timeout?(ms: number, callback: () => void): () => void;
  /** Of a page: canvases for what is drawn. */
  canvas?: FindCanvas;
}

/** A drawing that stands on a canvas of the page. */
interface OnCanvas {
  id: number;
  canvas: PageCanvas;
  /** The engine's time, in milliseconds. */
  toldAt: number;
  /** What is to be told. */
  next: RawShown | undefined;
  last?: RawShown;
}

export interface PaintOptions {
  title?: string;
  /** What numbers stand for the first and the last colour. Without it, the lowest and the highest painted. */
  scale?: [number, number];
}

/**
 * A colour as `[red, green, blue]` or with alpha, 0 to 255; a number on the scale; or a word of CSS: `#1f5e86`, `rgb(31
 * 94 134)`.
 */
export type Pixel = number | string | readonly number[] | { colour: string | readonly number[]; value: number };

export class ShownValues {
  private ids = 0;
  private readonly onCanvases = own.safeMap<string, OnCanvas>();

  constructor(
    private readonly reporter: Reporter,
    private readonly stacks: Stacks,
    private readonly engine: ShowingEngine,
  ) {}

  /** A few words beside the line that calls. */
  note(text: string): void {
    this.report('note', text, {});
  }

  /** The module's names. */
  moduleExports(): Record<string, unknown> {
    return {
      show: (value: unknown, title?: string) => {
        this.report('show', title, { value: this.wide(value) });
        return value;
      },
      plot: (data: unknown, title?: string) => {
        this.report('plot', title, { value: this.wide(data) });
        return data;
      },
      table: (rows: unknown, title?: string) => {
        this.report('table', title, { value: this.wide(rows) });
        return rows;
      },
      draw: (width: number, height: number, paint: (context: DrawingContext) => void, title?: string) =>
        this.draw(width, height, paint, title),
      paint: (width: number, height: number, colour: (x: number, y: number) => Pixel, options?: PaintOptions) =>
        this.paint(width, height, colour, options ?? {}),
      compare: (ways: Record<string, unknown>) => this.compare(ways),
    };
  }

  /** The session times them beside the run; here it is only looked at what they are. */
  private compare(ways: Record<string, unknown>): void {
    const names = own.isObject(ways) ? own.keys(ways) : [];
    let functions = 0;
    for (let i = 0; i < names.length; i++) if (typeof ways[names[i]!] === 'function') functions++;
    if (functions < 2 || functions < names.length)
      throw new own.TypeErrorCopy('compare(ways, data, options) needs an object of two functions or more');
    this.note(`compares ${own.join(names, ', ')}`);
  }

  private wide(value: unknown): Value {
    return this.reporter.previewer.take(value, WIDE);
  }

  private report(kind: RawShown['kind'], title: string | undefined, rest: Partial<RawShown>): void {
    this.reporter.addShown(this.make(kind, title, rest));
  }

  private make(kind: RawShown['kind'], title: string | undefined, rest: Partial<RawShown>): RawShown {
    const frame = this.stacks.here(8).find((one) => one.local);
    return {
      id: ++this.ids,
      moment: ++this.reporter.clock,
      kind,
      ...(typeof title === 'string' ? { title } : {}),
      ...(frame ? { frame } : {}),
      ...rest,
    };
  }

  private draw(width: number, height: number, paint: (context: DrawingContext) => void, title?: string): void {
    size(width, height, 'draw');
    const calls: DrawCall[] = [];
    const recorder = new DrawingContext(width, height, calls);
    const shown = this.make('draw', title, { width, height, calls });
    const one = this.canvasOf(shown);
    if (!one) {
      paint(recorder);
      this.reporter.addShown({ ...shown, moment: ++this.reporter.clock });
      return;
    }
    let isWhole = true;
    paint(paintedContext(one.canvas.context, recorder, () => (isWhole = false)) as DrawingContext);
    this.tellSoon(one, { ...shown, moment: ++this.reporter.clock, ...(isWhole ? {} : { partial: true as const }) });
  }

  /** Of a page: what is drawn at one place of the code, or under one title, paints over what was there. */
  private canvasOf(shown: RawShown): OnCanvas | undefined {
    const { title, frame, width, height } = shown;
    const place = title ?? `${frame?.file ?? ''}:${frame?.line ?? 0}:${frame?.character ?? 0}`;
    const canvas = this.engine.canvas?.(width!, height!, title, place);
    if (!canvas) return undefined;
    let one = this.onCanvases.get(place);
    if (!one) this.onCanvases.set(place, (one = { id: shown.id, canvas, toldAt: -Infinity, next: undefined }));
    one.canvas = canvas;
    one.last = shown;
    shown.id = one.id;
    return one;
  }

  /** An animation paints sixty times a second; it is told a few times, and the last time for sure. */
  private tellSoon(one: OnCanvas, shown: RawShown): void {
    const { reporter } = this;
    const tell = (): void => {
      one.toldAt = reporter.now();
      reporter.addShown(one.next!);
      one.next = undefined;
    };
    const waits = one.next !== undefined;
    one.next = shown;
    const wait = one.toldAt + REPORT_MS - reporter.now();
    if (wait <= 0 || !this.engine.timeout) tell();
    else if (!waits)
      this.engine.timeout(wait, () => {
        if (one.next === undefined) return;
        tell();
        reporter.flush();
      });
  }

  private paint(width: number, height: number, colour: (x: number, y: number) => Pixel, options: PaintOptions): void {
    size(width, height, 'paint');
    const first = this.make('paint', options.title, { width, height });
    const canvas = this.canvasOf(first);
    const { reporter } = this;
    const one = (x: number, y: number): Pixel => reporter.forPixel(x, y, () => colour(x, y));
    const state: Painting = {
      width,
      height,
      colour: one,
      low: Infinity,
      high: -Infinity,
      scale: options.scale,
      canvas,
    };
    // The coarsest picture is there when the call returns; the finer ones follow when nothing else is to be done.
    let pass = 0;
    while (pass < PASSES.length - 1 && width * height < PASSES[pass]! ** 2 * 16) pass++;
    this.finish(first, state, startPass(state, PASSES[pass]!), pass);
  }

  private finish(shown: RawShown, state: Painting, work: Pass, pass: number): void {
    // Something else is painted there by now.
    if (state.canvas && state.canvas.last?.moment !== shown.moment) return;
    const until = this.reporter.now() + SLICE_MS;
    const first = work.row === 0 && shown.pixels === undefined;
    while (work.row < work.rows) {
      paintRow(state, work);
      if (!first && this.reporter.now() > until) break;
    }
    if (work.row >= work.rows) {
      const { columns, rows } = work;
      shown.pixels = {
        block: work.block,
        columns,
        rows,
        rgba: toColours(state, work),
        ...(work.values ? { values: work.values } : {}),
      };
      state.canvas?.canvas.put(shown.pixels);
      this.reporter.addShown({ ...shown, moment: shown.moment });
      this.reporter.flush();
      pass++;
      if (pass >= PASSES.length) return;
      work = startPass(state, PASSES[pass]!);
    }
    this.engine.later(() => this.finish(shown, state, work, pass));
  }
}

interface Painting {
  width: number;
  height: number;
  colour: (x: number, y: number) => Pixel;
  low: number;
  high: number;
  scale: [number, number] | undefined;
  canvas: OnCanvas | undefined;
}

interface Pass {
  block: number;
  columns: number;
  rows: number;
  row: number;
  rgba: Uint8Array;
  values: Float64Array | undefined;
}

function size(width: number, height: number, what: string): void {
  if (!(width >= 1 && height >= 1 && own.floor(width) === width && own.floor(height) === height))
    throw new own.RangeErrorCopy(
      `${what}(width, height, …) needs whole numbers above 0, and got ${width} × ${height}.`,
    );
  if (width * height > MOST_PIXELS)
    throw new own.RangeErrorCopy(
      `${what}: ${width} × ${height} are too many pixels. At most ${MOST_PIXELS} are shown.`,
    );
}

function startPass(state: Painting, block: number): Pass {
  const columns = Math.ceil(state.width / block);
  const rows = Math.ceil(state.height / block);
  return { block, columns, rows, row: 0, rgba: new Uint8Array(columns * rows * 4), values: undefined };
}

function paintRow(state: Painting, pass: Pass): void {
  const { block, columns } = pass;
  const y = Math.min(state.height - 1, pass.row * block + (block >> 1));
  for (let column = 0; column < columns; column++) {
    const x = Math.min(state.width - 1, column * block + (block >> 1));
    const pixel = state.colour(x, y);
    const at = pass.row * columns + column;
    if (typeof pixel === 'number') {
      (pass.values ??= new Float64Array(columns * pass.rows).fill(NaN))[at] = pixel;
      if (pixel < state.low) state.low = pixel;
      if (pixel > state.high) state.high = pixel;
      // Told from a colour by an alpha of 0 until the scale is known.
      continue;
    }
    let colour: unknown = pixel;
    if (typeof pixel === 'object' && pixel !== null && !own.isArray(pixel)) {
      const { value } = pixel as { value: number };
      if (typeof value === 'number') (pass.values ??= new Float64Array(columns * pass.rows).fill(NaN))[at] = value;
      colour = (pixel as { colour: unknown }).colour;
    }
    colourInto(pass.rgba, at * 4, colour);
  }
  pass.row++;
}

/** Numbers take their place between steel blue, straw and amber. */
function toColours(state: Painting, pass: Pass): Uint8Array {
  const { rgba, values } = pass;
  if (!values) return rgba;
  const [low, high] = state.scale ?? [state.low, state.high];
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
