/** Plots in views. */
import { useEffect, useRef } from 'react';
import uPlot from 'uplot';
import 'uplot/dist/uPlot.min.css';
import type { PlotView } from '../views/view.js';
import { LINE_COLOURS } from './line-colours.js';

export function Plot({ plot, height = 180 }: { plot: PlotView; height?: number }) {
  const parent = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const element = parent.current!;
    const ink = getComputedStyle(document.documentElement).getPropertyValue('--ink-2').trim();
    const edge = getComputedStyle(document.documentElement).getPropertyValue('--edge').trim();
    const length = Math.max(...plot.lines.map((line) => line.y.length));
    const axis = {
      stroke: ink,
      grid: { stroke: edge, width: 1 },
      ticks: { stroke: edge, width: 1 },
      font: '11px sans-serif',
    };
    const chart = new uPlot(
      {
        width: Math.max(160, element.clientWidth),
        height,
        scales: { x: { time: false } },
        cursor: { drag: { x: true, y: false } },
        legend: { show: plot.lines.length > 1 || plot.lines[0]!.name !== '' },
        axes: [
          { ...axis, size: 26 },
          { ...axis, size: 46 },
        ],
        series: [
          { label: plot.x ? 'x' : 'no.' },
          ...plot.lines.map((line, index) => ({
            label: line.name || 'value',
            stroke: LINE_COLOURS[index % LINE_COLOURS.length]!,
            width: 1.4,
            points: { show: length < 40 },
          })),
        ],
      },
      [plot.x ?? Array.from({ length }, (_, index) => index), ...plot.lines.map((line) => line.y)] as uPlot.AlignedData,
      element,
    );
    const resized = new ResizeObserver(() => chart.setSize({ width: Math.max(160, element.clientWidth), height }));
    resized.observe(element);
    return () => {
      resized.disconnect();
      chart.destroy();
    };
  }, [plot, height]);
  return (
    <div>
      <div
        ref={parent}
        className="plot"
        role="img"
        aria-label={`Plot of ${plot.lines.map((line) => line.name || 'values').join(', ')}`}
      />
      {plot.more > 0 ? <p className="dim">{plot.more.toLocaleString('en-US')} points more are not shown.</p> : null}
    </div>
  );
}
