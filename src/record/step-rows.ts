/** The frames and steps of a run, as columns that grow. */
import type { EarlyFrame, Opening, Path } from '../wire/opening.js';
import type { StepColumns } from '../wire/step-columns.js';
import type { Value } from '../wire/value.js';

/** Frames by number (row 0 is none), and steps and ends in the order of their moments. */
export interface Steps {
  readonly length: number;
  /** The run was longer: what was before is not kept. */
  readonly folded?: Folded;
  /** Steps in all, before, in, and behind what is kept; and which way they went. */
  readonly path: Path;
  /** By moments of errors in parts that are not told: the numbers of their steps. */
  readonly noted: ReadonlyMap<number, number>;
  /** The way of the run that this one repeats, where it came to its end. */
  readonly first?: Path;
  /** Program-wide number of the statement's site, its frame (0: none of ours), its moment. */
  readonly site: Int32Array;
  readonly frame: Int32Array;
  readonly moment: Float64Array;
  readonly frames: {
    /** One more than there are frames. */
    readonly length: number;
    readonly site: Int32Array;
    readonly caller: Int32Array;
    readonly around: Int32Array;
    readonly moment: Float64Array;
  };
  readonly left: {
    readonly length: number;
    readonly frame: Int32Array;
    /** See `Left` of the wire. */
    readonly how: Uint8Array;
    readonly moment: Float64Array;
  };
  /** Writes to properties; see `StepColumns`. */
  readonly wrote: {
    readonly length: number;
    readonly site: Int32Array;
    readonly object: Int32Array;
    readonly key: Int32Array;
    readonly moment: Float64Array;
  };
  /** Names of keys by their numbers; that of 0 is empty. */
  readonly keys: readonly string[];
}

/** What stays of the part of a run that is not kept. */
export interface Folded {
  /** The first moment that is kept. */
  readonly until: number;
  /** Steps and frames that are not kept. */
  readonly steps: number;
  readonly frames: number;
  /** Numbers of the steps at which frames stood that go on: the first that are listed. */
  readonly standing: readonly number[];
  /** Frames that were active then, the innermost last. */
  readonly stack: readonly number[];
  readonly writes: readonly CarriedWrite[];
}

/** What a variable held when all before was folded. */
export interface CarriedWrite {
  frame: number;
  site: number;
  moment: number;
  value: Value;
}

type Column = Int32Array | Float64Array | Uint8Array;

/** Columns of one length that grow together. */
class Columns<Shape extends Record<string, Column>> {
  constructor(
    private columns: Shape,
    public length: number,
  ) {}

  append(given: { readonly [Name in keyof Shape]: Column }): void {
    const names = Object.keys(this.columns) as (keyof Shape)[];
    const added = given[names[0]!].length;
    const size = this.length + added;
    for (const name of names) {
      let column: Column = this.columns[name]!;
      if (size > column.length) {
        const wider = new (column.constructor as Int32ArrayConstructor)(Math.max(size, column.length * 2));
        wider.set(column);
        column = wider;
        this.columns[name] = wider as Column as Shape[keyof Shape];
      }
      column.set(given[name]!, this.length);
    }
    this.length = size;
  }

  copy(): Columns<Shape> {
    const parts = Object.entries(this.columns).map(([name, column]) => [name, column.slice()]);
    return new Columns(Object.fromEntries(parts) as Shape, this.length);
  }

  /** Puts rows in at a place, of columns that were not given out. */
  insert(at: number, given: { readonly [Name in keyof Shape]: Column }): void {
    const rest = Object.entries(this.columns).map(([name, column]) => [name, column.slice(at, this.length)]);
    this.length = at;
    this.append(given);
    this.append(Object.fromEntries(rest) as Shape);
  }

  /** Only rows that a test holds for, as new columns: what was given out before stays as it is. */
  only(holds: (row: number) => boolean): Columns<Shape> {
    const rows: number[] = [];
    for (let row = 0; row < this.length; row++) if (holds(row)) rows.push(row);
    const parts = Object.entries(this.columns).map(([name, column]) => {
      const kept = new (column.constructor as Int32ArrayConstructor)(Math.max(64, rows.length));
      for (let i = 0; i < rows.length; i++) kept[i] = column[rows[i]!]!;
      return [name, kept as Column];
    });
    return new Columns(Object.fromEntries(parts) as Shape, rows.length);
  }

  /** Changes each entry of a column, in place. */
  change(name: keyof Shape, to: (entry: number) => number): void {
    const column = this.columns[name]!;
    for (let row = 0; row < this.length; row++) column[row] = to(column[row]!);
  }

  /** Rows are only ever appended, so what is returned does not change when more come. */
  soFar(): Shape & { length: number } {
    const parts = Object.entries(this.columns).map(([name, column]) => [name, column.subarray(0, this.length)]);
    return { ...(Object.fromEntries(parts) as Shape), length: this.length };
  }
}

const INTS = (size: number): Int32Array => new Int32Array(size);
const FLOATS = (size: number): Float64Array => new Float64Array(size);

