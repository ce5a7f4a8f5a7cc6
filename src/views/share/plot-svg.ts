/** Numbers as curves. */
import { escape } from '../escape.js';
import type { PlotView } from '../view.js';

const LINE_COLOURS = ['#1f5e86', '#d9711f', '#256b5c', '#7a3fc2', '#c29a37', '#8a4b1d'];

export function plotSvg(plot: PlotView): string {
  const width = 640;
  const height = 200;
  const at = (i: number): number => plot.x?.[i] ?? i;
  const xs = plot.lines.flatMap((line) => line.y.map((_, i) => at(i)));
  const ys = plot.lines.flatMap((line) => line.y.filter((y): y is number => y !== null && Number.isFinite(y)));
  if (xs.length === 0 || ys.length === 0) return '<p class="dim">No numbers.</p>';
  const bounds = (list: readonly number[]): [number, number] =>
    list.reduce<[number, number]>(
      ([low, high], value) => [Math.min(low, value), Math.max(high, value)],
      [Infinity, -Infinity],
    );
  const [left, right] = bounds(xs);
  const [low, high] = bounds(ys);
  const px = (x: number): string => (40 + ((x - left) / (right - left || 1)) * (width - 50)).toFixed(1);
  const py = (y: number): string => (height - 24 - ((y - low) / (high - low || 1)) * (height - 40)).toFixed(1);
  const paths = plot.lines.map((line, index) => {
    const points = Array.from(line.y, (y, i) =>
      y === null || !Number.isFinite(y) ? '' : `${px(at(i))},${py(y)}`,
    ).filter(Boolean);
    return (
      `<polyline fill="none" stroke="${LINE_COLOURS[index % LINE_COLOURS.length]!}" stroke-width="1.5" ` +
      `points="${points.join(' ')}"><title>${escape(line.name || 'values')}</title></polyline>`
    );
  });
  const label = (x: number, y: number, text: string, anchor = 'start'): string =>
    `<text x="${x}" y="${y}" font-size="11" fill="currentColor" text-anchor="${anchor}">${escape(text)}</text>`;
  const names =
    plot.lines.length > 1
      ? plot.lines
          .map(
            (line, index) =>
              `<tspan fill="${LINE_COLOURS[index % LINE_COLOURS.length]!}">${escape(line.name)} </tspan>`,
          )
          .join('')
      : '';
  return (
    `<svg width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" role="img" aria-label="a ` +
    `plot">${paths.join('')}${label(36, 20, short(high), 'end')}${label(36, height - 24, short(low), 'end')}${label(40, height - 6, short(left))}${label(width - 10, height - 6, short(right), 'end')}${names === '' ? '' : `<text x="48" y="12" font-size="11">${names}</text>`}</svg>`
  );
}

function short(value: number): string {
  return Number(value.toPrecision(4)).toLocaleString('en-US');
}
