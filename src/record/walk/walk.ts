/**
 * Walking through a run that was recorded at depth `steps`: from step to step in either direction, without executing
 * anything again. A step is a statement, a head of a loop, or a chosen part of an expression that a frame came by; a
 * frame is one activation of a function.
 */
import type { Range } from '../../syntax/positions.js';
import type { Value } from '../../wire/value.js';
import type { PadRecord } from '../record.js';
import type { Steps } from '../step-rows.js';
import { KeptSteps } from './kept-steps.js';
import { type Places, placesOf } from './places.js';
import type { Source } from './sources.js';
import { type Ended, StepIndex } from './step-index.js';
import { StepValues } from './values.js';
import type { Variable } from './variables.js';

/** Of a walk as JSON. */
export const WALK_FORMAT = 'usher-anvil/walk@1';

/** A place that a frame came by. */
export interface Step {
  /** Its place among all steps, from 0. */
  index: number;
  file: string;
  /** Zero-based; of the statement or expression. */
  range: Range;
  /** Number of its frame; 0 where it ran in none of ours. */
  frame: number;
  moment: number;
  /** A chosen part of an expression, a default, a first value of a field: moves over statements pass it by. */
  part?: true;
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
  how: 'goes on' | Ended;
}

/** Ways to move; each forwards (1) and backwards (-1). */
export type Move = 'into' | 'over' | 'out' | 'line';

export class Walk extends KeptSteps {
  private readonly index: StepIndex;
  private readonly places: Places;
  private readonly values: StepValues;

  constructor(record: PadRecord, steps: Steps) {
    super(steps);
    this.index = new StepIndex(steps);
    this.places = placesOf(record.program);
    this.values = new StepValues(record, steps, this.index, this.places);
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
    const { file, site } = this.places.site(steps.site[index]!);
    return {
      index,
      file: file.file,
      range: file.lines.rangeOf(site.start, site.end),
      frame: steps.frame[index]!,
      moment: steps.moment[index]!,
      ...(this.places.isPart(steps.site[index]!) ? { part: true as const } : {}),
    };
  }

