/**
 * Runs at depth `steps` that are longer than what can be kept of them: the first tells its begin and counts the rest, and
 * is then repeated, with telling where it is wanted.
 */
import type { Outside } from '../wire/taken.js';
import type { StepOrder, Warmed } from '../wire/runs.js';
import type { Run } from './runs.js';
import type { SessionOptions } from './options.js';

/** Bytes that a report takes, and the share of the budget that reports may take: they are looked up by more. */
const REPORT_BYTES = 40;
const SHARE = 0.38;
/** Of that, what is told of the begin of a first run: most end within it, and the others are told it in vain. */
const FIRST = 0.5;
/** By how many of the steps that were told there a part is longer that is told to its end. */
const OF_HELD = 0.8 / FIRST;

/** What a run was that can be repeated. */
interface First {
  run: Run;
  outside: Outside;
  /** Steps that the budget holds. */
  held: number;
}

export class Repeating {
  /** Packages that are loaded ahead: those would have the clock and the timers of then, which cannot be given again. */
  readonly ahead: Warmed[] = [];
  private first: First | undefined;
  /** What is asked of the next run. */
  private wanted: StepOrder | undefined;
  private readonly most: number;
  private taken: Outside[] = [];
  /** The first step that was told of the last run. */
  private from = 0;

  constructor({ stepsBytes = 96 * 1024 * 1024 }: Pick<SessionOptions, 'stepsBytes'>) {
    this.most = Math.round((stepsBytes * SHARE) / REPORT_BYTES);
  }

  /** What is asked of a run that begins. */
  orderOf(run: Run): StepOrder {
    const { wanted, first } = this;
    this.wanted = undefined;
    if (wanted && first && isSameText(run, first.run)) {
      run.repeats = true;
      if (!first.run.stop) run.builder.repeats(first.run.builder.steps!.path);
      return wanted;
    }
    this.first = undefined;
    this.taken = [];
    return { most: this.most * FIRST };
  }

  /** What a first run took from outside. */
  take(run: Run, outside: Outside): void {
    if (!run.repeats) this.taken.push(outside);
  }

  /** A run has ended. @returns it is to be repeated, so that its first failure is told, or else its end */
  endsEarly(run: Run): boolean {
    const { steps, failedAt } = run.builder;
    if (!steps) return false;
    // It did not come as far as the part that was to be told: all is told then, as much of it as the budget holds.
    if (run.repeats) return steps.length === 0 && this.from > 0 && this.wantFrom(0, Infinity);
    if (steps.path.over === undefined) return false;
    this.first = { run, outside: joined(this.taken), held: Math.round(steps.length * OF_HELD) };
    // What went wrong is in what was told.
    if (failedAt === -1) return false;
    const last = steps.path.steps - this.first.held;
    return failedAt === undefined || failedAt >= last ? this.wantFrom(last, Infinity) : this.want(failedAt);
  }

  /** A run that is repeated was ended at this step: so is what repeats it. */
  isAtEnd(run: Run): boolean {
    const { first } = this;
    if (!run.repeats || !first?.run.stop) return false;
    return (run.builder.steps?.path.steps ?? 0) >= first.run.builder.steps!.path.steps;
  }

  /** The stop of the run that is repeated. */
  get stop(): Run['stop'] {
    return this.first?.run.stop;
  }

  /** The next run is to repeat the last, and to tell the steps around one. @returns false where none can be repeated */
  want(step: number): boolean {
    const { first } = this;
    if (!first) return false;
    const last = first.run.builder.steps!.path.steps - first.held;
    return this.wantFrom(Math.min(step - (first.held >> 1), last), this.most, step + 1);
  }

  private wantFrom(from: number, most: number, least = 0): boolean {
    if (!this.first) return false;
    this.from = Math.max(0, from);
    this.wanted = { from: this.from, most, least, outside: this.first.outside };
    return true;
  }
}

/** A file that has changed since makes another run of it. */
function isSameText({ linked: now }: Run, { linked: before }: Run): boolean {
  const texts = new Map(before.program.files.map(({ file, lines }) => [file, lines.text]));
  return now.program.files.every(({ file, lines }) => texts.get(file) === lines.text);
}

function joined(parts: readonly Outside[]): Outside {
  const length = parts.reduce((sum, { kind }) => sum + kind.length, 0);
  const all: Outside = {
    kind: new Uint8Array(length),
    number: new Float64Array(length),
    steps: new Float64Array(length),
    rest: parts.flatMap(({ rest }) => rest),
  };
  let at = 0;
  for (const { kind, number, steps } of parts) {
    all.kind.set(kind, at);
    all.number.set(number, at);
    all.steps.set(steps, at);
    at += kind.length;
  }
  return all;
}
