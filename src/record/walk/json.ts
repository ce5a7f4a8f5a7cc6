/** A walk as JSON. */
import { valueText } from '../../runtime/text.js';
import type { PadRecord } from '../record.js';
import { WALK_FORMAT, type Walk } from './walk.js';
import type { WalkJson } from './schema.js';

/** @param from the step at which one begins to walk; -1 for none */
export function walkToJson(record: PadRecord, run: Walk, from: number): WalkJson {
  const files = record.program.files.map(({ file }) => file);
  const numbers = new Map(files.map((file, index) => [file, index]));
  const steps = Array.from({ length: run.length }, (_, index) => {
    const { file, range, frame, moment } = run.step(index);
    return { file: numbers.get(file)!, range, frame, moment };
  });
  const frames = Array.from({ length: run.frameCount }, (_, index) => {
    const { file, ...rest } = run.frame(index + 1);
    return { ...rest, file: numbers.get(file)! };
  });
  const variables = from < 0 ? [] : run.variables(from);
  return {
    format: WALK_FORMAT,
    file: record.file,
    files,
    folded: run.folded,
    steps,
    frames,
    from,
    variables: variables.map(({ name, value, frame, moment }) => ({ name, value: valueText(value), frame, moment })),
  };
}
