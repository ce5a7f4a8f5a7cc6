/** The time limit of a run. */
import type { Stop } from '../record/record.js';
import type { Clock } from './host.js';
import type { Run } from './runs.js';
import { overdueText } from './stop.js';

/** Milliseconds in which a target's watcher tells where it was. */
const TOLD_MS = 400;

/** The end of a run whose time is up. */
export function overdue(run: Run, ms: number): Stop {
  return { reason: 'time-limit', message: overdueText(run.builder.pending.places(), ms) };
}

/** Ends a run at its time limit; none where it is not finite. */
export function limitRun(
  run: Run,
  { clock, ms, isCurrent }: { clock: Clock; ms: number; isCurrent: () => boolean },
  end: (stop: Stop) => void,
): void {
  if (!Number.isFinite(ms)) return;
  // One that was begun in a worker and goes on in a process has one already.
  run.limit?.();
  run.limit = clock.after(ms, () => {
    if (!isCurrent()) return;
    // The target's watcher tells where it was; should it be gone too, the run ends all the same.
    run.handle?.expire();
    run.limit = clock.after(TOLD_MS, () => {
      if (isCurrent()) end(overdue(run, ms));
    });
  });
}
