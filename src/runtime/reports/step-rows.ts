/** Frames and steps in typed columns that grow, until they are handed over. */
import { Left, type StepColumns } from '../../wire/step-columns.js';
import * as own from '../originals.js';
import { KnownFrames } from './known-frames.js';

/** Rows that wait at most. */
const MOST_ROWS = 1 << 15;

export class StepRows {
  private readonly steps = { site: new Int32Array(1024), frame: new Int32Array(1024), moment: new Float64Array(1024) };
  private readonly entered = {
    site: new Int32Array(256),
    caller: new Int32Array(256),
    around: new Int32Array(256),
    moment: new Float64Array(256),
  };
  private readonly left = { frame: new Int32Array(256), how: new Uint8Array(256), moment: new Float64Array(256) };
  private readonly written = {
    site: new Int32Array(256),
    object: new Int32Array(256),
    key: new Int32Array(256),
    moment: new Float64Array(256),
  };
  private readonly keys = new Keys();
  private readonly rows = { steps: 0, entered: 0, left: 0, wrote: 0 };
  readonly frames = new KnownFrames();
  private first = 1;

  /** So much waits that it is to be handed over. */
  get isFull(): boolean {
    return this.rows.steps >= MOST_ROWS || this.rows.entered >= MOST_ROWS || this.rows.wrote >= MOST_ROWS;
  }

  /** A function is entered. @returns the number of its frame */
  enter(moment: number, site: number, around: number): number {
    const { entered, rows } = this;
    const row = rows.entered++;
    if (row === entered.site.length) grow(entered);
    entered.site[row] = site;
    entered.caller[row] = this.frames.innermost;
    entered.around[row] = around;
    entered.moment[row] = moment;
    return this.frames.enter(site, around);
  }

  /** A statement begins. @param frame 0 for the one that is active @param number of the step, from 1 */
  step(moment: number, site: number, frame: number, number: number): void {
    const { steps, rows } = this;
    if (this.frames.activate(frame)) this.note(moment, frame, Left.Resumed);
    const at = this.frames.stand(site, number);
    const row = rows.steps++;
    if (row === steps.site.length) grow(steps);
    steps.site[row] = site;
    steps.frame[row] = at;
    steps.moment[row] = moment;
  }

  /** A property was written. @param key empty where more than one may have changed */
  wrote(moment: number, site: number, object: number, key: string): void {
    const { written, rows } = this;
    const row = rows.wrote++;
    if (row === written.site.length) grow(written);
    written.site[row] = site;
    written.object[row] = object;
    written.key[row] = this.keys.numberOf(key);
    written.moment[row] = moment;
  }

  /** A frame ends, or waits. */
  leave(moment: number, frame: number, how: Left): void {
    // A frame of the part that is not told.
    if (frame === 0) return;
    this.frames.leave(frame, how === Left.Paused);
    this.note(moment, frame, how);
  }

  /** A frame that waited goes on. @param frame 0 for none that has a number */
  resume(moment: number, frame: number): void {
    if (this.frames.activate(frame)) this.note(moment, frame, Left.Resumed);
  }

  /** What follows is told: frames that are entered from here on have numbers of their own. */
  begin(): void {
    this.first = this.frames.last + 1;
  }

  /** Hands over what waits; undefined when nothing does. */
  hand(): StepColumns | undefined {
    const { rows, steps, entered, left, written, first } = this;
    if (rows.steps === 0 && rows.entered === 0 && rows.left === 0 && rows.wrote === 0) return undefined;
    const columns: StepColumns = {
      first,
      steps: {
        site: steps.site.slice(0, rows.steps),
        frame: steps.frame.slice(0, rows.steps),
        moment: steps.moment.slice(0, rows.steps),
      },
      entered: {
        site: entered.site.slice(0, rows.entered),
        caller: entered.caller.slice(0, rows.entered),
        around: entered.around.slice(0, rows.entered),
        moment: entered.moment.slice(0, rows.entered),
      },
      left: {
        frame: left.frame.slice(0, rows.left),
        how: left.how.slice(0, rows.left),
        moment: left.moment.slice(0, rows.left),
      },
      wrote: {
        site: written.site.slice(0, rows.wrote),
        object: written.object.slice(0, rows.wrote),
        key: written.key.slice(0, rows.wrote),
        moment: written.moment.slice(0, rows.wrote),
      },
      keys: this.keys.hand(),
    };
    this.first += rows.entered;
    rows.steps = rows.entered = rows.left = rows.wrote = 0;
    return columns;
  }

  private note(moment: number, frame: number, how: Left): void {
    const { left, rows } = this;
    const row = rows.left++;
    if (row === left.frame.length) grow(left);
    left.frame[row] = frame;
    left.how[row] = how;
    left.moment[row] = moment;
  }
}

/** Numbers of keys of properties, and those that wait to be told. */
class Keys {
  private readonly numbers = own.safeMap<string, number>();
  private count = 0;
  private added: string[] = [];

  /** @returns 0 for the empty key */
  numberOf(key: string): number {
    if (key === '') return 0;
    let number = this.numbers.get(key);
    if (number === undefined) {
      this.numbers.set(key, (number = ++this.count));
      own.append(this.added, key);
    }
    return number;
  }

  hand(): string[] {
    const { added } = this;
    this.added = [];
    return added;
  }
}

/** Twice the room in each column. */
function grow(columns: object): void {
  const all = columns as Record<string, Int32Array>;
  for (const name in all) {
    const from = all[name]!;
    const wider = new (from.constructor as Int32ArrayConstructor)(from.length * 2);
    wider.set(from);
    all[name] = wider;
  }
}
