/** Where something stands, for a window. */
import type { LocationMessage } from '../../protocol.js';

/**
 * Names a file and a position in the text that a window shows.
 *
 * @param asIs the position is one in that text already
 */
export type Locate = (file: string, at: { line: number; character: number }, asIs?: boolean) => LocationMessage;

/** The place of a frame, as a property that is left out where there is none. */
export function located(
  locate: Locate,
  frame: { file: string; line: number; character: number } | undefined,
): { at?: LocationMessage } {
  if (!frame) return {};
  return { at: locate(frame.file, { line: Math.max(0, frame.line), character: Math.max(0, frame.character) }) };
}
