/**
 * What variables held, step by step: each sample of a name is a write to the binding of one frame. Which frame that is
 * follows from the scopes of the text and from the frames that functions were made in.
 */
import type { Range } from '../../syntax/positions.js';
import { Left } from '../../wire/step-columns.js';
import type { Value } from '../../wire/value.js';
import { type PadRecord, valueAt } from '../record.js';
import type { CarriedWrite, Steps } from '../step-rows.js';
import { type Declared, type Named, namedIn, namedSites } from './declared.js';
import { Objects } from './objects.js';
import type { Places } from './places.js';
import { after } from './step-index.js';

/** A variable as of a step. */
export interface Variable {
  name: string;
  value: Value;
  /** Number of the frame that has it. */
  frame: number;
  /** When it got this value. */
  moment: number;
  /** It got it with the step right before. */
  changed: boolean;
  /** Where in the code it got it; zero-based. */
  file: string;
  range: Range;
}

/** What a variable of one frame was given, in the order of moments. */
interface Writes {
  name: string;
  declared: Declared;
  moments: number[];
  /** Rows of samples; below 0, -1 minus the place among what was carried. */
  rows: number[];
}

/** What variables are made of. */
export type Recorded = Pick<PadRecord, 'program' | 'samples'>;

export class Variables {
  /** By the frame whose variables they are. */
  private readonly writes = new Map<number, Map<Declared, Writes>>();
  readonly objects: Objects;

  constructor(
    private readonly record: Recorded,
    private readonly steps: Steps,
    private readonly places: Places,
  ) {
    this.objects = new Objects(record, steps);
    const sites = namedSites(record.program, places);
    const { writes: carried = [], until = 0 } = steps.folded ?? {};
    for (const [index, { frame, site, moment }] of carried.entries()) {
      const named = sites.get(site);
      if (named && moment < until) this.add(frame, named, moment, -1 - index);
    }
    const activeAt = this.activity();
    const { samples } = record;
    for (let row = 0; row < samples.length; row++) {
      const named = sites.get(samples.site[row]!);
      if (!named) continue;
      const moment = samples.moment[row]!;
      const frame = this.owner(activeAt(moment), named.declared.site);
      // A default of a parameter, before its frame is there: the parameter itself comes right behind.
      if (frame > 0) this.add(frame, named, moment, row);
    }
    for (const [index, one] of carried.entries()) if (one.moment >= until) this.addMet(one, -1 - index, until);
  }

  /**
   * What a variable held when its frame was met, in the middle of what is kept: it has held it from before, if nothing is
   * told to have written it until then. What is in an object is known from there on alone.
   */
  private addMet({ frame, site, moment, value }: CarriedWrite, row: number, until: number): void {
    const named = namedSites(this.record.program, this.places).get(site);
    if (!named) return;
    const known = this.writes.get(frame)?.get(named.declared);
    if (!known) this.add(frame, named, value.identity === undefined ? until - 0.5 : moment, row);
    else if (known.moments[0]! > moment) {
      known.moments.unshift(value.identity === undefined ? until - 0.5 : moment);
      known.rows.unshift(row);
    }
  }

  /**
   * What the code of a frame sees just before a moment.
   *
   * @param offset where the code stands in its file
   * @param before moment of the step of the frame before it
   */
  at(frame: number, moment: number, offset: number, before: number): Variable[] {
    const found: Variable[] = [];
    const seen = new Set<string>();
    const { until = 0 } = this.steps.folded ?? {};
    let arrows = true;
    for (let at = frame; at > 0; at = this.steps.frames.around[at]!) {
      for (const [name, { moments, rows }] of this.seenIn(at, at === frame, offset, arrows, moment)) {
        if (seen.has(name)) continue;
        seen.add(name);
        const last = countBefore(moments, moment) - 1;
        const written = moments[last]!;
        const { site: number, value: given } = this.sampleOf(rows[last]!);
        const value = this.objects.asOf(given, moment);
        const { file, site } = this.places.site(number);
        const isCarried = rows[last]! < 0;
        const changed = (written > before && !isCarried) || this.objects.changedSince(value, before, moment);
        // `this` is there from the head of its function on.
        const range = file.lines.rangeOf(site.start, site.name === 'this' ? site.start : site.end);
        found.push({
          name,
          value,
          frame: at,
          moment: isCarried ? Math.min(written, until - 1) : written,
          changed,
          file: file.file,
          range,
        });
      }
      // A name of this scope whose value from before is not known is not that of a scope further out.
      if (this.steps.frames.moment[at]! < until)
        for (const { named } of namedIn(this.record.program, this.places, this.steps.frames.site[at]!)) {
          const { name, declared } = named;
          if (!declared.isThis && offset >= Math.max(declared.start, declared.from) && offset < declared.end)
            seen.add(name);
        }
      arrows &&= this.places.isArrow(this.steps.frames.site[at]!);
    }
    return found.sort((a, b) => Number(b.changed) - Number(a.changed));
  }

