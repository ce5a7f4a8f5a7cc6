/**
 * Walking through a run that was recorded at depth `steps`: from step to step in either direction, without executing
 * anything again. A step is a statement that a frame came by; a frame is one activation of a function.
 */
import type { Range } from '../syntax/positions.js';
import { Left } from '../wire/step-columns.js';
import type { ProgramFile } from './program.js';
import type { PadRecord } from './record.js';
import type { Steps } from './step-rows.js';
import { Variables, type Variable } from './variables.js';

/** Of a walk as JSON. */
export const WALK_FORMAT = 'usher-anvil/walk@1';

/** A statement that a frame came by. */
export interface Step {
  /** Its place among all steps, from 0. */
  index: number;
  file: string;
  /** Zero-based; of the statement. */
  range: Range;
  /** Number of its frame; 0 where it ran in none of ours. */
  frame: number;
  moment: number;
}

/** One activation of a function, or of a module. */
export interface WalkFrame {
  number: number;
  /** Name of the function; `module` for that of a file. */
  name: string;
  file: string;
  range: Range;
  /** The frame that called, and the one that the function was made in; 0 for none of ours. */
  caller: number;
  around: number;
  /** Moments of entry and exit; `left` is absent while it has not ended. */
  entered: number;
  left?: number;
  how: 'goes on' | 'returned' | 'threw' | 'waits';
}

/** Ways to move; each forwards (1) and backwards (-1). */
export type Move = 'into' | 'over' | 'out' | 'line';

const HOW = { [Left.Returned]: 'returned', [Left.Threw]: 'threw', [Left.Paused]: 'waits' } as const;

export class Walk {
  private readonly steps: Steps;
  private readonly files: readonly ProgramFile[];
  /** By frame: its steps in order, and how it was left last. */
  private readonly byFrame = new Map<number, number[]>();
  private readonly ends = new Map<number, { moment: number; how: WalkFrame['how'] }>();
  private known: Variables | undefined;

  constructor(
    private readonly record: PadRecord,
    steps: Steps,
  ) {
    this.steps = steps;
    this.files = [...record.program.files].sort((a, b) => a.base - b.base);
    for (let i = 0; i < steps.length; i++) {
      const frame = steps.frame[i]!;
      const list = this.byFrame.get(frame);
      if (list) list.push(i);
      else this.byFrame.set(frame, [i]);
    }
    const { left } = steps;
    for (let i = 0; i < left.length; i++) {
      const how = left.how[i] as Left;
      if (how === Left.Resumed) this.ends.delete(left.frame[i]!);
      else this.ends.set(left.frame[i]!, { moment: left.moment[i]!, how: HOW[how] });
    }
  }

  /** Number of steps. */
  get length(): number {
    return this.steps.length;
  }

  /** The run was longer: only its begin was recorded. */
  get isCut(): boolean {
    return this.steps.cut;
  }

  /** Number of frames; they are numbered from 1. */
  get frameCount(): number {
    return this.steps.frames.length - 1;
  }

  /** @throws RangeError for a place outside of the run */
  step(index: number): Step {
    const { steps } = this;
    if (!Number.isInteger(index) || index < 0 || index >= steps.length)
      throw new RangeError(`There are ${steps.length} steps, and none at ${index}.`);
    const { file, range } = this.placeOf(steps.site[index]!);
    return { index, file, range, frame: steps.frame[index]!, moment: steps.moment[index]! };
  }

