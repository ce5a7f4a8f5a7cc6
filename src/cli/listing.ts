/** A pad as text: rail, line number, code and what stands beside it; then console, errors, tests. */
import { relative } from 'node:path';
import { consoleAt } from '../record/questions.js';
import type { PadRecord } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import type { LineTable } from '../syntax/positions.js';
import { durationText } from '../views/duration.js';
import { gateText } from '../views/margin-events.js';
import { type LineView, linesView } from '../views/margin.js';
import { isBad, requestText } from '../views/requests.js';
import { plural, summaryOf } from '../views/summary.js';
import { allViewsOf } from '../views/added.js';
import { errorLines, testLines } from './listing-errors.js';
import { type ListingOptions, marginText, place, railOf, sparkline, strip } from './listing-paint.js';
import { cut, harmless, widthOf } from './paint.js';

/** The pad's lines with rail and margin. */
export function listingLines(
  record: PadRecord,
  lines: LineTable,
  options: ListingOptions,
  file = record.file,
): string[] {
  return listingOf(linesView(record, file, options.until), lines, options);
}

/** A text with what stands beside its lines. */
export function listingOf(
  views: ReadonlyMap<number, LineView>,
  lines: LineTable,
  options: Pick<ListingOptions, 'paint' | 'width' | 'trees'>,
): string[] {
  const { paint, width } = options;
  const count = lines.lineCount - (lines.line(lines.lineCount - 1) === '' ? 1 : 0);
  const digits = Math.max(2, String(count).length);
  const shown: { code: string; view: LineView | undefined; number: string }[] = [];
  for (let i = 0; i < count; i++)
    shown.push({
      code: harmless(
        lines
          .line(i)
          .replace(/\t/g, '  ')
          .replace(/^\uFEFF/, ''),
      ),
      view: views.get(i),
      number: String(i + 1).padStart(digits),
    });
  const head = digits + 4;
  return shown.flatMap(({ code, view, number }, index) => {
    const room = width - head;
    const items = view?.items ?? [];
    const margin =
      items.length > 0
        ? marginText(
            items,
            paint,
            Math.max(12, Math.min(room - 4, room - Math.min(widthOf(code), Math.max(room - 28, 16)) - 3)),
          )
        : '';
    const codeRoom = margin === '' ? room : Math.max(16, room - widthOf(strip(margin)) - 3);
    const text = cut(code, codeRoom);
    const tree = (options.trees?.get(index) ?? []).map(
      (line) => `${' '.repeat(head)}${paint.dim('│')} ${paint.value(cut(harmless(line), width - head - 2))}`,
    );
    return [
      (
        `${railOf(view, paint)} ${paint.dim(number)} ` +
        ` ${text}${margin === '' ? '' : ` ${paint.dim('│')} ${margin}`}`
      ).trimEnd(),
      ...tree,
    ];
  });
}

/** Console lines with their places. */
export function consoleLines(record: PadRecord, options: ListingOptions): string[] {
  const { paint, cwd, until = Infinity } = options;
  const entries = consoleAt(record, until);
  if (entries.length === 0) return [];
  const digits = Math.max(4, ...entries.map((entry) => placeOf(entry).length));
  function placeOf(entry: PadRecord['console'][number]): string {
    if (!entry.range || !entry.file) return '';
    return entry.file === record.file
      ? String(entry.range.start.line + 1)
      : place(entry.file, entry.range.start.line, cwd);
  }
  const result: string[] = [];
  for (const entry of entries) {
    const mark =
      entry.level === 'error'
        ? paint.fail('! ')
        : entry.level === 'warn'
          ? paint.straw('* ')
          : entry.level === 'stdout' || entry.level === 'stderr'
            ? paint.dim('> ')
            : '  ';
    const indent = '  '.repeat(entry.indent);
    const text = entry.text.split('\n').map((line) => harmless(line));
    text.forEach((line, index) =>
      result.push(`${paint.dim((index === 0 ? placeOf(entry) : '').padStart(digits))} ${mark}${indent}${line}`),
    );
    for (const frame of entry.frames ?? [])
      if (frame.local)
        result.push(
          `${' '.repeat(digits)}  ` +
            ` ${paint.dim(`${frame.name || 'top level'} ${place(frame.file, frame.range.start.line, cwd)}`)}`,
        );
  }
  if (record.consoleOmitted > 0 && until === Infinity)
    result.push(
      paint.dim(`${' '.repeat(digits)}   ${plural(record.consoleOmitted, 'line')} more were printed and only counted`),
    );
  return result;
}

/** What the pad shows on purpose, as far as text can. */
export function shownLines(record: PadRecord, options: ListingOptions): string[] {
  const { paint, width, until = Infinity } = options;
  const result: string[] = [];
  for (const one of record.shown) {
    if (one.moment > until || one.kind === 'note') continue;
    const head =
      `${String((one.line ?? 0) + 1).padStart(4)}  ${one.kind.padEnd(5)}  ${harmless(one.title ?? '')}`.trimEnd();
    const views = one.value ? allViewsOf(one.value) : [];
    const plot = views.find((view) => view.view === 'plot');
    const table = views.find((view) => view.view === 'table');
    if (one.width !== undefined) result.push(`${head}  ${paint.dim(`${one.width} × ${one.height}`)}`);
    else if (table && one.kind !== 'plot') {
      result.push(head);
      const widths = table.columns.map((name, column) =>
        Math.min(40, Math.max(widthOf(name), ...table.rows.map((row) => widthOf(row.cells[column]!.text)))),
      );
      const line = (cells: readonly string[]): string =>
        `      ${cut(harmless(cells.map((cell, column) => cut(cell, widths[column]!).padEnd(widths[column]!)).join('  ')), width - 6)}`.trimEnd();
      result.push(
        paint.dim(line(table.columns)),
        ...table.rows.slice(0, 20).map((row) => line(row.cells.map((cell) => cell.text))),
      );
      const left = table.rows.length - 20 + table.more;
      if (left > 0) result.push(paint.dim(`      … ${plural(left, 'row')} more`));
    } else if (plot) {
      const lines = plot.lines.map(
        (each) =>
          `${each.name ? `${each.name} ` : ''}${paint.value(
            sparkline(
              each.y.map((value) => value ?? 0),
              24,
            ),
          )}`,
      );
      result.push(`${head}  ${lines.join('  ')}`);
    } else
      result.push(
        `${head}  ${paint.value(cut(harmless(one.value ? valueText(one.value, 200) : ''), Math.max(20, width - widthOf(head) - 2)))}`,
      );
  }
  return result;
}

