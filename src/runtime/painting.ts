/**
 * A picture that is made by a function per pixel, or by several, of which each reads what the one before has made.
 * Coarse at once, then finer; with a clock, again and again, as fine as there is time for.
 */
import type { RawShown } from '../wire/reports.js';
import { type HelpersEngine, PaintingHelpers } from './painting-helpers.js';
import { type Colouring, type Grid, gridOf, paintRow, type Picture, scaleOf, toColours } from './painting-kernel.js';
import type { Reporter } from './reports/reporter.js';

export type { Colouring, Pixel, PixelContext } from './painting-kernel.js';

/** Sizes of blocks, from coarse to fine. */
const BLOCKS = [16, 8, 4, 2, 1] as const;
/** Those of an animation. */
const FINE = [1, 2, 3, 4, 6, 8, 12, 16] as const;
/** Milliseconds of painting between two looks at what else there is to do. */
const SLICE_MS = 24;
/** Milliseconds that one picture of an animation may take, between two of them, and between two that are told. */
const FRAME_MS = 13;
const NEXT_MS = 16;
const TOLD_MS = 15;
const FOREVER_MS = 2 ** 30;
/** Milliseconds of painting for which other threads are begun. */
const WORTH_MS = 100;

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
  /** Other threads, and what they are to call; absent where all is painted here. */
  helpers: { engine: HelpersEngine; code: string } | undefined;
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
  /** The lowest and the highest of its numbers so far. */
  private range: [number, number] = [Infinity, -Infinity];
  private state: 'goes' | 'stands' | 'over';
  private readonly clock = { time: 0, frame: 0 };
  /** Of an animation, as place in {@link FINE}. */
  private fineness = FINE.length - 1;
  private toldAt = -Infinity;
  private isKept = false;
  private helpers: PaintingHelpers | undefined;
  /** Counts what was begun: what belongs to a turn before is nobody's any more. */
  private turns = 0;

  constructor(
    private readonly passes: readonly Colouring[],
    private readonly options: PaintOptions,
    private readonly shown: RawShown,
    private readonly parts: PaintingParts,
  ) {
    this.state = options.animate === true && parts.after !== undefined ? 'goes' : 'stands';
  }

  private get isRunning(): boolean {
    return this.state === 'goes';
  }

  private get width(): number {
    return this.shown.width!;
  }

  private get height(): number {
    return this.shown.height!;
  }

  private get picture(): Picture {
    const { inputs = {} } = this.options;
    return { width: this.width, height: this.height, ...this.clock, inputs };
  }

  /** The coarsest picture is there when the call returns; the finer ones follow when nothing else is to be done. */
  begin(): void {
    const { reporter, later, helpers } = this.parts;
    let at = 0;
    while (at < BLOCKS.length - 1 && this.width * this.height < BLOCKS[at]! ** 2 * 16) at++;
    const begun = reporter.now();
    const grid = this.paintAll(BLOCKS[at]!);
    const perBlock = (reporter.now() - begun) / (grid.columns * grid.rows);
    // Threads take a while to begin: for what is there sooner they are not begun.
    if (helpers && (this.isRunning || perBlock * this.width * this.height > WORTH_MS))
      this.helpers = new PaintingHelpers(helpers.engine, helpers.code);
    this.tell(grid);
    if (this.isRunning) this.next(NEXT_MS);
    else later(() => this.refine(at + 1, undefined));
  }

  private paintAll(block: number): Grid {
    const work = this.workFor(block);
    while (!this.paintSome(work)) {
      // All of it, however long that takes.
    }
    return work.grid;
  }

  end(): void {
    this.state = 'over';
    this.endHelpers();
  }

  private endHelpers(): void {
    this.helpers?.end();
    this.helpers = undefined;
  }

  turn(to: 'stop' | 'go' | 'step'): boolean {
    if (this.state === 'over' || this.options.animate !== true) return false;
    const was = this.isRunning;
    this.state = to === 'go' ? 'goes' : 'stands';
    if (to !== 'go' || !was) this.turns++;
    if (to === 'go' && !was) this.next(NEXT_MS);
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

  /** The next picture of an animation, after `wait` milliseconds. */
  private next(wait: number): void {
    const { turns } = this;
    const { reporter, after } = this.parts;
    after?.(wait, () => {
      if (!this.isRunning || turns !== this.turns) return;
      const begun = reporter.now();
      this.clock.time += NEXT_MS / 1_000;
      this.clock.frame++;
      const done = (grid: Grid): void => {
        if (!this.isRunning || turns !== this.turns) return;
        this.tell(grid);
        const took = reporter.now() - begun;
        if (took > FRAME_MS * 1.2 && this.fineness < FINE.length - 1) this.fineness++;
        else if (this.fineness > 0 && took * (FINE[this.fineness]! / FINE[this.fineness - 1]!) ** 2 < FRAME_MS)
          this.fineness--;
        this.next(Math.max(0, NEXT_MS - took));
      };
      const block = FINE[this.fineness]!;
      if (!this.helpers) done(this.paintAll(block));
      else
        this.helpers.paint(this.picture, this.passes.length, block, (grid) => {
          if (!grid) this.endHelpers();
          done(grid ?? this.paintAll(block));
        });
    });
  }

  private refine(at: number, begun: Work | undefined): void {
    if (this.state !== 'stands') return;
    if (at >= BLOCKS.length) {
      // One with a clock may go on.
      if (this.options.animate !== true) this.endHelpers();
      return;
    }
    const { reporter, later } = this.parts;
    const { turns } = this;
    const done = (grid: Grid): void => {
      if (turns !== this.turns) return;
      this.toldAt = -Infinity;
      this.tell(grid);
      later(() => this.refine(at + 1, undefined));
    };
    if (this.helpers && !begun) {
      this.helpers.paint(this.picture, this.passes.length, BLOCKS[at]!, (grid) => {
        if (grid) done(grid);
        else {
          this.endHelpers();
          this.refine(at, undefined);
        }
      });
      return;
    }
    const work = begun ?? this.workFor(BLOCKS[at]!);
    const until = reporter.now() + SLICE_MS;
    while (!this.paintSome(work))
      if (reporter.now() > until) {
        later(() => this.refine(at, work));
        return;
      }
    done(work.grid);
  }

  private workFor(block: number): Work {
    return { block, pass: 0, row: 0, grid: gridOf(this.picture, block), before: undefined };
  }

  /** Paints a row. @returns true where it was the last of the last pass */
  private paintSome(work: Work): boolean {
    const { reporter } = this.parts;
    paintRow(this.picture, this.passes[work.pass]!, work.grid, work.before, work.row, (x, y, call) =>
      reporter.forPixel(x, y, call),
    );
    if (++work.row < work.grid.rows) return false;
    if (work.pass === this.passes.length - 1) return true;
    work.before = work.grid;
    work.grid = gridOf(this.picture, work.block);
    work.pass++;
    work.row = 0;
    return false;
  }

  private tell(grid: Grid): void {
    const { block, columns, rows, values } = grid;
    this.range = scaleOf(grid, this.range);
    const rgba = toColours(grid, this.options.scale ?? this.range);
    const { shown, parts } = this;
    shown.pixels = { block, columns, rows, rgba, ...(values && !this.isRunning ? { values } : {}) };
    if (this.helpers) shown.threads = this.helpers.count;
    if (this.options.animate) shown.clock = { ...this.clock, running: this.isRunning };
    parts.put(shown.pixels);
    const now = parts.reporter.now();
    if (now - this.toldAt < TOLD_MS && this.isRunning) return;
    this.toldAt = now;
    parts.reporter.addShown({ ...shown });
    parts.reporter.flush();
  }
}
