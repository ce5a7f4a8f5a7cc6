/** Other threads that compute rows of a picture, for functions that need nothing of this one. */
import * as own from './originals.js';
import { type Colouring, type Grid, gridOf, paintRow, type Picture } from './painting-kernel.js';

/** Milliseconds for one pass, after which it is painted here. */
const PATIENCE_MS = 5_000;

/** Rows of one pass. */
export interface BandAsked {
  /** Number of the question: what answers an earlier one is nobody's any more. */
  ask: number;
  picture: Picture;
  pass: number;
  block: number;
  from: number;
  to: number;
  before: Grid | undefined;
}

export interface Band {
  rgba: Uint8Array;
  values: Float64Array | undefined;
}

/** What such a thread answers: no band where it could not paint. */
export interface BandAnswer {
  ask: number;
  band: Band | undefined;
}

/** A thread of its own. */
export interface HelperThread {
  say(message: { code: string } | BandAsked): void;
  /** Called with what it has painted; with nothing where it has failed as a whole. */
  onpainted?: (answer: BandAnswer | undefined) => void;
  end(): void;
}

/** What an engine has of them. */
export interface HelpersEngine {
  count: number;
  start(): HelperThread;
  after(ms: number, callback: () => void): () => void;
}

/** The threads for one picture. */
export class PaintingHelpers {
  private readonly threads: HelperThread[] = [];
  private asks = 0;
  /** Leaves what was asked before. */
  private leave: (() => void) | undefined;
  private isOver = false;

  /** @param code a script that declares `passes`, the function or the list of them */
  constructor(
    private readonly engine: HelpersEngine,
    code: string,
  ) {
    for (let i = 0; i < engine.count; i++) {
      const thread = engine.start();
      thread.say({ code });
      own.append(this.threads, thread);
    }
  }

  get count(): number {
    return this.threads.length;
  }

  end(): void {
    this.isOver = true;
    for (let i = 0; i < this.threads.length; i++) this.threads[i]!.end();
  }

  /** Calls back with the last pass, or with nothing where a thread could not; of an earlier one nothing comes. */
  paint(picture: Picture, passes: number, block: number, done: (grid: Grid | undefined) => void): void {
    const step = (pass: number, before: Grid | undefined): void =>
      this.pass({ picture, pass, block, before }, (grid) => {
        if (!grid || pass === passes - 1) done(grid);
        else step(pass + 1, grid);
      });
    step(0, undefined);
  }

  private pass(asked: Omit<BandAsked, 'ask' | 'from' | 'to'>, done: (grid: Grid | undefined) => void): void {
    const grid = gridOf(asked.picture, asked.block);
    const { length } = this.threads;
    const ask = ++this.asks;
    let left = length;
    let isDone = false;
    const close = (): boolean => {
      if (isDone) return false;
      isDone = true;
      cancel();
      return true;
    };
    const end = (made: Grid | undefined): void => {
      if (close() && !this.isOver) done(made);
    };
    const cancel = this.engine.after(PATIENCE_MS, () => end(undefined));
    this.leave?.();
    this.leave = close;
    for (let i = 0; i < length; i++) {
      const thread = this.threads[i]!;
      const from = own.floor((grid.rows * i) / length);
      const to = own.floor((grid.rows * (i + 1)) / length);
      thread.onpainted = (answer) => {
        if (answer && answer.ask !== ask) return;
        const band = answer?.band;
        if (!band) {
          end(undefined);
          return;
        }
        const at = from * grid.columns;
        own.setNumbers(grid.rgba, band.rgba, at * 4);
        if (band.values) {
          grid.values ??= own.noNumbers(grid.columns * grid.rows);
          own.setNumbers(grid.values, band.values, at);
        }
        if (--left === 0) end(grid);
      };
      try {
        thread.say({ ...asked, ask, from, to });
      } catch {
        // An input that is no plain data stays here.
        end(undefined);
        return;
      }
    }
  }
}

/** What such a thread does with what it is told. @returns what it answers, to a question */
export function helperThread(): (message: { code: string } | BandAsked) => BandAnswer | undefined {
  let passes: readonly Colouring[] | undefined;
  return (message) => {
    try {
      if ('code' in message) {
        const made = new Function(`"use strict";${message.code}\nreturn passes`)() as Colouring | Colouring[];
        passes = typeof made === 'function' ? [made] : made;
        return undefined;
      }
      return { ask: message.ask, band: bandOf(passes![message.pass]!, message) };
    } catch {
      // It is called where it was written, and fails there.
      return 'code' in message ? undefined : { ask: message.ask, band: undefined };
    }
  };
}

function bandOf(colour: Colouring, { picture, block, from, to, before }: BandAsked): Band {
  const whole = gridOf(picture, block);
  for (let row = from; row < to; row++) paintRow(picture, colour, whole, before, row);
  const { columns, rgba, values } = whole;
  return {
    rgba: rgba.slice(from * columns * 4, to * columns * 4),
    values: values?.slice(from * columns, to * columns),
  };
}
