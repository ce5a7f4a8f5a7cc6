/**
 * Walking through a run that was recorded at depth `steps`: from step to step in either direction, without executing
 * anything again. A step is a statement, a head of a loop, or a chosen part of an expression that a frame came by; a
 * frame is one activation of a function.
 */
import type { Range } from '../../syntax/positions.js';
import type { Value } from '../../wire/value.js';
import type { PadRecord } from '../record.js';
import type { Steps } from '../step-rows.js';
import { Places } from './places.js';
import { conditionsFor, parsePath, type Path, rangeOf, readsOf, type Source } from './sources.js';
import { type Ended, StepIndex } from './step-index.js';
import { Variables, type Variable } from './variables.js';

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
  /** A part of an expression that was chosen: moves over statements pass it by. */
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

export class Walk {
  private readonly index: StepIndex;
  private readonly places: Places;
  private known: Variables | undefined;

  constructor(
    private readonly record: PadRecord,
    private readonly steps: Steps,
  ) {
    this.index = new StepIndex(steps);
    this.places = new Places(record.program);
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
    const { file, site } = this.places.site(steps.site[index]!);
    return {
      index,
      file: file.file,
      range: file.lines.rangeOf(site.start, site.end),
      frame: steps.frame[index]!,
      moment: steps.moment[index]!,
      ...(site.kind === 'branch' ? { part: true as const } : {}),
    };
  }

  /** The last step at or before a moment; -1 before the first. */
  stepAt(moment: number): number {
    return this.index.at(moment);
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
    const list = this.index.ofFrame(this.step(from).frame);
    return which === 'entry' ? list[0]! : list[list.length - 1]!;
  }

