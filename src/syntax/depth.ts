/** Code that is nested so deep that what walks its tree comes to the end of the engine's stack. */
import { AnvilError, type Problem } from './problems.js';

const MESSAGE = 'it is nested too deep to be looked at: some thousand brackets, operators or blocks inside each other';

/** Whether an error is the end of the engine's stack. */
export function isTooDeep(error: unknown): boolean {
  return error instanceof RangeError && /call stack/i.test(error.message);
}

/** The problem of a whole text. */
export function depthProblem(text: string): Problem {
  return { code: 'E_TOO_DEEP', message: MESSAGE, start: 0, end: Math.min(1, text.length) };
}

/**
 * Does something with the tree of a text.
 *
 * @throws AnvilError `E_TOO_DEEP` where the stack does not suffice
 */
export function withinDepth<Result>(action: () => Result): Result {
  try {
    return action();
  } catch (error) {
    if (!isTooDeep(error)) throw error;
    throw new AnvilError('E_TOO_DEEP', MESSAGE, { cause: error });
  }
}
