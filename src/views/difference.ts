/** Where received and expected differ, as lines of text. */
import type { Difference, Differences } from '../wire/reports.js';
import { quote, valueText } from '../runtime/text.js';

export interface DifferenceLine {
  /** `it.cargo[1].tonnes`; empty where the values themselves differ. */
  path: string;
  received: string;
  expected: string;
  note: string;
}

/** One line for each place that differs, and in words what is left out. */
export function differenceLines(differences: Differences): { lines: DifferenceLine[]; rest: string } {
  const lines = differences.list.map(differenceLine);
  const rest: string[] = [];
  if (differences.more > 0) rest.push(`${differences.more.toLocaleString('en-US')} more places differ`);
  if (differences.partial)
    rest.push(`the values are larger: ${differences.compared.toLocaleString('en-US')} parts were compared`);
  else if (lines.length > 0 && differences.compared > lines.length + differences.more) {
    const same = differences.compared - lines.length - differences.more;
    rest.push(same === 1 ? '1 part is the same' : `${same.toLocaleString('en-US')} parts are the same`);
  }
  return { lines, rest: rest.join('; ') };
}

function differenceLine(one: Difference): DifferenceLine {
  const side = (value: Difference['received'], text: string | undefined): string =>
    text !== undefined
      ? quote(text)
      : value === undefined
        ? one.note !== undefined && !one.received && !one.expected
          ? ''
          : 'nothing'
        : valueText(value, 160);
  return {
    path: one.path === 'it' ? '' : one.path,
    received: side(one.received, one.text?.received),
    expected: side(one.expected, one.text?.expected),
    note: one.text
      ? `differs from character ${one.text.at + 1} on${one.text.line === undefined ? '' : `, line ${one.text.line}`}`
      : (one.note ?? ''),
  };
}

/** The first difference in a few words, for the margin. */
export function differenceText(differences: Differences): string | undefined {
  const first = differences.list[0];
  if (!first) return undefined;
  const { path, received, expected, note } = differenceLine(first);
  const more = differences.list.length - 1 + differences.more;
  return (
    `${path === '' ? '' : `${path}: `}received ${received}, ` +
    `expected ${expected}${note === '' ? '' : ` (${note})`}${more > 0 ? `, and ${more.toLocaleString('en-US')} more` : ''}`
  );
}
