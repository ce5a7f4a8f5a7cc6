/**
 * `usher-anvil/pad` inside a target: values, plots, tables, drawings and
 * painted pictures that a pad shows on purpose.
 */
import { DrawingContext } from './drawing.js';
import type { HelpersEngine } from './painting-helpers.js';
import { Painting, type Colouring, type PaintOptions } from './painting.js';
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
  /** Calls back for the next picture of an animation: the program goes on for it, where somebody looks. */
  pictures?(ms: number, callback: () => void): void;
  /** Of a page: canvases for what is drawn. */
  canvas?: FindCanvas;
  /** Other threads for pictures. */
  helpers?: HelpersEngine;
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

export class ShownValues {
  private ids = 0;
  private readonly paintings = own.safeMap<number, Painting>();
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
      // What stands behind the options is put there by the instrumentation: code for other threads.
      paint: (width: number, height: number, colour: Colouring | Colouring[], options?: PaintOptions, code?: unknown) =>
        this.paint(width, height, colour, options ?? {}, code),
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

  private paint(
    width: number,
    height: number,
    colour: Colouring | Colouring[],
    options: PaintOptions,
    code: unknown,
  ): void {
    size(width, height, 'paint');
    const list = own.isArray(colour) ? colour : [colour];
    for (let i = 0; i < list.length; i++)
      if (typeof list[i] !== 'function')
        throw new own.TypeErrorCopy('paint(width, height, colour, options) needs a function, or a list of them.');
    const { title, inputs } = options;
    const shown = this.make('paint', title, {
      ...{ width, height },
      ...(inputs === undefined ? {} : { value: this.wide(inputs) }),
    });
    const canvas = this.canvasOf(shown);
    const { helpers: engine } = this.engine;
    const before = this.paintings.get(shown.id);
    before?.end();
    const painting = new Painting(list, options, shown, {
      reporter: this.reporter,
      later: (callback) => this.engine.later(callback),
      after: (this.engine.pictures ?? this.engine.timeout)?.bind(this.engine),
      put: (picture) => canvas?.canvas.put(picture),
      // A pixel that is walked through is called here.
      helpers: engine && typeof code === 'string' && !this.reporter.takesAll ? { engine, code } : undefined,
    });
    this.paintings.set(shown.id, painting);
    painting.begin();
  }

  /** The clock of an animated picture is stopped, goes on, or makes one step. @returns false where there is none */
  clock(id: number, to: 'stop' | 'go' | 'step'): boolean {
    return this.paintings.get(id)?.turn(to) === true;
  }
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
