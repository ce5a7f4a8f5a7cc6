/** Values held over re-executions, by what they depend on. */
import type { Batch } from '../wire/reports.js';
import type { Run } from './runs.js';

/** Kept values of one session. */
const MOST_KEPT = 40;

export class KeptValues {
  private readonly kept = new Map<string, { value: unknown; since: number }>();

  /** @param now milliseconds */
  constructor(private readonly now: () => number) {}

  clear(): void {
    this.kept.clear();
  }

  /** Puts the values that still hold into the program, and notes their ages. */
  give(run: Run): void {
    const { modules, keeps } = run.linked;
    for (const { unit, id, site, key } of keeps) {
      const held = this.kept.get(run.around + key);
      const module = modules.find((one) => one.unit === unit);
      if (!held || !module) continue;
      module.kept = [...module.kept.filter((one) => one.id !== id), { id, value: held.value }];
      run.builder.keep(site, { ageMs: this.now() - held.since });
    }
  }

  /** Takes values that a run has to keep, or why one cannot be. */
  take(run: Run, list: NonNullable<Batch['kept']>): void {
    for (const { site, value, why } of list) {
      const keep = run.linked.keeps.find((one) => one.site === site);
      if (!keep) continue;
      if (why === undefined) {
        this.kept.delete(run.around + keep.key);
        this.kept.set(run.around + keep.key, { value, since: this.now() });
        // The oldest goes first: texts that are left behind leave values behind.
        for (const key of this.kept.keys()) if (this.kept.size > MOST_KEPT) this.kept.delete(key);
      }
      run.builder.keep(site, why === undefined ? { ageMs: 0 } : { why });
    }
  }
}
