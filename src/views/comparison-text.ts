/** A comparison of two ways as lines of text: what differs first, then times, then how they grow. */
import type { Comparison } from '../compare/comparison.js';
import type { Interval } from '../compare/statistics.js';
import { valueText } from '../runtime/text.js';
import { differenceLines } from './difference.js';
import { timeText } from './time-text.js';

/** How lines are coloured; each gives its text back where nothing is. */
export interface ComparisonPaint {
  dim(text: string): string;
  bad(text: string): string;
  good(text: string): string;
  value(text: string): string;
}

/** Nothing is coloured. */
export const PLAIN_COMPARISON: ComparisonPaint = {
  dim: (text) => text,
  bad: (text) => text,
  good: (text) => text,
  value: (text) => text,
};

/** Places that differ which are listed. */
const MOST_PLACES = 12;
const WIDE = 200;

export function comparisonLines(comparison: Comparison, paint: ComparisonPaint): string[] {
  const { equality, timing } = comparison;
  const differ = equality.differing > 0;
  // What does not give the same has no times worth reading.
  const pale = differ ? { ...paint, good: paint.dim, bad: paint.dim, value: paint.dim } : paint;
  return [
    ...equalityLines(comparison, paint),
    ...(timing ? ['', ...timingLines(comparison, timing, pale, differ)] : []),
    ...(comparison.growth ? ['', ...growthLines(comparison, comparison.growth, pale)] : []),
  ];
}

function equalityLines({ baseline, candidate, equality }: Comparison, paint: ComparisonPaint): string[] {
  const { tried, differing, smallest } = equality;
  const inputs = `${tried.toLocaleString('en-US')} ${tried === 1 ? 'input' : 'inputs'}`;
  if (!smallest) return [`${paint.good('both give the same')} for ${inputs}`];
  const what = {
    result: 'they give different results',
    error: 'they throw differently',
    input: 'they leave their input differently',
  };
  const { lines, rest } = differenceLines({
    ...smallest.differences,
    list: smallest.differences.list.slice(0, MOST_PLACES),
  } as Parameters<typeof differenceLines>[0]);
  const wide = Math.max(baseline.name.length, candidate.name.length);
  return [
    `${paint.bad(what[smallest.part])} for ${differing.toLocaleString('en-US')} of ${inputs}; the smallest that was found:`,
    `  ${'input'.padEnd(wide)}  ${paint.value(valueText(smallest.input, WIDE))}`,
    ...lines.flatMap(({ path, expected, received, note }) => [
      ...(path === '' ? [] : [`  ${path}`]),
      `  ${baseline.name.padEnd(wide)}  ${paint.good(expected)}`,
      `  ${candidate.name.padEnd(wide)}  ${paint.bad(received)}${note === '' ? '' : paint.dim(`  ${note}`)}`,
    ]),
    ...(rest === '' ? [] : [paint.dim(`  ${rest}`)]),
  ];
}

function timingLines(
  { baseline, candidate }: Comparison,
  timing: NonNullable<Comparison['timing']>,
  paint: ComparisonPaint,
  differ: boolean,
): string[] {
  const rows = [
    ['', 'one call', 'a tenth under, over', 'calls a second', 'bytes a call'],
    ...(
      [
        [baseline.name, timing.baseline],
        [candidate.name, timing.candidate],
      ] as const
    ).map(([name, { ns, perSecond, bytes }]) => [
      name,
      timeText(ns.value),
      `${timeText(ns.low)} … ${timeText(ns.high)}`,
      Math.round(perSecond).toLocaleString('en-US'),
      bytes === undefined ? '' : bytes.toLocaleString('en-US'),
    ]),
  ];
  const widths = rows[0]!.map((_, column) => Math.max(...rows.map((row) => row[column]!.length)));
  const table = rows.map((row, index) => {
    const line = row.map((cell, column) => (column === 0 ? cell.padEnd(widths[0]!) : cell.padStart(widths[column]!)));
    return index === 0 || differ ? paint.dim(line.join('  ').trimEnd()) : line.join('  ').trimEnd();
  });
  const { pairs, tookMs } = timing;
  return [
    ...table,
    verdictText(candidate.name, baseline.name, timing, paint),
    paint.dim(
      `${pairs} ${pairs === 1 ? 'pair' : 'pairs'} of processes, ${(tookMs / 1_000).toFixed(1)} s` +
        (differ ? '; worth nothing before both give the same' : ''),
    ),
  ];
}

/** Whether the candidate is faster, as a sentence that is true. */
export function verdictText(
  candidate: string,
  baseline: string,
  { verdict, ratio, pairs }: Pick<NonNullable<Comparison['timing']>, 'verdict' | 'ratio' | 'pairs'>,
  paint: Pick<ComparisonPaint, 'good' | 'bad'>,
): string {
  const range = `${ratioText(ratio)} of its time (95 %)`;
  switch (verdict) {
    case 'faster':
      return `${candidate} is ${paint.good('faster')} than ${baseline}: ${range}`;
    case 'slower':
      return `${candidate} is ${paint.bad('slower')} than ${baseline}: ${range}`;
    case 'cannot be told': {
      const few = pairs < 10 ? '; ten pairs of processes are needed: give it more --time' : '';
      return `whether ${candidate} is faster than ${baseline} cannot be told: ${range}${few}`;
    }
  }
}

function ratioText({ value, low, high }: Interval): string {
  return `${value.toFixed(2)}, between ${low.toFixed(2)} and ${high.toFixed(2)}`;
}

function growthLines(
  { baseline, candidate }: Comparison,
  growth: NonNullable<Comparison['growth']>,
  paint: ComparisonPaint,
): string[] {
  const rows = [
    ['size', baseline.name, candidate.name],
    ...growth.baseline.points.map(({ size, ns }, index) => [
      size.toLocaleString('en-US'),
      timeText(ns),
      timeText(growth.candidate.points[index]?.ns ?? NaN),
    ]),
    ['grows with', powerText(growth.baseline.exponent), powerText(growth.candidate.exponent)],
  ];
  const widths = rows[0]!.map((_, column) => Math.max(...rows.map((row) => row[column]!.length)));
  return [
    ...rows.map((row, index) => {
      const line = row.map((cell, column) => cell.padStart(widths[column]!)).join('  ');
      return index === 0 ? paint.dim(line) : line;
    }),
    ...(growth.crossing === undefined
      ? []
      : [`they cross at a size of about ${Math.round(growth.crossing).toLocaleString('en-US')}`]),
  ];
}

function powerText(exponent: number): string {
  return `size^${exponent.toFixed(1)}`;
}
