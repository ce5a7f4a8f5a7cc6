/** A record as of a moment, for a window that shows one file. */
import { consoleAt } from '../../../record/questions.js';
import type { PadRecord } from '../../../record/record.js';
import { valueText } from '../../../runtime/text.js';
import { ageText } from '../../../views/duration.js';
import { summaryOf } from '../../../views/summary.js';
import { tapeOf } from '../../../views/tape.js';
import type { LineRange } from '../../protocol-record.js';
import type { ConsoleMessage, RecordMessage, TestMessage } from '../../protocol.js';
import { presentErrors } from './errors.js';
import { presentLines, type Beside } from './lines.js';
import type { Locate } from './location.js';
import { presentGates, presentDials, presentPending, presentRequests } from './running.js';

/** Console lines that are sent: the first and the last. */
const MOST_CONSOLE = 1_000;

export interface RecordParts {
  /** Path of the file that is shown. */
  path: string;
  /** Lines that are told; undefined for all. */
  part: LineRange | undefined;
  /** The moment asked for; Infinity for the end. */
  asked: number;
  /** Version of the file's text that ran. */
  version: number;
  nameOf(path: string): string;
  locate: Locate;
  shownLine: ((line: number) => number | undefined) | undefined;
  beside: Beside;
  /** Name of the data that `input` reads. */
  data: string | undefined;
  /** Of a live program: what only that has. */
  live: RecordMessage['live'];
  /** Of a live program: where it runs, in words. */
  where: string | undefined;
}

export function presentRecord(record: PadRecord, parts: RecordParts): RecordMessage {
  const { path, locate, nameOf, live, data } = parts;
  const until = parts.asked < record.moments ? parts.asked : Infinity;
  const printed = presentConsole(record, until, locate);
  const ages = [...record.kept.values()].flatMap(({ ageMs }) => (ageMs ? [ageMs] : []));
  const placed = record.live && parts.where !== undefined ? { live: { ...record.live, where: parts.where } } : {};
  return {
    type: 'record',
    pad: nameOf(record.file),
    file: nameOf(path),
    version: parts.version,
    outcome: record.outcome,
    ended: record.ended,
    stale: record.target === 'none',
    summary: summaryOf({ ...record, ...placed }),
    moments: record.moments,
    cursor: until === Infinity ? null : until,
    tape: tapeOf(record),
    lines: presentLines(record, path, until, {
      ...parts,
      shownLine: record.target === 'none' ? undefined : parts.shownLine,
    }),
    ...(parts.part ? { part: parts.part } : {}),
    console: printed.lines,
    dials: presentDials(record, locate),
    gates: presentGates(record, locate),
    requests: presentRequests(record, until, locate),
    pending: until < Infinity ? [] : presentPending(record, locate),
    ...(data === undefined ? {} : { data }),
    ...(live ? { live } : {}),
    ...(ages.length > 0 ? { kept: { count: ages.length, age: ageText(Math.max(...ages)) } } : {}),
    consoleOmitted: (until === Infinity ? record.consoleOmitted : 0) + printed.omitted,
    errors: presentErrors(record, until, locate),
    tests: presentTests(record, until, locate),
  };
}

function presentConsole(
  record: PadRecord,
  until: number,
  locate: Locate,
): { lines: ConsoleMessage[]; omitted: number } {
  const printed = consoleAt(record, until);
  const half = MOST_CONSOLE / 2;
  const shown = printed.length > MOST_CONSOLE ? [...printed.slice(0, half), ...printed.slice(-half)] : printed;
  const lines = shown.map((entry) => ({
    moment: entry.moment,
    parts: entry.args.flatMap((value, part) =>
      value.type === 'object' || value.type === 'function' ? [{ part, text: valueText(value, 60) }] : [],
    ),
    level: entry.level,
    text: entry.text,
    indent: entry.indent,
    ...(entry.file && entry.range ? { at: locate(entry.file, entry.range.start) } : {}),
    ...(entry.table ? { table: entry.table } : {}),
    ...(entry.where === undefined ? {} : { where: entry.where }),
  }));
  return { lines, omitted: printed.length - shown.length };
}

function presentTests(record: PadRecord, until: number, locate: Locate): TestMessage[] {
  return record.tests
    .filter((test) => test.moment <= until)
    .map((test) => ({
      id: test.id,
      parent: test.parent,
      suite: test.suite,
      passed: test.passed,
      ...(test.leftOut ? { leftOut: test.leftOut } : {}),
      ...(test.reason === undefined ? {} : { reason: test.reason }),
      ...(test.notes ? { notes: test.notes } : {}),
      ...(test.reused ? { reused: true } : {}),
      name: test.name,
      path: test.path,
      state: test.state,
      durationMs: test.durationMs,
      at: locate(test.file, { line: test.line, character: 0 }),
    }));
}
