/** A stop of a walk as text: where one stands, the code around it, what its variables hold. */
import type { PadRecord } from '../record/record.js';
import type { Walk } from '../record/walk/walk.js';
import { valueText } from '../runtime/text.js';

/** Lines of code above and below, variables, and frames that are shown. */
const AROUND = 2;
const MOST_VARIABLES = 9;
const MOST_FRAMES = 6;

export interface Stop {
  head: string;
  /** Frames from the innermost out. */
  frames: string;
  code: { number: number; text: string; here: boolean }[];
  variables: { name: string; text: string; changed: boolean }[];
  /** Variables that are not shown. */
  left: number;
}

/** @param nameOf the name of a file for people */
export function stopOf(record: PadRecord, run: Walk, index: number, nameOf: (file: string) => string): Stop {
  const { file, range } = run.step(index);
  const { lines } = record.program.files.find((one) => one.file === file)!;
  const { line } = range.start;
  const code: Stop['code'] = [];
  for (let at = Math.max(0, line - AROUND); at <= Math.min(lines.lineCount - 1, line + AROUND); at++)
    code.push({ number: at + 1, text: lines.line(at), here: at === line });
  const stack = run.stack(index).map(({ name }) => name || 'a function without a name');
  const variables = run.variables(index);
  return {
    head: `step ${count(run.numberOf(index))} of ${count(run.total)}  ${nameOf(file)}:${line + 1}`,
    frames: `${stack.slice(0, MOST_FRAMES).join(' < ')}${stack.length > MOST_FRAMES ? ` < ${stack.length - MOST_FRAMES} more` : ''}`,
    code,
    variables: variables
      .slice(0, MOST_VARIABLES)
      .map(({ name, value, changed }) => ({ name, text: valueText(value, 200), changed })),
    left: Math.max(0, variables.length - MOST_VARIABLES),
  };
}

/** What is said of a run of which only a part is kept; undefined where all is. */
export function keptText(run: Walk): string | undefined {
  if (!run.hasMore(1) && !run.hasMore(-1)) return undefined;
  const { from, to } = run.kept;
  const kept = `Of ${count(run.total)} steps ${count(from)} to ${count(to)} are kept.`;
  return run.isSame === false ? `${kept} ${OTHER_WAY}` : kept;
}

const OTHER_WAY =
  'The pad was executed twice, and went another way the second time: what it takes from files, sockets and other ' +
  'processes is not given to it again.';

/** What is said where a move meets the end of what is kept. */
export function endText(run: Walk, by: 1 | -1): string {
  const { from, to } = run.kept;
  if (run.hasMore(by))
    return by === 1
      ? `The ${count(run.total - to)} steps behind this one are not kept.`
      : `The ${count(from - 1)} steps before this one are not kept.`;
  return by === 1
    ? 'The run ended here: nothing more was recorded that way.'
    : 'The run began here: nothing more was recorded that way.';
}

/** What is said while a run is repeated for a part of it. */
export const repeatingText = 'The pad executes once more, and the steps around this one are kept …';

const count = (number: number): string => number.toLocaleString('en-US');