  /** The variables of a frame that code at an offset sees, each of the innermost scope that has its name. */
  private seenIn(frame: number, own: boolean, offset: number, arrows: boolean, moment: number): Map<string, Writes> {
    const found = new Map<string, Writes>();
    for (const writes of this.writes.get(frame)?.values() ?? []) {
      const { name, declared, moments } = writes;
      const { start, end, from, isThis } = declared;
      if ((isThis && !arrows) || offset < start || offset >= end || (own && offset < from)) continue;
      if (moments[0]! >= moment) continue;
      const known = found.get(name)?.declared;
      if (!known || end - start <= known.end - known.start) found.set(name, writes);
    }
    return found;
  }

  /** When the variable of a frame was written that had been at a moment. */
  writesOf(frame: number, name: string, moment: number): readonly number[] {
    for (const writes of this.writes.get(frame)?.values() ?? [])
      if (writes.name === name && writes.moments.includes(moment)) return writes.moments;
    return [];
  }

  /**
   * What is to be carried over when all before a moment is folded: the last write to each variable of a frame, with what
   * its objects held by then.
   *
   * @param kept frames that stay
   */
  carried(moment: number, kept: (frame: number) => boolean): CarriedWrite[] {
    const found: CarriedWrite[] = [];
    const made = new Map<number, Value>();
    for (const [frame, all] of this.writes) {
      if (!kept(frame)) continue;
      for (const { moments, rows } of all.values()) {
        const last = countBefore(moments, moment) - 1;
        if (last < 0) continue;
        const { site, value } = this.sampleOf(rows[last]!);
        found.push({ frame, site, moment: moments[last]!, value: this.objects.asOf(value, moment, 0, made) });
      }
    }
    return found;
  }

  /** Whether a site gives a variable its value. */
  isNamed(site: number): boolean {
    return namedSites(this.record.program, this.places).has(site);
  }

  /** The frames that are active at a moment, the innermost last. */
  stackAt(moment: number): number[] {
    return this.activity((stack) => stack.slice())(moment);
  }

  private add(frame: number, { name, declared }: Named, moment: number, row: number): void {
    let all = this.writes.get(frame);
    if (!all) this.writes.set(frame, (all = new Map()));
    const writes = all.get(declared);
    if (writes) {
      writes.moments.push(moment);
      writes.rows.push(row);
    } else all.set(declared, { name, declared, moments: [moment], rows: [row] });
  }

  private sampleOf(row: number): { site: number; value: Value } {
    if (row < 0) return this.steps.folded!.writes[-1 - row]!;
    return { site: this.record.samples.site[row]!, value: valueAt(this.record.samples, row) };
  }

  /** What the last `return` of a function gave. @param site of the function @param until when its frame had ended */
  returned(site: number, moment: number, until: number): Value | undefined {
    const { file, site: at } = this.places.site(site);
    const { samples } = this.record;
    let found: Value | undefined;
    for (let row = after(samples.moment, samples.length, moment); row < samples.length; row++) {
      if (samples.moment[row]! > until) break;
      const inner = file.sites[samples.site[row]! - file.base];
      if (inner?.kind === 'return' && inner.within === at.id) found = valueAt(samples, row);
    }
    return found;
  }

  /** From a frame outwards to the activation of the function that declares a name; 0 where there is none. */
  private owner(frame: number, declared: number): number {
    const { frames } = this.steps;
    for (let at = frame; at > 0; at = frames.around[at]!) if (frames.site[at] === declared) return at;
    return 0;
  }

  /**
   * The frame that is active at a moment; asked for moments that only grow.
   *
   * @param tell what of the active frames is wanted, the innermost last
   */
  private activity<T = number>(
    tell = (stack: readonly number[]) => (stack[stack.length - 1] ?? 0) as T,
  ): (moment: number) => T {
    const { steps } = this;
    const { frames, left, folded } = steps;
    const stack: number[] = [...(folded?.stack ?? [])];
    const since = folded ? folded.until - 1 : -1;
    const next = {
      step: after(steps.moment, steps.length, since),
      frame: Math.max(1, after(frames.moment, frames.length, since)),
      left: after(left.moment, left.length, since),
    };
    const activate = (frame: number): void => {
      const at = stack.lastIndexOf(frame);
      if (at >= 0) stack.length = at + 1;
      else stack.push(frame);
    };
    return (moment) => {
      for (;;) {
        const step = next.step < steps.length ? steps.moment[next.step]! : Infinity;
        const entered = next.frame < frames.length ? frames.moment[next.frame]! : Infinity;
        const ended = next.left < left.length ? left.moment[next.left]! : Infinity;
        const first = Math.min(step, entered, ended);
        if (first > moment) return tell(stack);
        if (first === entered) stack.push(next.frame++);
        // A frame that goes on tells so at the moment of what it goes on with.
        else if (first === ended) {
          const frame = left.frame[next.left]!;
          if ((left.how[next.left++] as Left) === Left.Resumed) activate(frame);
          else if (stack.includes(frame)) stack.length = stack.lastIndexOf(frame);
        } else {
          const frame = steps.frame[next.step++]!;
          if (frame > 0) activate(frame);
        }
      }
    };
  }
}

/** How many of moments that only grow are before one. */
function countBefore(moments: readonly number[], moment: number): number {
  return after(moments, moments.length, moment - 1);
}
