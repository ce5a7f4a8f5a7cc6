/** Gets a thread ready before its pad comes. */
import { Target } from '../../../runtime/target.js';
import type { TargetEngine } from '../../../runtime/target-engine.js';
import type { PadData } from '../../../wire/messages.js';
import type { ModuleCode } from '../../../wire/modules.js';
import { putUp } from './frameworks/environment.js';
import { putWorkerState } from './frameworks/vitest-state.js';
import type { ImportFrom } from './importing.js';

/** Loads what the last run imported; gives the milliseconds that took. What fails here fails again, and loudly, when the pad imports it. */
export async function warm(
  importer: (from: string) => ImportFrom,
  packages: PadData['warm'],
  now: () => number,
): Promise<number> {
  const began = now();
  const vitest = packages.find(({ specifier }) => specifier === 'vitest');
  if (vitest) putWorkerState(vitest.from);
  let takeAway = (): void => undefined;
  for (const { specifier, from, around } of packages) {
    try {
      if (around)
        takeAway = await putUp({ file: from, framework: around.name, settings: undefined, ...around, importer });
      else await importer(from)(specifier);
    } catch {
      // Reported by the run.
    }
  }
  takeAway();
  return now() - began;
}

/** Runs the rehearsal with reports that go nowhere. */
export async function rehearse(engine: TargetEngine, modules: ModuleCode[]): Promise<void> {
  if (modules.length === 0) return;
  const own: TargetEngine = {
    ...engine,
    send: () => undefined,
    console: undefined,
    cells: (_unit, count) => new Float64Array(Math.max(1, count)),
  };
  // What stops belongs to the pad alone.
  delete own.pauses;
  const stage = new Target(own);
  await stage.run(modules, modules[0]!.file);
}
