/** Syntax errors as errors of a record. */
import type { RecordError } from '../record/record.js';
import { LineTable } from '../syntax/positions.js';
import { isOfText, type Problem } from '../syntax/problems.js';

/** A problem of a text as an error of a record. */
export function problemError(lines: LineTable, file: string, problem: Problem): RecordError {
  return {
    kind: isOfText(problem) ? 'syntax' : 'resolve',
    moment: 0,
    name: problem.code === 'E_SYNTAX' ? 'SyntaxError' : 'Error',
    message: problem.message,
    code: problem.code,
    ...(problem.package === undefined ? {} : { package: problem.package }),
    file,
    range: lines.rangeOf(problem.start, problem.end),
    frames: [],
  };
}
