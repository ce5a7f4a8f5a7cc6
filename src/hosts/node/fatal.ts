/** The text with which Node ends a program over an error, in the person's own source. */
import { inspect, types } from 'node:util';
import type { Stacks } from '../../runtime/stacks.js';

/** @param sourceOf the name and text of a local file */
export function fatalText(
  error: unknown,
  stacks: Stacks,
  sourceOf: (file: string) => { name: string; text: string } | undefined,
): string {
  let shown: string;
  try {
    shown = types.isNativeError(error)
      ? inspect(error)
      : `Uncaught:\n${inspect(error)}\n(Use \`node --trace-uncaught ...\` to show where the exception was thrown)`;
  } catch {
    shown = 'An error that cannot be shown.';
  }
  const at = typeof error === 'object' && error !== null ? stacks.of(error)[0] : undefined;
  const source = at?.local === true ? sourceOf(at.file) : undefined;
  const line = source?.text.split(/\r?\n/)[at!.line];
  const place =
    line === undefined
      ? ''
      : `${source!.name}:${at!.line + 1}\n${line}\n${' '.repeat(Math.max(0, at!.character))}^\n\n`;
  return `${place}${shown}\n\nNode.js ${process.version}\n`;
}
