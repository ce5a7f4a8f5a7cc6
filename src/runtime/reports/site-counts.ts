/** Counts of sites, which the program changes in place, and the times of timed marks. */
import type { Batch } from '../../wire/reports.js';
import * as own from '../originals.js';

export class SiteCounts {
  private readonly units: { unit: number; cells: Float64Array }[] = [];
  private readonly timings = own.safeMap<number, { site: number; total: number; visits: number }>();

  /** @param cells one count for each site of the unit; read whenever counts are told */
  add(unit: number, cells: Float64Array): void {
    if (cells.length > 0) own.append(this.units, { unit, cells });
  }

  remove(unit: number): void {
    let kept = 0;
    for (let i = 0; i < this.units.length; i++) if (this.units[i]!.unit !== unit) this.units[kept++] = this.units[i]!;
    this.units.length = kept;
  }

  /** Calls back with the counts of each unit as they are. */
  each(look: (unit: number, cells: Float64Array) => void): void {
    for (let i = 0; i < this.units.length; i++) look(this.units[i]!.unit, this.units[i]!.cells);
  }

  /**
   * Adds the time of one visit of a timed mark; the sum is exact.
   *
   * @param took milliseconds
   */
  timed(site: number, took: number): void {
    const known = this.timings.get(site);
    if (known) {
      known.total += took;
      known.visits++;
    } else this.timings.set(site, { site, total: took, visits: 1 });
  }

  /** Puts counts and times, as they are now, into a batch. */
  tell(batch: Batch): void {
    const counts: { unit: number; cells: Float64Array }[] = [];
    for (let i = 0; i < this.units.length; i++) {
      const { unit, cells } = this.units[i]!;
      // A copy of its own: the shared counts go on changing.
      const copy = new Float64Array(cells.length);
      copy.set(cells);
      own.append(counts, { unit, cells: copy });
    }
    batch.counts = counts;
    const timings: Batch['timings'] = [];
    this.timings.forEach((timing) => own.append(timings, { ...timing }));
    if (timings.length > 0) batch.timings = timings;
  }
}
