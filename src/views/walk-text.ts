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
    head: `step ${count(run.folded.steps + index + 1)} of ${count(run.folded.steps + run.length)}  ${nameOf(file)}:${line + 1}`,
    frames: `${stack.slice(0, MOST_FRAMES).join(' < ')}${stack.length > MOST_FRAMES ? ` < ${stack.length - MOST_FRAMES} more` : ''}`,
    code,
    variables: variables
      .slice(0, MOST_VARIABLES)
      .map(({ name, value, changed }) => ({ name, text: valueText(value, 200), changed })),
    left: Math.max(0, variables.length - MOST_VARIABLES),
  };
}

/** What is said of a run that was longer than its budget of memory. */
export function foldedText(run: Walk): string {
  return `The run was longer than what is kept: its last ${count(run.length)} steps are, ${count(run.folded.steps)} before them are not.`;
}

/** What is said where a move meets the end of what is kept. */
export function endText({ folded }: Walk, by: 1 | -1): string {
  if (by === 1) return 'The run ended here: nothing more was recorded that way.';
  return folded.steps > 0
    ? `What was before this step is not kept: ${count(folded.steps)} steps.`
    : 'The run began here: nothing more was recorded that way.';
}

const count = (number: number): string => number.toLocaleString('en-US');
