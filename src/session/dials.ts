/** Dials of a pad: what they are turned to. Values that come faster than runs are skipped but for the last. */
import type { Clock } from './host.js';
import type { Run } from './runs.js';

/** Milliseconds between two runs of a dial that is turned: thirty a second. */
const TURN_MS = 33;

/** A run that takes longer is cancelled for the next value. */
const TURN_PATIENCE_MS = 250;

export class Dials {
  private waiting: { cancel: () => void; go: () => void } | undefined;

  constructor(
    private readonly clock: Clock,
    private readonly values: Map<string, string | number | boolean>,
    /** The run that goes on, if any. */
    private readonly run: () => Run | undefined,
    /** Runs with what is turned to now. */
    private readonly begin: () => void,
  ) {}

  /** What dials are turned to. */
  get turned(): ReadonlyMap<string, string | number | boolean> {
    return this.values;
  }

  /** They stand where the source says from the next run on. */
  forget(): void {
    this.values.clear();
  }

  /** They stand again where the source says: the pad executes. */
  reset(): void {
    this.values.clear();
    this.begin();
  }

  /** Turns one: the pad executes with its new value. */
  turn(name: string, value: string | number | boolean): void {
    this.values.set(name, value);
    const run = this.run();
    if (this.waiting) return;
    const since = this.clock.now() - (run?.startedAt ?? 0);
    const busy = run !== undefined && !run.settled && !run.over && since < TURN_PATIENCE_MS;
    const wait = busy ? TURN_PATIENCE_MS - since : Math.max(0, TURN_MS - since);
    const go = (): void => {
      this.waiting = undefined;
      this.begin();
    };
    if (wait <= 0) go();
    else this.waiting = { cancel: this.clock.after(wait, go), go };
  }

  /** A run has come to its end: what was turned meanwhile begins, a little apart. */
  runEnded(run: Run): void {
    const { waiting } = this;
    if (!waiting) return;
    waiting.cancel();
    const wait = Math.max(4, TURN_MS - (this.clock.now() - run.startedAt));
    this.waiting = { ...waiting, cancel: this.clock.after(wait, waiting.go) };
  }
}