  /**
   * Where a move from a step leads: `into` what comes next, be it a part of its expression or in what it calls, `over`
   * it to the next statement of the frame, `out` of the frame to its caller, or to the next time that the same place is
   * reached (`line`).
   *
   * @param by 1 forwards, -1 backwards
   * @returns undefined at the end of what was recorded
   * @throws RangeError for a place outside of the run
   */
  move(from: number, move: Move, by: 1 | -1): number | undefined {
    const step = this.step(from);
    switch (move) {
      case 'into':
        return this.within(from + by, by);
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
    const list = this.index.ofFrame(this.step(from).frame);
    return which === 'entry' ? list[0]! : list[list.length - 1]!;
  }

  /** The first step of a frame; undefined for one that came by no statement. */
  firstIn(frame: number): number | undefined {
    return this.index.ofFrame(frame)[0];
  }

  /**
   * The next step, or the one before, that begins on a line of a file, in whatever frame.
   *
   * @param line zero-based
   */
  onLine(from: number, file: string, line: number, by: 1 | -1): number | undefined {
    const found = this.places.file(file);
    if (!found) return undefined;
    const sites = new Set<number>();
    for (const site of found.sites) if (found.lines.lineAt(site.start) === line) sites.add(found.base + site.id);
    return this.nextOf(sites, from, by);
  }

  private nextOf(sites: ReadonlySet<number>, from: number, by: 1 | -1): number | undefined {
    const { steps } = this;
    for (let at = from + by; at >= 0 && at < steps.length; at += by) if (sites.has(steps.site[at]!)) return at;
    return undefined;
  }

  /**
   * The next step, or the one before, of a part of the code: the first step inside of it, or, where nothing in it is a step
   * of its own, of what it is a part of.
   *
   * @param file path of the file @param range zero-based
   */
  inCode(from: number, file: string, range: Range, by: 1 | -1): number | undefined {
    const found = this.places.file(file);
    if (!found) return undefined;
    const [start, end] = [found.lines.offsetAt(range.start), found.lines.offsetAt(range.end)];
    const reached = new Set(this.steps.site);
    const sites = found.sites.filter((site) => reached.has(found.base + site.id));
    const inside = sites.filter((site) => site.start >= start && site.end <= end);
    const around = sites.filter((site) => site.start <= start && site.end >= end);
    const smallest = Math.min(...around.map((site) => site.end - site.start));
    const wanted = inside.length > 0 ? inside : around.filter((site) => site.end - site.start === smallest);
    return this.nextOf(new Set(wanted.map((site) => found.base + site.id)), from, by);
  }

  /** The first step inside of a function that is written in the code of a step, and was called by it or through it. */
  callback(from: number): number | undefined {
    const { steps } = this;
    const { frame } = this.step(from);
    const { file, site } = this.places.site(steps.site[from]!);
    const end = this.beside(this.step(from), 1) ?? steps.length;
    for (let at = from + 1; at < end; at++) {
      const inner = steps.frame[at]!;
      if (inner === 0 || inner === frame || steps.frames.around[inner] !== frame) continue;
      const made = this.places.site(steps.frames.site[inner]!);
      if (made.file === file && made.site.start >= site.start && made.site.end <= site.end) return at;
    }
    return undefined;
  }

  /** The frame that a step stands in, and the one that called a frame: numbers; 0 for none of ours. */
  frameOf(index: number): number {
    return this.steps.frame[index]!;
  }

  callerOf(frame: number): number {
    return this.steps.frames.caller[frame]!;
  }

  /** @throws RangeError where there is no such frame */
  frame(number: number): WalkFrame {
    const { frames } = this.steps;
    if (!Number.isInteger(number) || number < 1 || number >= frames.length)
      throw new RangeError(`There are ${frames.length - 1} frames, and none with the number ${number}.`);
    const { file, site } = this.places.site(frames.site[number]!);
    const end = this.index.endOf(number);
    return {
      number,
      name: site.name,
      file: file.file,
      range: file.lines.rangeOf(site.start, site.end),
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

  /** The frames that a step called, in order. */
  calledAt(index: number): WalkFrame[] {
    this.step(index);
    return this.values.called(index).map((number) => this.frame(number));
  }

  /** The code of a step. */
  textAt(index: number): string {
    const { file, site } = this.places.site(this.steps.site[this.step(index).index]!);
    return file.lines.text.slice(site.start, site.end);
  }

  /** Zero-based lines inside of a frame's function on which statements begin that the frame did not come by. */
  unreached(frame: number): number[] {
    const { file, site: own } = this.places.site(this.steps.frames.site[frame]!);
    const reached = new Set<number>();
    for (const step of this.index.ofFrame(frame))
      reached.add(file.lines.lineAt(this.places.site(this.steps.site[step]!).site.start));
    const lines = new Set<number>();
    for (const { kind, start, within } of file.sites)
      if (kind === 'statement' && within === own.id && !reached.has(file.lines.lineAt(start)))
        lines.add(file.lines.lineAt(start));
    return [...lines];
  }

  /** The step of a frame that stands before a step, or is it: where a caller is while what it called runs. */
  standing(frame: number, index: number): number | undefined {
    const place = this.index.placeIn(frame, index);
    return place < 0 ? undefined : this.index.ofFrame(frame)[place];
  }

  /** Frames that a frame called, in order; those that nothing of ours called for 0. */
  calls(frame: number): WalkFrame[] {
    const { frames } = this.steps;
    const found: WalkFrame[] = [];
    for (let at = Math.max(1, frame + 1); at < frames.length; at++)
      if (frames.caller[at] === frame) found.push(this.frame(at));
    return found;
  }

  /** The steps of all files whose places satisfy a test, in order. @param wanted is asked once for each place */
  where(wanted: (file: string, range: Range, function_: string) => boolean): Int32Array {
    const { steps } = this;
    const answers = new Map<number, boolean>();
    const found: number[] = [];
    for (let at = 0; at < steps.length; at++) {
      const number = steps.site[at]!;
      let answer = answers.get(number);
      if (answer === undefined) {
        const { file, site } = this.places.site(number);
        const inside = file.sites[site.within]?.name ?? 'module';
        answer = wanted(file.file, file.lines.rangeOf(site.start, site.end), inside);
        answers.set(number, answer);
      }
      if (answer) found.push(at);
    }
    return Int32Array.from(found);
  }

  /**
   * Variables that a step's code sees, with what they held just before it ran: those of its own frame first, then of the
   * frames around the function. Objects have what was in them then.
   *
   * @param outer one of the step's frames further out: what its code saw while it waited for what it had called
   * @throws RangeError for a place outside of the run
   */
  variables(index: number, outer?: number): Variable[] {
    return this.values.variables(this.step(index).index, outer);
  }

  /**
   * The step that gave a variable, or a property, the value which a step's code sees.
   *
   * @param path `full`, `lock.levels[0]`, `this.count`
   * @returns undefined where the step sees no such variable, or it has had its value from before the first step
   */
  setBy(index: number, path: string): number | undefined {
    return this.values.setBy(this.step(index).index, path);
  }

  /** The first step behind one that gives a variable, or a property, another value; paths as of {@link setBy}. */
  setNext(index: number, path: string): number | undefined {
    return this.writes(index, path).find((step) => step > index);
  }

  /**
   * The steps that gave a variable or a property a value, in order: all of the run, of the binding or the object that a
   * step's code sees.
   *
   * @param path `full`, `lock.levels[0]`, `this.count`
   */
  writes(index: number, path: string): number[] {
    return this.values.writes(this.step(index).index, path);
  }

  /**
   * What an expression gives at a step, without executing anything.
   *
   * @param outer as of {@link variables}
   * @throws AnvilError `E_EXPRESSION` for one that does not parse, would execute code, or needs what was not recorded
   */
  evaluate(index: number, text: string, outer?: number): Value {
    return this.values.evaluate(this.step(index).index, text, outer);
  }

  /**
   * What the code of a step read, called, and was led to by, each with the step it comes from.
   *
   * @throws RangeError for a place outside of the run
   */
  sources(index: number): Source[] {
    return this.values.sources(this.step(index).index);
  }

  /** A moment at which an object was reported by itself, by its identity: the program is asked for more of it there. */
  reported(identity: number): number | undefined {
    return this.values.reported(identity);
  }

  private within(index: number, by: 1 | -1): number | undefined {
    if (by === 1) return index < this.length ? Math.max(index, this.firstKept) : undefined;
    return index >= this.firstKept ? index : undefined;
  }

  /** The next statement of the same frame. */
  private beside({ index, frame }: Step, by: 1 | -1): number | undefined {
    const list = this.index.ofFrame(frame);
    let place = this.index.placeIn(frame, index) + by;
    while (list[place] !== undefined && this.places.isPart(this.steps.site[list[place]!]!)) place += by;
    return list[place];
  }

  /** Forwards behind the end of the frame, backwards at the call of it: in the caller, or in what called that. */
  private out({ frame }: Step, by: 1 | -1): number | undefined {
    if (frame === 0) return undefined;
    const { frames } = this.steps;
    const { until = 0 } = this.steps.folded ?? {};
    const entered = frames.moment[frame]!;
    // A frame from before what is kept: those that called it stand ahead of all steps.
    const call = entered < until ? this.firstKept - 1 : this.stepAt(entered);
    const edge = by === 1 ? this.stepAt(this.index.endOf(frame)?.moment ?? Infinity) : call;
    for (let caller = frames.caller[frame]!; caller > 0; caller = frames.caller[caller]!) {
      const list = this.index.ofFrame(caller);
      const place = this.index.placeIn(caller, edge) + (by === 1 ? 1 : 0);
      if (list[place] !== undefined) return list[place];
    }
    return undefined;
  }

  private sameSite(from: number, by: 1 | -1): number | undefined {
    const { steps } = this;
    const site = steps.site[from]!;
    for (let at = from + by; at >= 0 && at < steps.length; at += by) if (steps.site[at] === site) return at;
    return undefined;
  }
}

/**
 * Walks through a run.
 *
 * ```ts
 * const record = await runPad({ file: 'tolls.ts', depth: 'steps' });
 * const run = walk(record)!;
 * let at = startOf(record, run);
 * at = run.move(at, 'over', -1)!;
 * run.variables(at).map(({ name, value }) => `${name} = ${valueText(value)}`);
 * run.sources(at); // what it read and called, each with the step it comes from
 * ```
 *
 * @returns undefined for a record of a run that was not at depth `steps`
 */
export function walk(record: PadRecord): Walk | undefined {
  return record.steps && new Walk(record, record.steps);
}
