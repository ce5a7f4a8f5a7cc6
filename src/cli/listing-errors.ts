/** Errors and tests in a terminal. */
import type { PadRecord, RecordError } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import { differenceLines } from '../views/difference.js';
import { durationText } from '../views/duration.js';
import { explain } from '../views/explain.js';
import { errorText } from '../views/margin-events.js';
import { plural } from '../views/summary.js';
import { type ListingOptions, place } from './listing-paint.js';
import { cut, harmless, widthOf } from './paint.js';

/** An error made where its effect was made needs no second path. */
function samePath(error: RecordError, other: RecordError): boolean {
  const text = ({ frames }: RecordError): string =>
    frames.map((frame) => `${frame.file}:${frame.range.start.line}`).join(' ');
  return text(error) === text(other);
}

/** Errors with their paths of local frames. */
export function errorLines(record: PadRecord, options: ListingOptions): string[] {
  const { paint, cwd } = options;
  const result: string[] = [];
  const add = (error: RecordError, prefix: string, around?: RecordError): void => {
    const text = errorText(error).split('\n');
    result.push(`${paint.fail('✗')} ${place(error.file, error.range.start.line, cwd)}  ${prefix}${harmless(text[0]!)}`);
    for (const more of text.slice(1, 12)) result.push(`    ${harmless(more)}`);
    if (error.differences && error.differences.list.length > 0) {
      const { lines, rest } = differenceLines(error.differences);
      const wide = Math.max(...lines.map((line) => widthOf(line.path)));
      const half = Math.min(40, Math.max(...lines.map((line) => widthOf(line.received))));
      for (const line of lines.slice(0, 12))
        result.push(
          cut(
            `    ${wide > 0 ? `${harmless(line.path).padEnd(wide)}  ` : ''}received ${paint.fail(harmless(line.received).padEnd(half))}  expected ${paint.pass(harmless(line.expected))}${line.note === '' ? '' : paint.dim(`  ${harmless(line.note)}`)}`,
            Math.max(60, options.width) + 40,
          ),
        );
      if (lines.length > 12) result.push(paint.dim(`    ${lines.length - 12} more places differ`));
      if (rest !== '') result.push(paint.dim(`    ${rest}`));
    } else if (error.received && error.expected) {
      result.push(
        `    received ${paint.fail(harmless(valueText(error.received, 300)))}`,
        `    expected ${paint.pass(harmless(valueText(error.expected, 300)))}`,
      );
    }
    const { reason, hint, values, path } = explain(record, error);
    if (reason !== '' || hint !== '') result.push(`    ${[reason, hint].filter(Boolean).map(harmless).join('. ')}`);
    for (const { name, text } of values)
      result.push(
        cut(`    ${paint.dim(harmless(name))} = ${paint.value(harmless(text))}`, Math.max(60, options.width)),
      );
    if (path.length > 1 && !(around && samePath(error, around)))
      result.push(
        paint.dim(
          `    ${path
            .slice(0, 10)
            .map((step) =>
              'folded' in step
                ? `(${plural(step.folded, 'frame')} of ${step.of})`
                : `${step.frame.isAsync ? 'await ' : ''}${step.frame.name || 'top level'} ${place(step.frame.file, step.frame.range.start.line, cwd)}${step.times ? ` ×${step.times}` : ''}`,
            )
            .join(' ← ')}`,
        ),
      );
    if (error.cause) add(error.cause, 'caused by ', error);
    for (const inner of error.errors ?? []) add(inner, 'among them ', error);
  };
  const until = options.until ?? Infinity;
  for (const error of record.errors)
    if (error.moment <= until) add(error, error.kind === 'rejection' ? 'nobody handled this rejection: ' : '');
  for (const test of record.tests)
    if (test.error && test.state === 'failed' && test.error.moment <= until)
      add(test.error, `${[...test.path, test.name].join(' > ')}: `);
  if (until === Infinity && record.stop && record.outcome === 'stopped')
    result.push(
      `${paint.fail('✗')} ${record.stop.range && record.stop.file ? `${place(record.stop.file, record.stop.range.start.line, cwd)}  ` : ''}stopped: ${harmless(record.stop.message)}`,
    );
  return result;
}

/** The tests in one line each. */
export function testLines(record: PadRecord, options: ListingOptions): string[] {
  const { paint, cwd } = options;
  return record.tests
    .filter((test) => !test.suite && test.moment <= (options.until ?? Infinity))
    .map((test) => {
      const more = [
        test.reused ? 'earlier run' : '',
        test.state === 'skipped' || test.state === 'todo' || test.state === 'running' ? test.state : '',
        test.reason ?? '',
        ...(test.notes ?? []),
      ].filter(Boolean);
      const mark =
        test.state === 'passed' ? paint.pass('✓') : test.state === 'failed' ? paint.fail('✗') : paint.dim('-');
      return `${mark} ${harmless([...test.path, test.name].join(' > '))} ${paint.dim(`${durationText(test.durationMs)}  ${place(test.file, test.line, cwd)}${more.length === 0 ? '' : `  ${harmless(more.join(': '))}`}`)}`;
    });
}
