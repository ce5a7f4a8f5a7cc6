/** What is said of a change in a terminal. */
import { relative } from 'node:path';
import { harmless, type Paint } from './paint.js';

/** One line for a change, and its reasons under it. */
export function eventLines(
  event: { kind: string; file: string; text: string; details: readonly string[] },
  paint: Paint,
  cwd: string,
): string {
  const short = relative(cwd, event.file);
  const colour = event.kind === 'patched' || event.kind === 'reloaded' ? paint.pass : paint.fail;
  return (
    `${paint.bold(short === '' || short.startsWith('..') ? event.file : short)} ` +
    ` ${colour(harmless(event.text))}\n${event.details.map((line) => `    ${harmless(line)}\n`).join('')}`
  );
}
