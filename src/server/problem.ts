/** Errors as windows are told of them. */
import { AnvilError } from '../syntax/problems.js';

export interface ProblemMessage {
  type: 'problem';
  code: string;
  message: string;
}

/**
 * What a window is told of an error. One that nobody thought of is reported in the terminal too: nothing that comes from
 * a window, a pad, a page or a disk ends the server.
 *
 * @param code of an error that is none of ours, where it is known what it comes from
 */
export function problemOf(error: unknown, code = 'E_INTERNAL'): ProblemMessage {
  if (error instanceof AnvilError) return { type: 'problem', code: error.code, message: error.message };
  if (code !== 'E_INTERNAL') return { type: 'problem', code, message: String(error) };
  const { message, stack } = error instanceof Error ? error : new Error(String(error));
  console.error(stack);
  return {
    type: 'problem',
    code,
    message: `Something went wrong in usher-anvil itself: ${message}. What is typed is kept.`,
  };
}
