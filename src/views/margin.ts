/**
 * What stands beside a line of code: errors first, then test results, then
 * values. Plain data; terminal, page and editor draw it in their own way.
 */
import { historiesByLine } from '../record/histories.js';
import { type LineReport, type LineState, lineStates } from '../record/lines.js';
import type { PadRecord } from '../record/record.js';
import { verbOf } from '../syntax/verbs/index.js';
import { controlItems, errorItem, errorsOf, pendingItems, testItem } from './margin-events.js';
import type { MarginItem } from './margin-item.js';
import { callItems, caughtItems, markItem, valueItems } from './margin-values.js';

export interface LineView {
  line: number;
  state: LineState | 'none';
  hits: number;
  /** Width of the rail, 0 to 4. */
  heat: 0 | 1 | 2 | 3 | 4;
  way: boolean;
  /** The state in words. */
  title: string;
  items: MarginItem[];
}

/** Steps of the rail: 1, 2–9, 10–99, 100 and more. */
export function heatOf(hits: number): 0 | 1 | 2 | 3 | 4 {
  return hits <= 0 ? 0 : hits === 1 ? 1 : hits < 10 ? 2 : hits < 100 ? 3 : 4;
}

/** The state of a line in words. */
export function stateTitle(report: LineReport): string {
  const times = report.hits === 1 ? 'once' : `${report.hits.toLocaleString('en-US')} times`;
  switch (report.state) {
    case 'never':
      return 'never ran';
    case 'failed':
      return report.hits > 0 ? `failed here; ran ${times}` : 'failed here';
    case 'partly':
      return `ran ${times}; ${report.missing.length} of ${report.parts} parts never ran: ${report.missing.join(', ')}`;
    default:
      return `ran ${times}${report.way ? '; on the way to the failure' : ''}`;
  }
}

/** The same for a program that runs on: nothing is known of what was before somebody looked. */
function liveTitle(report: LineReport): string {
  const title = stateTitle(report).replace('never ran', 'did not run');
  return report.hits > 0 || report.state === 'never' ? `${title} since it is observed` : title;
}

/**
 * All lines of a file that have something to show, by zero-based line.
 *
 * @param wants lines whose values are wanted; of others only states, errors and tests are told
 */
export function linesView(
  record: PadRecord,
  file: string = record.file,
  until = Infinity,
  wants?: (line: number) => boolean,
): Map<number, LineView> {
  const views = new Map<number, LineView>();
  const at = (line: number): LineView => {
    let view = views.get(line);
    if (!view) {
      view = { line, state: 'none', hits: 0, heat: 0, way: false, title: '', items: [] };
      views.set(line, view);
    }
    return view;
  };
  const executed = record.target !== 'none';
  const reused = record.tests.some((test) => test.reused);
  if (executed)
    for (const report of lineStates(record, file, until)) {
      // Tests that were not run again may have been all that ever came here.
      const unknown = reused && report.state === 'never';
      Object.assign(at(report.line), {
        state: unknown ? 'none' : report.state,
        hits: report.hits,
        heat: heatOf(report.hits),
        way: report.way,
        title: unknown
          ? 'did not run this time; results of some tests are from an earlier run'
          : record.live
            ? liveTitle(report)
            : stateTitle(report),
      });
    }
  for (const { error, test } of errorsOf(record)) {
    if (error.file !== file || error.moment > until) continue;
    const view = at(error.range.start.line);
    view.state = 'failed';
    view.title ||= 'failed here';
    view.items.push(errorItem(record, error, test));
  }
  if (
    until >= record.moments &&
    record.stop &&
    record.outcome === 'stopped' &&
    record.stop.file === file &&
    record.stop.range
  ) {
    at(record.stop.range.start.line).items.push({
      kind: 'error',
      text: record.stop.message,
      title: record.stop.message,
    });
  }
  for (const test of record.tests)
    if (test.file === file && test.moment <= until) at(test.line).items.push(testItem(test));
  const controls = controlItems(record, file);
  for (const { line, item } of controls) if (item.kind === 'gate') at(line).items.push(item);
  for (const item of pendingItems(record, file, until)) at(item.line).items.push(item.item);
  const { notes = [], lines } = record.program.files.find((one) => one.file === file) ?? {};
  const remark = ({ start, message, code, quiet }: (typeof notes)[number]): void => {
    const problem = quiet || code === undefined ? {} : { code };
    at(lines!.lineAt(start)).items.push({ kind: 'note', text: message, title: message, ...problem });
  };
  for (const note of notes) if (!note.quiet) remark(note);
  const testLines = new Set(record.tests.filter((test) => test.file === file).map((test) => test.line));
  const held = executed ? marksThatHold(record, file) : new Map<number, string>();
  if (executed) {
    for (const item of callItems(record, file, until)) at(item.line).items.push(item.item);
    for (const [line, histories] of historiesByLine(record, file, until, wants)) {
      const marks = histories.filter((history) => history.mark && !history.mark.selected);
      if (marks.length === 0 && held.has(line)) continue;
      // What a person asked for stands instead of what is shown unasked.
      const items =
        marks.length > 0
          ? marks.map((history) => markItem(record, file, history, until))
          : valueItems(histories, testLines, until < record.moments, record.live !== undefined);
      if (items.length > 0) at(line).items.push(...items);
      for (const history of histories)
        if (history.kind === 'caught') at(line).items.push(...caughtItems(record, file, history));
    }
  }
  for (const [line, expression] of held) {
    const view = views.get(line);
    if (!view || view.hits === 0 || view.items.some((item) => item.kind === 'value')) continue;
    const text = `0 of ${view.hits.toLocaleString('en-US')}`;
    view.items.push({ kind: 'value', text, title: `${expression} did not hold on any visit` });
  }
  // What only adds to a value comes after it.
  for (const note of notes) if (note.quiet) remark(note);
  for (const { line, item } of controls) if (item.kind !== 'gate') at(line).items.push(item);
  return views;
}

/** Lines with a mark that shows only the visits for which a condition holds, with that condition. */
function marksThatHold(record: PadRecord, fileName: string): Map<number, string> {
  const file = record.program.files.find((one) => one.file === fileName);
  const found = new Map<number, string>();
  for (const { mark, start } of file?.sites ?? [])
    if (mark && verbOf(mark.verb)?.reports === 'holds') found.set(file!.lines.lineAt(start), mark.expression);
  return found;
}
