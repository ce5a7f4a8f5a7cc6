/** Where one begins to walk. */
import type { PadRecord } from '../record.js';
import type { Walk } from './walk.js';

/**
 * The step of a failure, or of the run's end: of a test by its name, else of the first that failed, else of the first
 * error.
 *
 * @returns -1 where there is no step; undefined where no test has that name
 */
export function startOf(record: PadRecord, run: Walk, test?: string): number | undefined {
  const named = test === undefined ? undefined : record.tests.find(({ name }) => name === test);
  if (test !== undefined && !named) return undefined;
  const failed = named ?? record.tests.find(({ state, suite }) => state === 'failed' && !suite);
  const moment = failed?.error?.moment ?? record.errors[0]?.moment ?? failed?.moment ?? Infinity;
  return run.length === 0 ? -1 : Math.max(0, run.stepAt(moment));
}