  /** The last step at or before a moment; -1 before the first. */
  stepAt(moment: number): number {
    let low = 0;
    let high = this.steps.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.steps.moment[middle]! <= moment) low = middle + 1;
      else high = middle;
    }
    return low - 1;
  }

  /**
   * Where a move from a step leads: `into` what is called there, `over` it, `out` of the frame to its caller, or to the
   * next time that the same statement is reached (`line`).
   *
   * @param by 1 forwards, -1 backwards
   * @returns undefined at the end of what was recorded
   */
  move(from: number, move: Move, by: 1 | -1): number | undefined {
    const step = this.step(from);
    switch (move) {
      case 'into':
        return this.within(from + by);
      case 'over':
        return this.beside(step, by) ?? this.out(step, by);
      case 'out':
        return this.out(step, by);
      case 'line':
        return this.sameSite(from, by);
    }
  }

  /** The first or last step of the frame that a step stands in. */
  edge(from: number, which: 'entry' | 'exit'): number {
    const list = this.byFrame.get(this.step(from).frame)!;
    return which === 'entry' ? list[0]! : list[list.length - 1]!;
  }

  /** @throws RangeError where there is no such frame */
  frame(number: number): WalkFrame {
    const { frames } = this.steps;
    if (!Number.isInteger(number) || number < 1 || number >= frames.length)
      throw new RangeError(`There are ${frames.length - 1} frames, and none with the number ${number}.`);
    const { file, range, name } = this.placeOf(frames.site[number]!);
    const end = this.ends.get(number);
    return {
      number,
      name,
      file,
      range,
      caller: frames.caller[number]!,
      around: frames.around[number]!,
      entered: frames.moment[number]!,
      ...(end && end.how !== 'waits' ? { left: end.moment } : {}),
      how: end?.how ?? 'goes on',
    };
  }

  /** The frames of a step, the innermost first: its own, the one that called it, and so on. */
  stack(index: number): WalkFrame[] {
    const found: WalkFrame[] = [];
    for (let at = this.step(index).frame; at > 0; at = this.steps.frames.caller[at]!) found.push(this.frame(at));
    return found;
  }

  /** Frames that a frame called, in order; those that nothing of ours called for 0. */
  calls(frame: number): WalkFrame[] {
    const { frames } = this.steps;
    const found: WalkFrame[] = [];
    for (let at = Math.max(1, frame + 1); at < frames.length; at++)
      if (frames.caller[at] === frame) found.push(this.frame(at));
    return found;
  }

  /**
   * Variables that a step's code sees, with what they held just before the statement ran: those of its own frame first,
   * then of the frames around the function.
   */
  variables(index: number): Variable[] {
    const { frame, moment } = this.step(index);
    this.known ??= new Variables(this.record, this.steps);
    const list = this.byFrame.get(frame)!;
    const last = list[indexIn(list, index) - 1];
    const before = last === undefined ? (this.steps.frames.moment[frame] ?? 0) : this.steps.moment[last]!;
    return this.known.at(frame, moment, this.siteOf(this.steps.site[index]!).start, before);
  }

  /**
   * The step that gave a variable the value which a step's code sees.
   *
   * @returns undefined where the step sees no such variable, or it has had its value from before the first step
   */
  setBy(index: number, name: string): number | undefined {
    const found = this.variables(index).find((one) => one.name === name);
    return found && this.within(this.stepAt(found.moment));
  }

  private within(index: number): number | undefined {
    return index >= 0 && index < this.steps.length ? index : undefined;
  }

  /** The next step of the same frame. */
  private beside({ index, frame }: Step, by: 1 | -1): number | undefined {
    const list = this.byFrame.get(frame)!;
    return list[indexIn(list, index) + by];
  }

  /** Forwards behind the end of the frame, backwards at the call of it: in the caller, or in what called that. */
  private out({ frame }: Step, by: 1 | -1): number | undefined {
    if (frame === 0) return undefined;
    const { frames } = this.steps;
    const end = this.ends.get(frame)?.moment ?? Infinity;
    const edge = by === 1 ? this.stepAt(end) : this.stepAt(frames.moment[frame]!);
    for (let caller = frames.caller[frame]!; caller > 0; caller = frames.caller[caller]!) {
      const list = this.byFrame.get(caller);
      if (!list) continue;
      const place = indexIn(list, edge);
      const found =
        by === 1 ? list[list[place] !== undefined && list[place]! <= edge ? place + 1 : place] : list[place];
      if (found !== undefined && (by === 1 ? found > edge : found <= edge)) return found;
    }
    return undefined;
  }

  private sameSite(from: number, by: 1 | -1): number | undefined {
    const { steps } = this;
    const site = steps.site[from]!;
    for (let at = from + by; at >= 0 && at < steps.length; at += by) if (steps.site[at] === site) return at;
    return undefined;
  }

  private placeOf(site: number): { file: string; range: Range; name: string } {
    const { file, start, end, name } = this.siteOf(site);
    return { file: file.file, range: file.lines.rangeOf(start, end), name };
  }

  /** A site by its program-wide number. */
  private siteOf(site: number): { file: ProgramFile; start: number; end: number; name: string } {
    const { files } = this;
    let at = files.length - 1;
    while (at > 0 && files[at]!.base > site) at--;
    const file = files[at]!;
    const { start, end, name } = file.sites[site - file.base]!;
    return { file, start, end, name };
  }
}

/** The place of the last entry that is not above a number; -1 where all are. */
function indexIn(list: readonly number[], wanted: number): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle]! <= wanted) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/**
 * Walks through a run.
 *
 * ```ts
 * const record = await runPad({ file: 'tolls.ts', depth: 'steps' });
 * const run = walk(record)!;
 * let at = run.stepAt(record.tests[2]!.error!.moment);
 * at = run.move(at, 'over', -1)!;
 * run.variables(at).map(({ name, value }) => `${name} = ${valueText(value)}`);
 * ```
 *
 * @returns undefined for a record of a run that was not at depth `steps`
 */
export function walk(record: PadRecord): Walk | undefined {
  return record.steps && new Walk(record, record.steps);
}
