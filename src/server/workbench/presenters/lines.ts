/** The lines of a file for a window, with what types and sizes of packages add; errors of the run come before both. */
import type { TypeProblem } from '../../../hosts/node/types.js';
import type { PadRecord } from '../../../record/record.js';
import { linesView } from '../../../views/margin.js';
import type { MarginItem } from '../../../views/margin-item.js';
import type { LineRange, RecordMessage } from '../../protocol-record.js';

/** What is known of lines beside the run. */
export interface Beside {
  types: readonly TypeProblem[];
  sizes: readonly { file: string; line: number; text: string }[];
}

/** Which lines, and what stands at them. */
export interface LineParts {
  beside: Beside;
  /** Where a line of the text that ran is in the one that is shown; undefined where it is the same. */
  shownLine: ((line: number) => number | undefined) | undefined;
  /** Lines that are told; undefined for all. */
  part: LineRange | undefined;
}

export function presentLines(
  record: PadRecord,
  path: string,
  until: number,
  { beside: { types, sizes }, shownLine, part }: LineParts,
): RecordMessage['lines'] {
  const place = (line: number): number | undefined => {
    const shown = shownLine ? shownLine(line) : line;
    return shown !== undefined && part && (shown < part.from || shown >= part.to) ? undefined : shown;
  };
  const views = linesView(record, path, until, part && ((line) => place(line) !== undefined));
  const add = (line: number, item: MarginItem): void => {
    let view = views.get(line);
    if (!view) views.set(line, (view = { line, state: 'none', hits: 0, heat: 0, way: false, title: '', items: [] }));
    view.items.push(item);
  };
  for (const { file, line, text } of sizes) if (file === path) add(line, { kind: 'note', text, title: text });
  for (const { file, start, code, message } of types) {
    if (file !== path) continue;
    const [first] = message.split('\n');
    const title = `TypeScript ${code}: ${message}`;
    // What ran has the place; what types say is on its card then.
    const other = views.get(start.line)?.items.find((item) => item.kind === 'value' || item.kind === 'error');
    if (other) {
      other.title += `\n${title}`;
      continue;
    }
    add(start.line, { kind: 'type', text: `type: ${first!}`, title });
  }
  return [...views.values()]
    .flatMap((view) => {
      const line = place(view.line);
      return line === undefined ? [] : [{ ...view, line }];
    })
    .sort((a, b) => a.line - b.line);
}
