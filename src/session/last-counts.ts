/** How far a run has counted, for when it is ended from outside. */
import type { Batch } from '../wire/reports.js';
import type { RawStop } from '../wire/runs.js';

/** Cells that are told of a run that was ended. */
const MOST_ACTIVE = 200;

/** What a run has counted, and where it counted last: there it was when it was ended. */
export class LastCounts {
  private readonly cells = new Map<number, Float64Array>();
  private readonly before = new Map<number, Float64Array>();

  note({ counts = [] }: Batch): void {
    for (const { unit, cells } of counts) {
      const known = this.cells.get(unit);
      if (known) this.before.set(unit, known);
      this.cells.set(unit, cells);
    }
  }

  get stop(): Pick<RawStop, 'active' | 'counts'> {
    return {
      active: activeCells({ cells: this.cells, before: this.before }),
      counts: [...this.cells].map(([unit, cells]) => ({ unit, cells })),
    };
  }
}

/** Cells that have counted since then, those that counted most first. */
export function activeCells({
  cells,
  before,
}: {
  cells: ReadonlyMap<number, Float64Array>;
  before: ReadonlyMap<number, Float64Array>;
}): NonNullable<RawStop['active']> {
  const active: NonNullable<RawStop['active']> = [];
  for (const [unit, counts] of cells) {
    const then = before.get(unit);
    for (let cell = 0; cell < counts.length; cell++) {
      const by = counts[cell]! - (then?.[cell] ?? 0);
      if (by > 0) active.push({ unit, cell, by });
    }
  }
  return active.sort((a, b) => b.by - a.by).slice(0, MOST_ACTIVE);
}
