/** Which steps of a run are kept: all, or of a long one a part, which a repetition of the run can lay elsewhere. */
import type { Steps } from '../step-rows.js';
import { after } from './step-index.js';

export class KeptSteps {
  /** Steps before it are those at which frames stood that had begun before what is kept. */
  protected readonly firstKept: number;

  constructor(protected readonly steps: Steps) {
    this.firstKept = steps.folded?.standing.length ?? 0;
  }

  /** Number of steps. */
  get length(): number {
    return this.steps.length;
  }

  /** Steps and frames before the first that is kept: the run was longer than its budget of memory. */
  get folded(): { steps: number; frames: number } {
    const { steps = 0, frames = 0 } = this.steps.folded ?? {};
    return { steps, frames };
  }

  /** Steps of the whole run, whether they are kept or not. */
  get total(): number {
    return Math.max(this.steps.path.steps, this.folded.steps + this.length);
  }

  /** Numbers of the first and the last step that is kept, as of {@link numberOf}; those between are kept too. */
  get kept(): { from: number; to: number } {
    const { steps } = this.folded;
    return { from: steps + this.firstKept + 1, to: steps + this.length };
  }

  /** Whether there are steps in a direction that are not kept. */
  hasMore(by: 1 | -1): boolean {
    return by === 1 ? this.kept.to < this.total : this.kept.from > 1;
  }

  /** A step's place among all steps of the run, kept or not, from 1: the same in each repetition of the run. */
  numberOf(index: number): number {
    return this.steps.folded?.standing[index] ?? this.folded.steps + index + 1;
  }

  /** The step with a number; undefined where it is not kept. */
  withNumber(number: number): number | undefined {
    const index = number - this.folded.steps - 1;
    if (index >= this.firstKept) return index < this.length ? index : undefined;
    const standing = this.steps.folded?.standing.indexOf(number) ?? -1;
    return standing < 0 ? undefined : standing;
  }

  /** Whether a run that repeats another went the same way; undefined where it repeats none, or its end is not known. */
  get isSame(): boolean | undefined {
    const { path, first } = this.steps;
    if (!first) return undefined;
    return first.steps === path.steps && first.mark === path.mark && !first.apart && !path.apart;
  }

  /** The last step at or before a moment; -1 before the first, and where it is not kept. */
  stepAt(moment: number): number {
    const { over = Infinity } = this.steps.path;
    const number = this.steps.noted.get(moment);
    if (number !== undefined) return this.withNumber(number) ?? -1;
    return moment > over && moment < Infinity ? -1 : after(this.steps.moment, this.length, moment) - 1;
  }
}
