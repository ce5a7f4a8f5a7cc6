/** Which frame called which, and where the steps of a run went. */
import type { Walk, WalkFrame } from './walk.js';

/** A call in the tree. */
export interface Called {
  frame: WalkFrame;
  /** Steps in it and in all that it called. */
  steps: number;
  /** Whether there is more under it. */
  calls: boolean;
}

export class CallTree {
  /** By number of the frame: steps in it and under it; of 0 all. */
  private readonly steps: Float64Array;
  /** Frames by those that called them: the first of one, and the next of the same caller; 0 ends it. */
  private readonly first: Int32Array;
  private readonly next: Int32Array;

  constructor(private readonly run: Walk) {
    const frames = run.frameCount + 1;
    const steps = (this.steps = new Float64Array(frames));
    this.first = new Int32Array(frames);
    this.next = new Int32Array(frames);
    for (let index = 0; index < run.length; index++) steps[run.frameOf(index)]!++;
    // A frame is entered behind the one that called it.
    for (let frame = frames - 1; frame > 0; frame--) {
      const caller = run.callerOf(frame);
      steps[caller]! += steps[frame]!;
      this.next[frame] = this.first[caller]!;
      this.first[caller] = frame;
    }
  }

  /** Steps of all frames. */
  get total(): number {
    return this.steps[0]!;
  }

  /**
   * What a frame called, in order. Frames that are not wanted are passed over: what they called stands in their place.
   *
   * @param frame 0 for what nothing of ours has called
   * @param wanted undefined for all
   * @param from how many are left out ahead
   * @returns at most `most`, and how many there are in all
   */
  under(
    frame: number,
    { wanted, from = 0, most = 200 }: { wanted?: (frame: WalkFrame) => boolean; from?: number; most?: number } = {},
  ): { calls: Called[]; total: number } {
    const calls: Called[] = [];
    let total = 0;
    this.each(frame, wanted, (one) => {
      if (total >= from && calls.length < most) {
        let more = false;
        this.each(one.number, wanted, () => {
          more = true;
          return false;
        });
        calls.push({ frame: one, steps: this.steps[one.number]!, calls: more });
      }
      total++;
      return true;
    });
    return { calls, total };
  }

  /** Visits what a frame called, until `visit` gives false. @returns false once it did */
  private each(
    frame: number,
    wanted: ((frame: WalkFrame) => boolean) | undefined,
    visit: (frame: WalkFrame) => boolean,
  ): boolean {
    const open: number[] = [this.first[frame]!];
    while (open.length > 0) {
      const at = open.pop()!;
      if (at === 0) continue;
      open.push(this.next[at]!);
      const one = this.run.frame(at);
      if (!wanted || wanted(one)) {
        if (!visit(one)) return false;
      } else open.push(this.first[at]!);
    }
    return true;
  }
}
