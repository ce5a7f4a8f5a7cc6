/** Places of what a live program told, as they are shown. */
import type { Range } from '../syntax/positions.js';
import type { Written } from '../syntax/written.js';
import type { Program } from './program.js';
import type { Frame, RecordError } from './record.js';

/** Something that was told of a place in code, told of the place in what a person wrote. */
export function placedAsWritten<T extends { file?: string; range?: Range; frames?: Frame[] }>(
  told: T,
  writtenOf: (file: string) => Written | undefined,
): T {
  const place = <P extends { file?: string; range?: Range }>(one: P): P => {
    const written = one.file === undefined ? undefined : writtenOf(one.file);
    const range = written && one.range && written.place(one.range);
    return range ? { ...one, range } : one;
  };
  const placed = place(told);
  return placed.frames?.some(({ file }) => writtenOf(file)) ? { ...placed, frames: placed.frames.map(place) } : placed;
}

/** The columns of code that a change brought are not known: the line is the place. */
export function wholeLine(program: Program, error: RecordError): RecordError['range'] {
  if (error.range.start.character > 0) return error.range;
  const { line } = error.range.start;
  const text = program.files.find((one) => one.file === error.file)?.lines;
  if (!text || line >= text.lineCount) return error.range;
  const shown = text.line(line);
  return {
    start: { line, character: Math.max(0, shown.search(/\S/)) },
    end: { line, character: shown.trimEnd().length },
  };
}