  /**
   * The next step, or the one before, that begins on a line of a file, in whatever frame.
   *
   * @param line zero-based
   */
  onLine(from: number, file: string, line: number, by: 1 | -1): number | undefined {
    const found = this.places.file(file);
    if (!found) return undefined;
    const { steps } = this;
    const sites = new Set<number>();
    for (const site of found.sites) if (found.lines.lineAt(site.start) === line) sites.add(found.base + site.id);
    for (let at = from + by; at >= 0 && at < steps.length; at += by) if (sites.has(steps.site[at]!)) return at;
    return undefined;
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

  /**
   * Variables that a step's code sees, with what they held just before it ran: those of its own frame first, then of the
   * frames around the function. Objects have what was in them then.
   */
  variables(index: number): Variable[] {
    const { frame, moment } = this.step(index);
    const place = this.index.placeIn(frame, index);
    const last = this.index.ofFrame(frame)[place - 1];
    const before = last === undefined ? (this.steps.frames.moment[frame] ?? 0) : this.steps.moment[last]!;
    const { site } = this.places.site(this.steps.site[index]!);
    return this.recorded().at(frame, moment, site.start, before);
  }

  /**
   * The step that gave a variable, or a property, the value which a step's code sees.
   *
   * @param path `full`, `lock.levels[0]`, `this.count`
   * @returns undefined where the step sees no such variable, or it has had its value from before the first step
   */
  setBy(index: number, path: string | Path): number | undefined {
    const keys = typeof path === 'string' ? parsePath(path) : path;
    const moment = keys && this.look(index, keys)?.moment;
    return moment === undefined ? undefined : this.within(this.index.stepOf(moment));
  }

  /**
   * What the code of a step read, called, and was led to by, each with the step it comes from.
   *
   * @throws RangeError for a place outside of the run
   */
  sources(index: number): Source[] {
    const { file, site } = this.places.site(this.steps.site[index]!);
    const path = this.places.path(file, site.start, site.end);
    const node = path[path.length - 1];
    if (!node) return [];
    const { paths, calls } = readsOf(node);
    const found: Source[] = [];
    const met = new Set<string>();
    for (const read of paths) {
      const text = file.lines.text.slice(read.node.start, read.node.end);
      const seen = this.look(index, read.path);
      if (!seen || met.has(text)) continue;
      met.add(text);
      const step = seen.moment === undefined ? undefined : this.within(this.index.stepOf(seen.moment));
      const kind = read.path.length > 1 ? 'property' : 'name';
      found.push({
        kind,
        text,
        range: rangeOf(file, read.node),
        value: seen.value,
        ...(step === undefined ? {} : { step }),
      });
    }
    if (calls.length > 0) found.unshift(...this.returns(index));
    const { frame } = this.step(index);
    for (const condition of conditionsFor(path)) {
      const step = this.lastAt(frame, index, file.base, condition);
      if (step === undefined) continue;
      const text = file.lines.line(file.lines.lineAt(condition.start)).trim();
      found.push({ kind: 'condition', text, range: rangeOf(file, condition), step });
      break;
    }
    return found;
  }

  /** The frames that a step called, each with the step at which it ended. */
  private returns(index: number): Source[] {
    const { steps } = this;
    const { frame } = this.step(index);
    const next = this.index.ofFrame(frame)[this.index.placeIn(frame, index) + 1];
    const until = next === undefined ? Infinity : steps.moment[next]!;
    const found: Source[] = [];
    for (let at = this.index.frameAfter(steps.moment[index]!); at < steps.frames.length; at++) {
      if (steps.frames.moment[at]! >= until) break;
      if (steps.frames.caller[at] !== frame) continue;
      const called = this.frame(at);
      const list = this.index.ofFrame(at);
      if (list.length === 0) continue;
      const step = list[list.length - 1]!;
      const value = this.recorded().returned(steps.site[step]!, steps.moment[step]!, called.left ?? Infinity);
      found.push({
        kind: 'call',
        text: called.name.endsWith('()') ? called.name : `${called.name || 'a function without a name'}()`,
        range: called.range,
        ...(value ? { value } : {}),
        step,
      });
    }
    return found.reverse();
  }

  /** The last step of a frame before a step at a node. */
  private lastAt(frame: number, index: number, base: number, node: { start: number; end: number }): number | undefined {
    const list = this.index.ofFrame(frame);
    for (let place = this.index.placeIn(frame, index) - 1; place >= 0; place--) {
      const { file, site } = this.places.site(this.steps.site[list[place]!]!);
      if (file.base === base && site.start === node.start && site.end === node.end) return list[place];
    }
    return undefined;
  }

  /** What stands under a path as a step's code sees it, and when it got there. */
  private look(index: number, [name, ...keys]: Path): { value: Value; moment?: number } | undefined {
    const { moment: now } = this.step(index);
    const variables = this.variables(index);
    const variable = variables.find((one) => one.name === name);
    if (!variable) return undefined;
    let { value } = variable;
    let moment: number | undefined = variable.moment;
    const { objects } = this.recorded();
    for (const one of keys) {
      const { identity } = value;
      const key = one.startsWith('[') ? textOf(variables.find((other) => `[${other.name}]` === one)?.value) : one;
      if (identity === undefined || key === undefined) return undefined;
      const entry =
        value.form === 'array' || value.form === 'typed'
          ? value.entries?.[Number(key)]
          : value.entries?.find((other) => other.key === key);
      if (!entry) return undefined;
      moment = objects.setAt(identity, key, now) ?? objects.seenFirst(identity);
      ({ value } = entry);
    }
    return { value, ...(moment === undefined ? {} : { moment }) };
  }

  private recorded(): Variables {
    return (this.known ??= new Variables(this.record, this.steps, this.places));
  }

  private within(index: number): number | undefined {
    return index >= 0 && index < this.steps.length ? index : undefined;
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
    const edge =
      by === 1 ? this.stepAt(this.index.endOf(frame)?.moment ?? Infinity) : this.stepAt(frames.moment[frame]!);
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

function textOf(value: Value | undefined): string | undefined {
  return value && (value.type === 'string' || value.type === 'number') ? value.text : undefined;
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
