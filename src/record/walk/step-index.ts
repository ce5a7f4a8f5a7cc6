/** Steps by their frames, and the ends of frames: what moves look up. */
import { Left } from '../../wire/step-columns.js';
import type { Steps } from '../step-rows.js';

const HOW = { [Left.Returned]: 'returned', [Left.Threw]: 'threw', [Left.Paused]: 'waits' } as const;

export type Ended = 'returned' | 'threw' | 'waits';

export class StepIndex {
  /** Steps in the order of their frames; those of a frame from `first[frame]` up to `first[frame + 1]`. */
  private readonly order: Int32Array;
  private readonly first: Int32Array;
  private readonly ends = new Map<number, { moment: number; how: Ended }>();

  constructor(private readonly steps: Steps) {
    const frames = steps.frames.length;
    const first = (this.first = new Int32Array(frames + 1));
    for (let i = 0; i < steps.length; i++) first[steps.frame[i]! + 1]!++;
    for (let frame = 0; frame < frames; frame++) first[frame + 1]! += first[frame]!;
    const next = first.slice();
    this.order = new Int32Array(steps.length);
    for (let i = 0; i < steps.length; i++) this.order[next[steps.frame[i]!]!++] = i;
    const { left } = steps;
    for (let i = 0; i < left.length; i++) {
      const how = left.how[i] as Left;
      if (how === Left.Resumed) this.ends.delete(left.frame[i]!);
      else this.ends.set(left.frame[i]!, { moment: left.moment[i]!, how: HOW[how] });
    }
  }

  /** How a frame was left last; undefined while it goes on. */
  endOf(frame: number): { moment: number; how: Ended } | undefined {
    return this.ends.get(frame);
  }

  /** The steps of a frame, in order. */
  ofFrame(frame: number): Int32Array {
    return this.order.subarray(this.first[frame]!, this.first[frame + 1]!);
  }

  /** The last step of a frame that is not after a step; its place in {@link ofFrame}, or -1. */
  placeIn(frame: number, step: number): number {
    const list = this.ofFrame(frame);
    let low = 0;
    let high = list.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (list[middle]! <= step) low = middle + 1;
      else high = middle;
    }
    return low - 1;
  }

  /** The last step at or before a moment; -1 before the first. */
  at(moment: number): number {
    return after(this.steps.moment, this.steps.length, moment) - 1;
  }

  /** The frame that is active at a moment, also before its first step; 0 for none of ours. */
  activeAt(moment: number): number {
    const { steps } = this;
    const { frames, left } = steps;
    const step = this.at(moment);
    const since = step < 0 ? -1 : steps.moment[step]!;
    let active = step < 0 ? 0 : steps.frame[step]!;
    let frame = this.frameAfter(since);
    let end = after(left.moment, left.length, since);
    // Between two steps frames begin and end without a step of their own.
    for (;;) {
      const entered = frame < frames.length ? frames.moment[frame]! : Infinity;
      const ended = end < left.length ? left.moment[end]! : Infinity;
      if (Math.min(entered, ended) > moment) return active;
      if (entered <= ended) active = frame++;
      else {
        const gone = left.frame[end]!;
        if ((left.how[end++] as Left) === Left.Resumed) active = gone;
        else if (gone === active || frames.caller[active] !== gone) active = frames.caller[gone]!;
      }
    }
  }

  /** The step at which a moment's code stood: the last of its frame, or of the one that called it. */
  stepOf(moment: number): number {
    // Of the part that is not kept.
    if (moment < (this.steps.folded?.until ?? 0)) return -1;
    const step = this.at(moment);
    for (let frame = this.activeAt(moment); frame > 0; frame = this.steps.frames.caller[frame]!) {
      const place = this.placeIn(frame, step);
      if (place >= 0) return this.ofFrame(frame)[place]!;
    }
    return step;
  }

  /** The first frame that was entered after a moment. */
  frameAfter(moment: number): number {
    const { frames } = this.steps;
    return Math.max(1, after(frames.moment, frames.length, moment));
  }
}

/** The first row of moments that only grow which is after a moment. */
export function after(moments: ArrayLike<number>, length: number, moment: number): number {
  let low = 0;
  let high = length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (moments[middle]! <= moment) low = middle + 1;
    else high = middle;
  }
  return low;
}
