/** Versions of functions that report, in a live program: their counts and their probes. */
import type { ModuleCode, Observe } from '../../wire/modules.js';
import * as own from '../originals.js';
import type { PatchTable } from '../patches/table.js';
import { type ConsolePlace, type Probes, makeProbes } from '../probes.js';
import { stopProbes, type StopProbes } from '../pausing/probes.js';
import type { Reporter } from '../reports/reporter.js';

export class ObservedUnits {
  /** Stops at breakpoints in versions that report. */
  pauses: StopProbes | undefined;
  private readonly probes = own.safeMap<number, Probes>();

  constructor(
    private readonly patches: PatchTable,
    private readonly reporter: Reporter,
    private readonly place: ConsolePlace,
  ) {
    patches.probes = (unit) => this.probes.get(unit);
  }

  /**
   * Puts versions that report into a live program, beside its changes.
   *
   * @param inTime asked after each step; the steps behind are left when it is false
   * @returns steps that could not be taken, and how many were tried
   */
  observe(
    { units, gone, ...steps }: Observe,
    inTime?: () => boolean,
  ): { failed: { step: number; error: unknown }[]; taken: number } {
    for (const { unit, functions, ...module } of units) {
      // No thread reads these: a live program is never ended for not answering.
      const cells = new Float64Array(module.owners.length);
      this.reporter.counts.add(unit, cells);
      this.probes.set(unit, {
        ...makeProbes(this.reporter, this.place, cells, { ...module, kept: [] }),
        ...stopProbes(this.pauses, unit, functions),
      });
    }
    const observed = this.patches.observe(steps, inTime);
    for (const unit of gone) {
      this.probes.delete(unit);
      this.pauses?.forget(unit);
      this.reporter.counts.remove(unit);
    }
    return observed;
  }

  /** Probes of a module, with those of breakpoints where its code has some. */
  withStops({ stops, unit }: Pick<ModuleCode, 'stops' | 'unit'>, probes: Probes): Probes {
    return stops ? { ...probes, ...stopProbes(this.pauses, unit, 0) } : probes;
  }

  /** The values of the next visits are wanted, however rare samples have become. */
  refresh(): void {
    this.probes.forEach((probes) => probes.refresh());
  }
}