export class StepRows {
  private steps = new Columns({ site: INTS(256), frame: INTS(256), moment: FLOATS(256) }, 0);
  private frames = new Columns({ site: INTS(64).fill(-1), caller: INTS(64), around: INTS(64), moment: FLOATS(64) }, 1);
  private left = new Columns({ frame: INTS(64), how: new Uint8Array(64), moment: FLOATS(64) }, 0);
  private wrote = new Columns({ site: INTS(64), object: INTS(64), key: INTS(64), moment: FLOATS(64) }, 0);
  private readonly keys: string[] = [''];
  private folded: Folded | undefined;
  path: Path = { steps: 0, mark: 0 };
  readonly noted = new Map<number, number>();
  /** See {@link Steps.first}. */
  first: Path | undefined;
  /** Of frames as the target numbers them: those from `first` on follow on `dense`; older ones that stay are listed. */
  private numbers = { first: 1, dense: 1, older: new Map<number, number>() };

  append({ steps, entered, left, wrote, keys, first }: StepColumns): void {
    this.keys.push(...keys);
    this.follow(first);
    // Until a frame is let go of, the target's numbers hold here as well.
    if (this.numbers.first === this.numbers.dense && this.numbers.older.size === 0) {
      this.steps.append(steps);
      this.frames.append(entered);
      this.left.append(left);
    } else {
      this.steps.append({ ...steps, frame: steps.frame.map(this.number) });
      this.frames.append({
        ...entered,
        caller: entered.caller.map(this.number),
        around: entered.around.map(this.number),
      });
      this.left.append({ ...left, frame: left.frame.map(this.number) });
    }
    this.wrote.append(wrote);
  }

  /**
   * Telling begins in the middle of the run.
   *
   * @param writes what variables held then
   * @param until the first moment of what is told
   */
  open(opening: Opening, writes: readonly CarriedWrite[], until: number): void {
    const frames = [...opening.frames].sort((a, b) => a.frame - b.frame);
    const { older } = this.numbers;
    for (const [index, { frame }] of frames.entries()) older.set(frame, this.frames.length + index);
    const standing = [...opening.waiting, ...opening.active]
      .filter(({ frame, site }) => site >= 0 && older.has(frame))
      .sort((a, b) => a.step - b.step);
    const from = opening.moment + frames.length;
    this.numbers.first = Infinity;
    this.frames.append(this.rowsOf(frames, (index) => opening.moment + index));
    this.steps.append({
      site: Int32Array.from(standing, ({ site }) => site),
      frame: Int32Array.from(standing, ({ frame }) => this.number(frame)),
      moment: Float64Array.from(standing, (_, index) => from + index),
    });
    this.folded = {
      until,
      steps: opening.steps - standing.length,
      frames: opening.last - frames.length,
      standing: standing.map(({ step }) => step),
      stack: opening.active.map(({ frame }) => this.number(frame)).filter((frame) => frame > 0),
      writes: writes.map((one) => ({ ...one, frame: this.number(one.frame) })),
    };
  }

  get length(): number {
    return this.steps.length;
  }

  /** Frames from before what is told come ahead of all others. */
  insert(early: readonly EarlyFrame[]): void {
    const { folded, numbers } = this;
    const { length } = early;
    if (length === 0) return;
    const later = (frame: number): number => (frame > 0 ? frame + length : 0);
    // What was given out before stays as it is.
    this.steps = this.steps.copy();
    this.left = this.left.copy();
    this.frames = this.frames.copy();
    this.steps.change('frame', later);
    this.left.change('frame', later);
    this.frames.change('caller', later);
    this.frames.change('around', later);
    for (const [raw, frame] of numbers.older) numbers.older.set(raw, later(frame));
    const sorted = [...early].sort((a, b) => a.frame - b.frame);
    for (const [index, { frame }] of sorted.entries()) numbers.older.set(frame, index + 1);
    numbers.dense += length;
    if (folded)
      this.folded = {
        ...folded,
        frames: folded.frames - length,
        stack: folded.stack.map(later),
        writes: folded.writes.map((one) => ({ ...one, frame: later(one.frame) })),
      };
    const { moment } = this.frames.soFar();
    // Before all others.
    const ahead = (moment[1] ?? 1) - 0.5;
    this.frames.insert(
      1,
      this.rowsOf(sorted, () => ahead),
    );
  }

  private rowsOf(
    frames: readonly EarlyFrame[],
    momentOf: (index: number) => number,
  ): Record<'site' | 'caller' | 'around' | 'moment', Float64Array> {
    const column = (of: (one: EarlyFrame, index: number) => number): Float64Array => Float64Array.from(frames, of);
    return {
      site: column(({ site }) => site),
      caller: column(({ caller }) => this.number(caller)),
      around: column(({ around }) => this.number(around)),
      moment: column((_, index) => momentOf(index)),
    };
  }

  /** What variables of such frames hold. @param writes frames as the target numbers them */
  carry(writes: readonly CarriedWrite[]): void {
    const { folded } = this;
    if (!folded) return;
    const more = writes.map((one) => ({ ...one, frame: this.number(one.frame) }));
    this.folded = { ...folded, writes: [...folded.writes, ...more] };
  }

