/** What of the program each test reaches: cells that have counted between its beginning and its end. */
import type { RawTest } from '../../wire/reports.js';
import * as own from '../originals.js';
import type { SiteCounts } from './site-counts.js';

export class ReachedSites {
  /** Counts as a test began, by its number and the unit. */
  private readonly before = own.safeMap<number, Map<number, Float64Array>>();

  constructor(private readonly counts: SiteCounts) {}

  /** A test begins, or has come to its end: then it is told what it has reached. */
  note(test: RawTest): void {
    if (test.suite) return;
    if (test.state === 'running') {
      const then = own.safeMap<number, Float64Array>();
      this.counts.each((unit, cells) => {
        const copy = new Float64Array(cells.length);
        copy.set(cells);
        then.set(unit, copy);
      });
      this.before.set(test.id, then);
      return;
    }
    const then = this.before.get(test.id);
    if (!then) return;
    this.before.delete(test.id);
    const reached: NonNullable<RawTest['reached']> = [];
    this.counts.each((unit, cells) => {
      const known = then.get(unit);
      const found: number[] = [];
      for (let i = 0; i < cells.length; i++) if (cells[i]! > (known?.[i] ?? 0)) own.append(found, i);
      if (found.length > 0) own.append(reached, { unit, cells: found });
    });
    test.reached = reached;
  }
}