/** Requests, timers and what is waited for. */
export function pendingLines(record: PadRecord, options: ListingOptions): { requests: string[]; pending: string[] } {
  const { paint, cwd, width, until = Infinity } = options;
  const at = (frame: { file: string; line: number } | undefined): string =>
    frame ? place(frame.file, frame.line, cwd) : '';
  const requests = record.requests
    .filter((request) => request.moment <= until)
    .map((request) =>
      cut(
        `${isBad(request) ? paint.fail('✗') : request.state === 'open' ? paint.dim('…') : paint.pass('✓')} ${harmless(requestText(request, true))}  ${paint.dim(at(request.frames[0]))}`,
        Math.max(60, width),
      ),
    );
  if (until < record.moments) return { requests, pending: [] };
  const pending = [
    ...record.waits.map(
      (wait) =>
        `… ${wait.count > 1 ? `${wait.count} awaits` : 'an await'} ${record.ended ? 'never came' : 'still waits'}, since ${durationText(Math.max(0, wait.since))}  ${paint.dim(at(wait))}`,
    ),
    ...record.timers.map(
      (timer) =>
        `timer ${timer.repeats ? `every ${durationText(timer.delay)}` : `once after ${durationText(timer.delay)}`}, ` +
        `fired ${plural(timer.fired, 'time')}  ${paint.dim(at(timer.frame))}`,
    ),
  ];
  return { requests, pending };
}

export function headLine(record: PadRecord, options: ListingOptions): string {
  const { paint, cwd } = options;
  const summary = summaryOf(record);
  const short = relative(cwd, record.file);
  const parts = [paint.bold(short.startsWith('..') || short === '' ? record.file : short), paint.dim(summary.run)];
  const then = options.until !== undefined && options.until < record.moments;
  if (then)
    parts.push(
      paint.straw(
        `as of moment ${options.until!.toLocaleString('en-US')} of ${record.moments.toLocaleString('en-US')}`,
      ),
    );
  if (summary.trouble && !then) parts.push(paint.fail(summary.trouble));
  if (summary.tests && !then) parts.push(paint.pass(summary.tests));
  return parts.join(paint.dim('  '));
}

/** The whole record as text. */
export function recordText(record: PadRecord, lines: LineTable, options: ListingOptions): string {
  const { paint } = options;
  const sections: string[][] = [[headLine(record, options)], listingLines(record, lines, options)];
  const console = consoleLines(record, options);
  const printed =
    (options.until ?? Infinity) < record.moments
      ? consoleAt(record, options.until).length
      : record.console.length + record.consoleOmitted;
  if (console.length > 0) sections.push([paint.bold(`Console ${printed}`), ...console]);
  const shown = shownLines(record, options);
  if (shown.length > 0)
    sections.push([paint.bold(`Shown ${record.shown.filter((one) => one.kind !== 'note').length}`), ...shown]);
  const gates = record.gates.map(
    (gate) =>
      `${gate.state === 'done' ? paint.pass('✓') : gate.state === 'failed' ? paint.fail('✗') : '‖'} ${harmless(gate.name)}  ${harmless(gateText(gate))}  ${paint.dim(gate.frame ? place(gate.frame.file, gate.frame.line, options.cwd) : '')}`,
  );
  if (gates.length > 0) sections.push([paint.bold(`Gates ${gates.length}`), ...gates]);
  const { requests, pending } = pendingLines(record, options);
  if (requests.length > 0) sections.push([paint.bold(`Requests ${requests.length}`), ...requests]);
  if (pending.length > 0) sections.push([paint.bold('Pending'), ...pending]);
  const tests = testLines(record, options);
  if (tests.length > 0) sections.push([paint.bold(`Tests ${tests.length}`), ...tests]);
  if (options.sizes)
    sections.push([
      paint.bold(`Sizes ${options.sizes.length}`),
      ...options.sizes.map(({ line, text }) => `${paint.dim(String(line + 1).padStart(4))}  ${harmless(text)}`),
    ]);
  if (options.types)
    sections.push([
      paint.bold(`Types ${options.types.length}`),
      ...(options.types.length === 0
        ? ['no objections']
        : options.types.map(
            (one) =>
              `~ ${place(one.file, one.start.line, options.cwd)} ` +
              ` ${harmless(one.message.split('\n')[0]!)} ${paint.dim(`TS${one.code}`)}`,
          )),
    ]);
  const project = record.program.files.flatMap(({ notes }) => notes.filter(({ code }) => code === 'R_PROJECT'));
  if (project.length > 0)
    sections.push([paint.bold('Project'), ...project.map(({ message }) => `~ ${harmless(message)}`)]);
  const errors = errorLines(record, options);
  if (errors.length > 0) sections.push([paint.bold('Errors'), ...errors]);
  return `${sections.map((section) => section.join('\n')).join('\n\n')}\n`;
}