  /** The site of the function of a frame, as the target numbers it, and that of its last step; -1 for none. */
  placeOf(frame: number): { function: number; at: number } {
    const number = this.number(frame);
    const { frame: of, site } = this.steps.soFar();
    return { function: this.frames.soFar().site[number]!, at: site[of.lastIndexOf(number)] ?? -1 };
  }

  /** How far the run is now. */
  goOn({ noted, ...path }: Path): void {
    this.path = path;
    for (const { moment, step } of noted ?? []) this.noted.set(moment, step);
  }

  /** Bytes that all this takes, without the values of what is carried. */
  get bytes(): number {
    return this.steps.length * 20 + this.frames.length * 24 + this.left.length * 13 + this.wrote.length * 20;
  }

  get frameBytes(): number {
    return this.frames.length * 24 + this.left.length * 13;
  }

  /** The moment up to which half of the steps lie; undefined where there are few. */
  get middle(): number | undefined {
    const { length, moment } = this.steps.soFar();
    return length < 2_000 ? undefined : moment[length >> 1];
  }

  /**
   * Lets go of all that was before a moment.
   *
   * @param carried what variables held then, and the frames that were active, by the numbers they have until now
   * @param kept frames that stay; undefined for all
   */
  fold(until: number, carried: Pick<Folded, 'stack' | 'writes'>, kept?: ReadonlySet<number>): void {
    const { frames, steps, left } = this;
    const before = { steps: steps.length, frames: frames.length };
    const { moment: entered } = frames.soFar();
    const rows = steps.soFar();
    // Where frames stand that go on.
    const standing = new Map<number, number>();
    const open = new Set(carried.stack);
    for (let row = 0; row < rows.length && rows.moment[row]! < until; row++)
      if (open.has(rows.frame[row]!)) standing.set(rows.frame[row]!, row);
    const stays = new Set(standing.values());
    const numbers = new Int32Array(frames.length);
    let last = 0;
    for (let frame = 1; frame < frames.length; frame++)
      if (!kept || kept.has(frame) || entered[frame]! >= until) numbers[frame] = ++last;
    const renumber = (frame: number): number => numbers[frame]!;
    this.steps = steps.only((row) => rows.moment[row]! >= until || stays.has(row));
    const { frame: leftFrame } = left.soFar();
    if (kept) {
      this.left = left.only((row) => numbers[leftFrame[row]!]! > 0);
      this.frames = frames.only((row) => row === 0 || numbers[row]! > 0);
    }
    const { moment: wrote } = this.wrote.soFar();
    this.wrote = this.wrote.only((row) => wrote[row]! >= until);
    if (kept) {
      this.steps.change('frame', renumber);
      this.left.change('frame', renumber);
      this.frames.change('caller', renumber);
      this.frames.change('around', renumber);
      this.renumbered(renumber, before.frames);
    }
    this.folded = {
      until,
      steps: (this.folded?.steps ?? 0) + before.steps - this.steps.length,
      frames: (this.folded?.frames ?? 0) + before.frames - this.frames.length,
      standing: [...stays]
        .sort((a, b) => a - b)
        .map((row) => this.folded?.standing[row] ?? (this.folded?.steps ?? 0) + row + 1),
      stack: carried.stack.map(renumber),
      writes: carried.writes.map((one) => ({ ...one, frame: renumber(one.frame) })),
    };
  }

  soFar(): Steps {
    return {
      ...this.steps.soFar(),
      ...(this.folded ? { folded: this.folded } : {}),
      path: this.path,
      noted: this.noted,
      ...(this.first ? { first: this.first } : {}),
      frames: this.frames.soFar(),
      left: this.left.soFar(),
      wrote: this.wrote.soFar(),
      keys: this.keys,
    };
  }

  /** Frames that were not told have numbers too: those that come now may begin behind a gap. */
  private follow(first: number): void {
    const { numbers } = this;
    const next = numbers.first + this.frames.length - numbers.dense;
    if (first === next) return;
    // At the first gap all that is there is listed.
    if (numbers.first !== Infinity)
      for (let frame = numbers.dense; frame < this.frames.length; frame++)
        numbers.older.set(frame - numbers.dense + numbers.first, frame);
    this.numbers = { first, dense: this.frames.length, older: numbers.older };
  }

  /** The number here of a frame as the target has it; 0 for one that is not kept. */
  private readonly number = (raw: number): number => {
    const { first, dense, older } = this.numbers;
    return raw >= first ? raw - first + dense : (older.get(raw) ?? 0);
  };

  /** @param length one more than there were frames */
  private renumbered(renumber: (frame: number) => number, length: number): void {
    const { first, dense, older } = this.numbers;
    const listed = new Map<number, number>();
    for (const [raw, frame] of older) if (renumber(frame) > 0) listed.set(raw, renumber(frame));
    for (let frame = dense; frame < length; frame++)
      if (renumber(frame) > 0) listed.set(frame - dense + first, renumber(frame));
    this.numbers = { first: first + length - dense, dense: this.frames.length, older: listed };
  }
}
