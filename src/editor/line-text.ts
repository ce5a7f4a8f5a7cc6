/** What stands behind a line, as one line of text. */
import type { MarginItemMessage } from '../server/protocol.js';

/** @param most characters; what is longer is cut, and ends so */
export function lineText(items: readonly MarginItemMessage[], most: number): string {
  const whole = items
    .map(({ text, count }) => (count === undefined ? text : `${text} ${count}`))
    .join(' · ')
    .replace(/\s*\n\s*/g, '↵');
  return whole.length > most ? `${whole.slice(0, most - 1)}…` : whole;
}
