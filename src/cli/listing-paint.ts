/** Pieces of a listing: rail, margin, sparkline, places. */
import { relative } from 'node:path';
import type { TypeProblem } from '../hosts/node/types.js';
import type { MarginItem } from '../views/margin-item.js';
import type { LineView } from '../views/margin.js';
import { type Paint, cut, harmless, widthOf } from './paint.js';

export interface ListingOptions {
  width: number;
  paint: Paint;
  cwd: string;
  /** Everything as of this moment. */
  until?: number;
  /** Opened values, by zero-based line. */
  trees?: ReadonlyMap<number, string[]>;
  /** What TypeScript has to say, where it was asked. */
  types?: readonly TypeProblem[];
  /** What packages cost, by line of their import. */
  sizes?: readonly { line: number; text: string }[];
}

/** Rail characters by heat, from never to a hundred times and more. */
const RAIL = ['┊', '▏', '▎', '▌', '█'];

const BLOCKS = '▁▂▃▄▅▆▇█';

export function railOf(view: LineView | undefined, paint: Paint): string {
  if (!view || view.state === 'none') return '  ';
  const way = view.way ? paint.fail('│') : ' ';
  switch (view.state) {
    case 'failed':
      return `${paint.fail('◤')}${way}`;
    case 'never':
      return `${paint.cold(RAIL[0]!)}${way}`;
    case 'partly':
      return `${paint.cold('╎')}${way}`;
    default: {
      const colour = view.hits >= 1000 ? paint.amber : view.hits >= 10 ? paint.straw : paint.cold;
      return `${colour(RAIL[view.heat]!)}${way}`;
    }
  }
}

export function marginText(items: MarginItem[], paint: Paint, width: number): string {
  const parts: string[] = [];
  let left = width;
  for (const item of items) {
    if (left < 4) break;
    const spark = item.series && item.count ? ` ${sparkline(item.series, 8)}` : '';
    const tail = item.count ? ` ${item.count}` : '';
    const text = cut(harmless(item.text.replace(/\n/g, '↵')), Math.max(3, left - widthOf(tail) - widthOf(spark)));
    left -= widthOf(text) + widthOf(tail) + widthOf(spark) + 3;
    const colour =
      item.kind === 'error' || item.kind === 'failed'
        ? paint.fail
        : item.kind === 'passed'
          ? paint.pass
          : item.kind === 'value'
            ? paint.value
            : paint.dim;
    parts.push(`${colour(text)}${paint.dim(tail)}${paint.value(spark)}`);
  }
  return parts.join(paint.dim(' · '));
}

/** Numbers as a row of blocks. */
export function sparkline(numbers: readonly number[], width: number): string {
  const step = Math.max(1, (numbers.length - 1) / Math.max(1, width - 1));
  const points =
    numbers.length <= width ? [...numbers] : Array.from({ length: width }, (_, i) => numbers[Math.round(i * step)]!);
  const low = Math.min(...points);
  const high = Math.max(...points);
  return points.map((value) => BLOCKS[high === low ? 3 : Math.round(((value - low) / (high - low)) * 7)]).join('');
}

export function strip(text: string): string {
  return text.replace(/\u001b\[[0-9;]*m/g, '');
}

export function place(file: string, line: number, cwd: string): string {
  const short = relative(cwd, file);
  return `${short === '' || short.startsWith('..') ? file : short}:${line + 1}`;
}
