/** Errors as a window shows them. */
import { errorsAt } from '../../../record/questions.js';
import type { PadRecord, RecordError } from '../../../record/record.js';
import { valueText } from '../../../runtime/text.js';
import { differenceLines } from '../../../views/difference.js';
import { explain } from '../../../views/explain.js';
import { errorText } from '../../../views/margin-events.js';
import { plural } from '../../../views/summary.js';
import type { ErrorMessage } from '../../protocol.js';
import type { Locate } from './location.js';

/** All errors up to a moment: of the run, of tests, and what stopped it. */
export function presentErrors(record: PadRecord, until: number, locate: Locate): ErrorMessage[] {
  const errors = errorsAt(record, until).map((error) => presentError(record, error, locate));
  for (const test of record.tests)
    if (test.error && test.state === 'failed' && test.error.moment <= until) {
      const path = [...test.path, test.name].join(' > ');
      errors.push({ ...presentError(record, test.error, locate), test: path });
    }
  if (until === Infinity && record.stop && record.outcome === 'stopped') errors.push(presentStop(record, locate));
  return errors;
}

function presentError(record: PadRecord, error: RecordError, locate: Locate): ErrorMessage {
  const { start, end } = error.range;
  const { reason, hint, values, path } = explain(record, error);
  const { differences } = error;
  return {
    moment: error.moment,
    text: errorText(error),
    kind: error.kind,
    // A text that does not parse is the one that is shown.
    at: locate(error.file, start, error.kind === 'syntax'),
    endCharacter: end.line === start.line ? end.character : start.character + 1,
    ...(error.expected ? { expected: valueText(error.expected, 1_000) } : {}),
    ...(error.received ? { received: valueText(error.received, 1_000) } : {}),
    ...(differences && differences.list.length > 0 ? { differences: differenceLines(differences) } : {}),
    reason,
    hint,
    values,
    ...(error.package === undefined ? {} : { package: error.package }),
    path: path.map((step) => {
      if ('folded' in step) return { folded: `${plural(step.folded, 'frame')} of ${step.of}` };
      const { name, file, range, isAsync } = step.frame;
      return {
        name,
        at: locate(file, range.start),
        ...(step.times ? { times: step.times } : {}),
        ...(isAsync ? { isAsync: true as const } : {}),
      };
    }),
    causes: [...(error.cause ? [errorText(error.cause)] : []), ...(error.errors ?? []).map(errorText)],
  };
}

function presentStop(record: PadRecord, locate: Locate): ErrorMessage {
  const stop = record.stop!;
  const at = stop.range?.start ?? { line: 0, character: 0 };
  return {
    moment: record.moments,
    text: `stopped: ${stop.message}`,
    kind: 'stopped',
    at: locate(stop.file ?? record.file, at),
    endCharacter: at.character,
    reason: '',
    hint: '',
    values: [],
    path: [],
    causes: [],
  };
}
