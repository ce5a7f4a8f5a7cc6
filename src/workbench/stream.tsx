/** Numbers that go on coming, as lines over time. */
import { useEffect, useMemo, useRef, useState } from 'react';
import uPlot from 'uplot';
import { csvOf, namesOf } from '../views/stream.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import { LINE_COLOURS } from './line-colours.js';

export { shapeOf } from '../views/stream.js';

/** Points drawn per line: more than the pixels there are for them. */
const DRAWN = 2_400;

export function StreamPlot({ store, state, shape }: { store: Store; state: State; shape: string }) {
  const names = useMemo(() => namesOf(shape), [shape]);
  const [seconds, setSeconds] = useState(20);
  const [paused, setPaused] = useState(false);
  const [scale, setScale] = useState<'fit' | 'zero'>('fit');
  const [note, setNote] = useState('');
  const parent = useRef<HTMLDivElement>(null);
  useEffect(() => store.follow(shape), [store, shape, state.pad]);
  useEffect(() => {
    // A plot needs more height than lines.
    document.documentElement.dataset.stream = '';
    return () => {
      delete document.documentElement.dataset.stream;
    };
  }, []);
  useEffect(() => {
    return drawStream(parent.current!, store, { names, seconds, paused, scale });
  }, [store, names, seconds, paused, scale, state.theme]);
  const save = (): void => {
    const link = document.createElement('a');
    link.href = `data:text/csv;charset=utf-8,${encodeURIComponent(csvOf(names, store.streamData.points))}`;
    link.download = 'readings.csv';
    link.click();
    setNote(`${store.streamData.points.length.toLocaleString('en-US')} readings exported`);
  };
  return (
    <div className="stream">
      <div className="tools">
        <label>
          the last{' '}
          <select
            value={seconds}
            onChange={(event) => setSeconds(Number(event.target.value))}
            aria-label="Seconds shown"
          >
            {[5, 20, 60, 300].map((one) => (
              <option key={one} value={one}>
                {one} s
              </option>
            ))}
          </select>
        </label>
        <button aria-pressed={paused} onClick={() => setPaused(!paused)}>
          {paused ? 'Go on' : 'Pause'}
        </button>
        <button aria-pressed={scale === 'zero'} onClick={() => setScale(scale === 'fit' ? 'zero' : 'fit')}>
          From zero
        </button>
        <button onClick={save}>Export as CSV</button>
        <span className="dim" role="status">
          {note}
        </span>
      </div>
      <div ref={parent} className="plot" role="img" aria-label={`Readings of ${names.join(', ')} over time`} />
    </div>
  );
}

interface StreamLook {
  names: readonly string[];
  /** How much of the stream is shown, up to now. */
  seconds: number;
  paused: boolean;
  /** The height fits what is shown, or begins at zero. */
  scale: 'fit' | 'zero';
}

/** Draws the store's stream into an element as it grows. Returns a function that ends it. */
function drawStream(element: HTMLElement, store: Store, { names, seconds, paused, scale }: StreamLook): () => void {
  const style = getComputedStyle(document.documentElement);
  const ink = style.getPropertyValue('--ink-2').trim();
  const edge = style.getPropertyValue('--edge').trim();
  const axis = {
    stroke: ink,
    grid: { stroke: edge, width: 1 },
    ticks: { stroke: edge, width: 1 },
    font: '11px sans-serif',
  };
  // What the dock leaves below its two lines of tools and above the legend.
  const height = (): number => Math.max(80, (element.closest('.list')?.clientHeight ?? 220) - 110);
  const chart = new uPlot(
    {
      width: Math.max(200, element.clientWidth),
      height: height(),
      scales: {
        x: { time: false },
        y: {
          range: (_u, low, high) =>
            scale === 'zero'
              ? [Math.min(0, low), Math.max(0, high)]
              : low === high
                ? [low - 1, high + 1]
                : [low - (high - low) * 0.05, high + (high - low) * 0.05],
        },
      },
      cursor: { drag: { x: true, y: false } },
      legend: { show: true },
      axes: [
        { ...axis, size: 26, values: (_u, ticks) => ticks.map((tick) => `${Number(tick.toFixed(2))} s`) },
        { ...axis, size: 50 },
      ],
      series: [
        { label: 'seconds', value: (_u: uPlot, value: number | null) => (value === null ? '' : value.toFixed(2)) },
        ...names.map((name, index) => ({
          label: name,
          stroke: LINE_COLOURS[index % LINE_COLOURS.length]!,
          width: 1.5,
          points: { show: false },
        })),
      ],
    },
    [[], ...names.map(() => [])],
    element,
  );
  let asked = 0;
  const draw = (): void => {
    asked = 0;
    const { points } = store.streamData;
    const last = points[points.length - 1]?.[0] ?? 0;
    let from = points.length;
    while (from > 0 && points[from - 1]![0]! >= last - seconds * 1000) from--;
    const stride = Math.max(1, Math.ceil((points.length - from) / DRAWN));
    const columns: number[][] = [[], ...names.map(() => [] as number[])];
    for (let i = from; i < points.length; i += stride)
      columns.forEach((column, index) => column.push(index === 0 ? points[i]![0]! / 1000 : points[i]![index]!));
    chart.setData(columns as uPlot.AlignedData);
  };
  // One drawing per frame, however many lines came.
  store.streamData.listener = () => {
    if (!paused && asked === 0) asked = requestAnimationFrame(draw);
  };
  draw();
  const resized = new ResizeObserver(() =>
    chart.setSize({ width: Math.max(200, element.clientWidth), height: height() }),
  );
  resized.observe(element);
  return () => {
    store.streamData.listener = undefined;
    cancelAnimationFrame(asked);
    resized.disconnect();
    chart.destroy();
  };
}
