/** What every document made of a record begins with: its title, its summary, and code with what belongs at its lines. */
import type { PadRecord, RecordError } from '../../record/record.js';
import type { LineTable } from '../../syntax/positions.js';
import type { MarginItem } from '../margin-item.js';
import { type LineView, linesView } from '../margin.js';
import { summaryOf } from '../summary.js';

export interface ShareOptions {
  /** Name of the file, as the reader shall see it. */
  name: string;
  /** Cleans every text that goes into the document. */
  clean(text: string): string;
  /** Zero-based: everything as of this moment. */
  until?: number;
}

interface Sheet {
  title: string;
  summary: string[];
  rows: { number: number; code: string; view: LineView | undefined }[];
}

export function sheetOf(record: PadRecord, lines: LineTable, { name, clean, until }: ShareOptions): Sheet {
  const views = linesView(record, record.file, until);
  const count = lines.lineCount - (lines.line(lines.lineCount - 1) === '' ? 1 : 0);
  const { run, trouble, tests } = summaryOf(record);
  return {
    title: name,
    summary: [run, trouble, tests].filter(Boolean).map(clean),
    rows: Array.from({ length: count }, (_, i) => ({
      number: i + 1,
      code: clean(lines.line(i).replace(/\t/g, '  ')),
      view: views.get(i),
    })),
  };
}

export function itemText(item: MarginItem): string {
  return `${item.text.replace(/\n/g, '↵')}${item.count ? ` ${item.count}` : ''}`;
}

/** The errors of a run and those of its failed tests. */
export function errorsOf(record: PadRecord): RecordError[] {
  return [
    ...record.errors,
    ...record.tests.flatMap((test) => (test.error && test.state === 'failed' ? [test.error] : [])),
  ];
}
