/** After runs in a thread whose packages an earlier run has loaded: one in a thread of its own, once nobody types. */
import type { Clock } from './host.js';

/** Milliseconds after a run in which nobody may have typed. */
const REST_MS = 1_000;

export class CleanRuns {
  private waiting: (() => void) | undefined;

  constructor(
    private readonly clock: Clock,
    private readonly begin: () => void,
  ) {}

  /** A run with packages of an earlier one has come to its end. */
  ended(): void {
    this.cancel();
    this.waiting = this.clock.after(REST_MS, () => {
      this.waiting = undefined;
      this.begin();
    });
  }

  cancel(): void {
    this.waiting?.();
    this.waiting = undefined;
  }
}
