/** A place in a walk, and the way there: moves back lead exactly to where one came from. */
import type { Move, Walk } from './walk.js';

export class Walker {
  /** Steps that were left by a move, with how; the last is the newest. */
  private trail: { from: number; move: Move; by: 1 | -1 }[] = [];

  /** @param at the step to begin at */
  constructor(
    readonly walk: Walk,
    private place: number,
  ) {}

  /** The step one stands at. */
  get at(): number {
    return this.place;
  }

  /** Moves. @returns false at the end of what was recorded: the place stays */
  go(move: Move, by: 1 | -1): boolean {
    const last = this.trail[this.trail.length - 1];
    // The same move the other way takes the last one back, also where it led out of a frame.
    if (last?.move === move && last.by === -by) {
      this.trail.pop();
      this.place = last.from;
      return true;
    }
    const to = this.walk.move(this.place, move, by);
    if (to === undefined) return false;
    this.trail.push({ from: this.place, move, by });
    this.place = to;
    return true;
  }

  /** To a step, without a way back. */
  jump(to: number): void {
    this.trail = [];
    this.place = this.walk.step(to).index;
  }
}
