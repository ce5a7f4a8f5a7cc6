/** Where one begins to walk. */
import type { PadRecord, RecordError } from '../record.js';
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

/**
 * The steps of the first place that begins on a line of a file, in order.
 *
 * @param line zero-based
 * @param column what begins before it on that line does not count
 */
export function stepsOnLine(run: Walk, file: string, line: number, column = 0): Int32Array {
  let first = Infinity;
  const on = run.where((name, { start }) => {
    if (name !== file || start.line !== line || start.character < column) return false;
    first = Math.min(first, start.character);
    return true;
  });
  return on.filter((step) => run.step(step).range.start.character === first);
}

/**
 * The nth step that begins on a line of a file: of several places that begin there, the first counts.
 *
 * @param line zero-based
 * @param visit from 1
 */
export function visitOf(run: Walk, file: string, line: number, visit: number): number | undefined {
  return stepsOnLine(run, file, line)[visit - 1];
}

/** The error, or what failed a test, that came up at a step. */
export function errorAt({ errors, tests }: PadRecord, run: Walk, step: number): RecordError | undefined {
  const all = [...errors, ...tests.flatMap(({ error }) => (error ? [error] : []))];
  return all.find(({ moment }) => run.stepAt(moment) === step);
}

/** The last step of the call that painted a pixel: its first two parameters are the coordinates. */
export function pixelOf(run: Walk, x: number, y: number): number | undefined {
  for (let frame = run.frameCount; frame > 0; frame--) {
    const first = run.firstIn(frame);
    if (first === undefined) continue;
    const numbers = run
      .variables(first)
      .filter((one) => one.frame === frame && one.value.type === 'number')
      .sort((a, b) => a.moment - b.moment)
      .map(({ value }) => Number(value.text));
    if (numbers[0] === x && numbers[1] === y) return run.edge(first, 'exit');
  }
  return undefined;
}
