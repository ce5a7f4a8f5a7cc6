/** The lines of a file for a window, with what types and sizes of packages add; errors of the run come before both. */
import type { TypeProblem } from '../../../hosts/node/types.js';
import type { PadRecord } from '../../../record/record.js';
import { linesView } from '../../../views/margin.js';
import type { MarginItem } from '../../../views/margin-item.js';
import type { RecordMessage } from '../../protocol.js';

/** What is known of lines beside the run. */
export interface Beside {
  types: readonly TypeProblem[];
  sizes: readonly { file: string; line: number; text: string }[];
}

/** @param shownLine where a line of the text that ran is in the one that is shown */
export function presentLines(
  record: PadRecord,
  path: string,
  until: number,
  { types, sizes }: Beside,
  shownLine: ((line: number) => number | undefined) | undefined,
): RecordMessage['lines'] {
  const views = linesView(record, path, until);
  const add = (line: number, item: MarginItem): void => {
    let view = views.get(line);
    if (!view) views.set(line, (view = { line, state: 'none', hits: 0, heat: 0, way: false, title: '', items: [] }));
    view.items.push(item);
  };
  for (const { file, line, text } of sizes) if (file === path) add(line, { kind: 'note', text, title: text });
  for (const { file, start, code, message } of types) {
    if (file !== path) continue;
    const [first] = message.split('\n');
    add(start.line, { kind: 'type', text: `type: ${first!}`, title: `TypeScript ${code}: ${message}` });
  }
  return [...views.values()]
    .flatMap((view) => {
      const line = shownLine ? shownLine(view.line) : view.line;
      return line === undefined ? [] : [{ ...view, line }];
    })
    .sort((a, b) => a.line - b.line);
}
