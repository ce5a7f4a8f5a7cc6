/** Where one begins to walk. */
import type { PadRecord } from '../record.js';
import type { Walk } from './walk.js';

/**
 * The step of a failure, or of the run's end: of a test by its name, or with
 * the suites around it before it (`fares > a discount`), else of the first that failed, else of the first
 * error.
 *
 * @returns -1 where there is no step; undefined where no test has that name
 */
export function startOf(record: PadRecord, run: Walk, test?: string): number | undefined {
  const called = record.tests.filter((one) => one.name === test || [...one.path, one.name].join(' > ') === test);
  const named = called.find(({ state }) => state !== 'skipped') ?? called[0];
  if (test !== undefined && !named) return undefined;
  const failed = named ?? record.tests.find(({ state, suite }) => state === 'failed' && !suite);
  const moment = failed?.error?.moment ?? record.errors[0]?.moment ?? failed?.moment ?? Infinity;
  return run.length === 0 ? -1 : Math.max(0, run.stepAt(moment));
}
