/** The frames and steps of a run, as columns that grow. */
import type { StepColumns } from '../wire/step-columns.js';

/** Frames by number (row 0 is none), and steps and ends in the order of their moments. */
export interface Steps {
  readonly length: number;
  /** The run was longer: only its begin was recorded. */
  readonly cut: boolean;
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

  /** Rows are only ever appended, so what is returned does not change when more come. */
  soFar(): Shape & { length: number } {
    const parts = Object.entries(this.columns).map(([name, column]) => [name, column.subarray(0, this.length)]);
    return { ...(Object.fromEntries(parts) as Shape), length: this.length };
  }
}

export class StepRows {
  private readonly steps = new Columns(
    { site: new Int32Array(256), frame: new Int32Array(256), moment: new Float64Array(256) },
    0,
  );
  private readonly frames = new Columns(
    {
      site: new Int32Array(64).fill(-1),
      caller: new Int32Array(64),
      around: new Int32Array(64),
      moment: new Float64Array(64),
    },
    1,
  );
  private readonly left = new Columns(
    { frame: new Int32Array(64), how: new Uint8Array(64), moment: new Float64Array(64) },
    0,
  );

  private readonly wrote = new Columns(
    { site: new Int32Array(64), object: new Int32Array(64), key: new Int32Array(64), moment: new Float64Array(64) },
    0,
  );
  private readonly keys: string[] = [''];
  private cut = false;

  append({ steps, entered, left, wrote, keys, cut }: StepColumns): void {
    if (cut) this.cut = true;
    this.steps.append(steps);
    this.frames.append(entered);
    this.left.append(left);
    this.wrote.append(wrote);
    this.keys.push(...keys);
  }

  soFar(): Steps {
    return {
      ...this.steps.soFar(),
      cut: this.cut,
      frames: this.frames.soFar(),
      left: this.left.soFar(),
      wrote: this.wrote.soFar(),
      keys: this.keys,
    };
  }
}
