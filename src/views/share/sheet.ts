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
  /** Zero-based lines alone, the last included: what else the record has to say is left out. */
  lines?: { from: number; to: number };
}

interface Sheet {
  title: string;
  summary: string[];
  rows: { number: number; code: string; view: LineView | undefined }[];
}

export function sheetOf(record: PadRecord, lines: LineTable, { name, clean, until, lines: part }: ShareOptions): Sheet {
  const views = linesView(record, record.file, until);
  const count = lines.lineCount - (lines.line(lines.lineCount - 1) === '' ? 1 : 0);
  const { run, trouble, tests } = summaryOf(record);
  return {
    title: part ? `${name}, lines ${part.from + 1} to ${part.to + 1}` : name,
    summary: [run, trouble, tests].filter(Boolean).map(clean),
    rows: Array.from({ length: count }, (_, i) => ({
      number: i + 1,
      code: clean(lines.line(i).replace(/\t/g, '  ')),
      view: views.get(i),
    })).filter((_, i) => !part || (i >= part.from && i <= part.to)),
  };
}

/** What a record has to say of some lines of its pad alone; zero-based, the last included. */
export function partOf(record: PadRecord, { from, to }: { from: number; to: number }): PadRecord {
  const here = (file: string | undefined, line: number | undefined): boolean =>
    file === record.file && line !== undefined && line >= from && line <= to;
  const framed = (frame: { file: string; line: number } | undefined): boolean => here(frame?.file, frame?.line);
  return {
    ...record,
    console: record.console.filter((entry) => here(entry.file, entry.range?.start.line)),
    shown: record.shown.filter((one) => here(one.file, one.line)),
    requests: record.requests.filter((one) => framed(one.frames.find((frame) => frame.local))),
    tests: record.tests.filter((test) => here(test.file, test.line)),
    errors: record.errors.filter((error) => here(error.file, error.range.start.line)),
    gates: record.gates.filter((gate) => framed(gate.frame)),
    dials: record.dials.filter((dial) => framed(dial.frame)),
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
