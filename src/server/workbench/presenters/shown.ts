/** What a pad shows on purpose, and numbers that console lines carry, for a window. */
import type { PadRecord } from '../../../record/record.js';
import { valueText } from '../../../runtime/text.js';
import { numbersOf, shapeOf } from '../../../views/stream.js';
import { allViewsOf } from '../../../views/added.js';
import type { ShownMessage, ToWindow } from '../../protocol.js';

type Shown = PadRecord['shown'][number];

export function presentShown(one: Shown, nameOf: (path: string) => string): ShownMessage {
  const { pixels, value, file, line, width, height, calls, partial, clock, threads } = one;
  return {
    id: one.id,
    kind: one.kind,
    title: one.title ?? '',
    ...(file !== undefined && line !== undefined ? { at: { file: nameOf(file), line, character: 0 } } : {}),
    ...(value ? { views: allViewsOf(value), text: valueText(value, 2_000) } : {}),
    ...(width !== undefined && height !== undefined ? { width, height } : {}),
    ...(calls ? { calls } : {}),
    ...(partial ? { partial } : {}),
    ...(clock ? { clock } : {}),
    ...(threads === undefined ? {} : { threads }),
    ...(pixels ? { pixels: presentPixels(pixels) } : {}),
  };
}

function presentPixels({ block, columns, rows, rgba, values }: NonNullable<Shown['pixels']>): ShownMessage['pixels'] {
  const number = (one: number): number | null => (Number.isFinite(one) ? Number(one.toPrecision(6)) : null);
  return {
    block,
    columns,
    rows,
    rgba: Buffer.from(rgba).toString('base64'),
    ...(values ? { values: Array.from(values, number) } : {}),
  };
}

/**
 * The numbers of console lines of one shape that came since the last time.
 *
 * @param follows what is wanted; it is brought up to date
 * @returns undefined where there is nothing new
 */
export function presentNumbers(
  { console }: PadRecord,
  follows: { shape: string; sent: number },
): Extract<ToWindow, { type: 'numbers' }> | undefined {
  const last = console[console.length - 1]?.moment ?? 0;
  // Moments of a new run begin anew.
  if (last < follows.sent) follows.sent = -1;
  const fresh = follows.sent < 0;
  let from = console.length;
  while (from > 0 && console[from - 1]!.moment > follows.sent) from--;
  const points: number[][] = [];
  for (const { text, time } of console.slice(from))
    if (shapeOf(text) === follows.shape) points.push([time, ...numbersOf(text)]);
  follows.sent = Math.max(last, 0);
  return points.length > 0 || fresh ? { type: 'numbers', points, fresh } : undefined;
}
