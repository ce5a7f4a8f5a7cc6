/** What a run reports at depth `steps`, as columns: frames, how they ended, and the statements that they came by. */
import { isArray } from './typed-arrays.js';

/** How a frame was left, or that it goes on. */
export const enum Left {
  Returned = 0,
  Threw = 1,
  /** It waits, or has given a value and is asked for the next. */
  Paused = 2,
  Resumed = 3,
}

export interface StepColumns {
  /** Statements that were begun. Sites are program-wide numbers. */
  steps: { site: Int32Array; frame: Int32Array; moment: Float64Array };
  /** Number of the first frame here; the others follow on it. Numbers begin at 1. */
  first: number;
  /** Frames that were entered: the function's site, the frame that called (0: none of ours), and the one around it. */
  entered: { site: Int32Array; caller: Int32Array; around: Int32Array; moment: Float64Array };
  left: { frame: Int32Array; how: Uint8Array; moment: Float64Array };
  /**
   * Writes to properties: the place, the object's identity, and the key by its number; 0 where more than one may have
   * changed. The value is that of the sample right behind.
   */
  wrote: { site: Int32Array; object: Int32Array; key: Int32Array; moment: Float64Array };
  /** Keys that were not told before; numbers begin at 1. */
  keys: string[];
}

/** True for columns whose rows can be read. */
export function isStepColumns(given: unknown): given is StepColumns {
  if (typeof given !== 'object' || given === null) return false;
  const { steps, first, entered, left, wrote, keys } = given as StepColumns;
  return (
    typeof first === 'number' &&
    areColumns(steps, { site: 'Int32Array', frame: 'Int32Array', moment: 'Float64Array' }) &&
    areColumns(entered, { site: 'Int32Array', caller: 'Int32Array', around: 'Int32Array', moment: 'Float64Array' }) &&
    areColumns(wrote, { site: 'Int32Array', object: 'Int32Array', key: 'Int32Array', moment: 'Float64Array' }) &&
    Array.isArray(keys) &&
    keys.every((key) => typeof key === 'string') &&
    areColumns(left, { frame: 'Int32Array', how: 'Uint8Array', moment: 'Float64Array' })
  );
}

function areColumns(given: object | undefined, kinds: Readonly<Record<string, string>>): boolean {
  if (typeof given !== 'object' || given === null) return false;
  let length = -1;
  for (const name of Object.keys(kinds)) {
    const column = (given as Record<string, { length: number }>)[name];
    if (!isArray(kinds[name] as 'Int32Array', column)) return false;
    if (length >= 0 && column!.length !== length) return false;
    ({ length } = column!);
  }
  return true;
}
