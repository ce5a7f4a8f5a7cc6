/** Pictures of a comparison as shapes: a point for each process with the interval, and how times grow with size. */
import type { Comparison } from '../compare/comparison.js';
import { timeText } from './time-text.js';

/** What is drawn of one way (`one`, `other`), or of both. Places are pixels. */
export type ComparisonShape =
  | { is: 'dot' | 'square'; x: number; y: number; of: 'one' | 'other' | 'ratio' }
  | { is: 'line'; x1: number; y1: number; x2: number; y2: number; of: 'same' | 'interval' }
  | { is: 'curve'; points: [x: number, y: number][]; of: 'one' | 'other' }
  | { is: 'text'; x: number; y: number; text: string; end?: true };

export interface ComparisonDrawing {
  width: number;
  height: number;
  /** The same in words. */
  words: string;
  shapes: ComparisonShape[];
}

/** Radius of a dot, half a side of a square. */
export const DOT = 2.6;
export const SQUARE = 2.4;

const WIDTH = 316;
const LEFT = 6;

/** A scale of powers over numbers, with room at both ends. */
function scaleOf(numbers: readonly number[], from: number, to: number): (value: number) => number {
  const low = Math.log(Math.min(...numbers)) - 0.05;
  const high = Math.log(Math.max(...numbers)) + 0.05;
  return (value) => from + ((Math.log(value) - low) / (high - low || 1)) * (to - from);
}

/** A point for each process, and the ratio with its interval. */
export function pointsDrawing(
  { baseline, candidate }: Comparison,
  { ratio, ...timing }: NonNullable<Comparison['timing']>,
): ComparisonDrawing {
  const rows = [
    { name: baseline.name, points: timing.baseline.points, of: 'one', is: 'dot' },
    { name: candidate.name, points: timing.candidate.points, of: 'other', is: 'square' },
  ] as const;
  const all = rows.flatMap(({ points }) => points);
  const x = scaleOf(all, LEFT + 4, WIDTH - 8);
  const at = scaleOf([ratio.low, ratio.high, 1], LEFT + 4, WIDTH - 8);
  const [value, low, high] = [ratio.value, ratio.low, ratio.high].map((one) => one.toFixed(2));
  const shapes: ComparisonShape[] = rows.flatMap(({ name, points, of, is }, row) => [
    { is: 'text' as const, x: LEFT, y: 12 + row * 34, text: name },
    ...points.map((ns, index) => ({ is, of, x: x(ns), y: 23 + row * 34 + (index % 3) * 2 })),
  ]);
  shapes.push(
    { is: 'line', of: 'same', x1: at(1), x2: at(1), y1: 74, y2: 100 },
    { is: 'line', of: 'interval', x1: at(ratio.low), x2: at(ratio.high), y1: 87, y2: 87 },
    { is: 'dot', of: 'ratio', x: at(ratio.value), y: 87 },
    { is: 'text', x: LEFT, y: 113, text: `ratio ${value}, ${low} … ${high}; the line is 1` },
  );
  const words = `Times of ${baseline.name} and ${candidate.name}, one point for each process; the ratio is ${value}, between ${low} and ${high}`;
  return { width: WIDTH, height: 118, words, shapes };
}

/** Times at growing sizes of input, both scales in powers; undefined where there are too few. */
export function growthDrawing(
  names: { baseline: string; candidate: string },
  { baseline, candidate }: NonNullable<Comparison['growth']>,
): ComparisonDrawing | undefined {
  const height = 150;
  const all = [...baseline.points, ...candidate.points];
  if (all.length < 4) return undefined;
  const sizes = all.map(({ size }) => size);
  const x = scaleOf(sizes, LEFT + 34, WIDTH - 10);
  const times = all.map(({ ns }) => ns);
  const y = scaleOf(times, height - 24, 10);
  const last = baseline.points[baseline.points.length - 1]!;
  const at = ({ size, ns }: { size: number; ns: number }): [number, number] => [x(size), y(ns)];
  const dot = (of: 'one' | 'other', is: 'dot' | 'square') => (point: { size: number; ns: number }) => {
    const [left, top] = at(point);
    return { is, of, x: left, y: top };
  };
  const [first, power] = [baseline.points[0]!.size, (exponent: number) => exponent.toFixed(1)];
  return {
    width: WIDTH,
    height,
    words: `${names.baseline} grows with size to the power of ${power(baseline.exponent)}, ${names.candidate} of ${power(candidate.exponent)}`,
    shapes: [
      { is: 'curve', of: 'one', points: baseline.points.map(at) },
      { is: 'curve', of: 'other', points: candidate.points.map(at) },
      ...baseline.points.map(dot('one', 'dot')),
      ...candidate.points.map(dot('other', 'square')),
      { is: 'text', x: LEFT, y: y(last.ns) + 4, text: timeText(last.ns) },
      { is: 'text', x: LEFT + 34, y: height - 6, text: `size ${first}` },
      { is: 'text', x: WIDTH - 10, y: height - 6, text: last.size.toLocaleString('en-US'), end: true },
    ],
  };
}

/** What stands below how times grow. */
export function growthText(
  names: { baseline: string; candidate: string },
  { baseline, candidate, crossing }: NonNullable<Comparison['growth']>,
): string {
  const powers = `● ${names.baseline} size^${baseline.exponent.toFixed(1)}, ■ ${names.candidate} size^${candidate.exponent.toFixed(1)}`;
  if (crossing === undefined) return powers;
  return `${powers}; they cross at a size of about ${Math.round(crossing).toLocaleString('en-US')}`;
}
