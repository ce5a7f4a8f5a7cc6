/** When the record of a run is made and told to whoever listens. */
import type { Outcome } from '../record/record.js';
import type { Clock } from './host.js';
import type { Run } from './runs.js';
import { Records } from './records.js';

/** How often a run that goes on is shown. */
const PROGRESS_MS = 60;

export class Showing {
  readonly records = new Records();

  constructor(private readonly clock: Clock) {}

  /** Shows a run that goes on, but not more often than anybody can see. */
  soon(run: Run): void {
    if (run.pendingEmit) return;
    const now = this.clock.now();
    const wait = run.settled
      ? Math.max(0, 16 - (now - run.emitted))
      : Math.max(0, PROGRESS_MS - (now - Math.max(run.startedAt, run.emitted)));
    this.after(run, wait);
  }

  /** Shows a run in `ms` milliseconds, in place of whenever else it would have been, unless it is over by then. */
  after(run: Run, ms: number): void {
    run.pendingEmit?.();
    run.pendingEmit = this.clock.after(ms, () => {
      run.pendingEmit = undefined;
      if (!run.over) this.show(run);
    });
  }

  /** Makes the record of what is known by now, and tells it. */
  show(run: Run, outcome?: Outcome): void {
    run.pendingEmit?.();
    run.pendingEmit = undefined;
    run.emitted = this.clock.now();
    const record = run.builder.record({
      ended: run.over,
      durationMs: run.durationMs,
      target: run.target,
      ...(run.kept ? { kept: true as const } : {}),
      ...(run.stop ? { stop: run.stop } : {}),
      ...(outcome ? { outcome } : {}),
    });
    this.records.tell(record);
  }
}
