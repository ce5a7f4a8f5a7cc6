/** Draws views. Markup of a pad is only ever the picture of an `<img>`, where it can run nothing and load nothing. */
import { useEffect, useRef, useState } from 'react';
import uPlot from 'uplot';
import 'uplot/dist/uPlot.min.css';
import type { Opened } from '../wire/looking.js';
import { sortedRows, viewsOf, type DrawingView, type PlotView, type TableView, type View } from '../views/view.js';
import { LINE_COLOURS } from './line-colours.js';
import type { Store } from './store.js';

/** Enough of a value for a table of hundreds of rows or a plot of thousands of points. */
const WIDE = { depth: 3, entries: 2_000, text: 200_000, values: 24_000 };
const PICTURE_BYTES = 8_000_000;

const NAMES: Record<View['view'], string> = {
  text: 'Text',
  swatch: 'Colour',
  svg: 'Picture',
  date: 'Date',
  address: 'Parts',
  picture: 'Picture',
  table: 'Table',
  plot: 'Plot',
  drawing: 'Drawing',
};

/** The views of an opened value, read wide. */
export function ViewsOfNode({ store, opened }: { store: Store; opened: Opened }) {
  const [views, setViews] = useState<View[]>([]);
  useEffect(() => {
    let current = true;
    // The tree is drawn first; what takes a wide read follows.
    const later = setTimeout(
      () =>
        void store.look({ do: 'wide', node: opened.node, budget: WIDE }).then((answer) => {
          if (current && answer.is === 'wide') setViews(viewsOf(answer.value));
        }),
      60,
    );
    return () => {
      clearTimeout(later);
      current = false;
    };
  }, [store, opened]);
  return <Views views={views} store={store} node={opened.node} />;
}

/** One view at a time, the best first; the others are a button away. */
export function Views({ views, store, node }: { views: readonly View[]; store?: Store; node?: number }) {
  const [chosen, setChosen] = useState(0);
  const view = views[Math.min(chosen, views.length - 1)];
  if (!view) return null;
  return (
    <div className="views">
      {views.length > 1 ? (
        <div className="tools" role="group" aria-label="Views">
          {views.map((one, index) => (
            <button key={index} aria-pressed={one === view} onClick={() => setChosen(index)}>
              {NAMES[one.view]}
            </button>
          ))}
        </div>
      ) : null}
      <OneView view={view} {...(store && node !== undefined ? { store, node } : {})} />
    </div>
  );
}

function OneView({ view, store, node }: { view: View; store?: Store; node?: number }) {
  switch (view.view) {
    case 'text':
      return <pre className="text-view">{view.text}</pre>;
    case 'swatch':
      return (
        <div className="swatches">
          {view.colours.map((colour, index) => (
            <span key={index} title={colour}>
              <span className="swatch large" style={{ background: colour }} role="img" aria-label={colour} />
              {view.colours.length <= 12 ? <code>{colour}</code> : null}
            </span>
          ))}
        </div>
      );
    case 'svg':
      return <SvgPicture text={view.text} />;
    case 'date':
      return <DateView iso={view.iso} />;
    case 'address':
      return (
        <dl>
          {view.parts.map((part, index) => (
            <div key={index} style={{ display: 'contents' }}>
              <dt>{part.name}</dt>
              <dd>{part.text}</dd>
            </div>
          ))}
        </dl>
      );
    case 'picture':
      return store && node !== undefined ? <BytesPicture store={store} node={node} kind={view.kind} /> : null;
    case 'table':
      return <Table table={view} />;
    case 'plot':
      return <Plot plot={view} />;
    case 'drawing':
      return <Drawing drawing={view} />;
  }
}

const SVG_LIMIT = 2_000_000;

function SvgPicture({ text }: { text: string }) {
  const [broken, setBroken] = useState(false);
  if (text.length > SVG_LIMIT)
    return (
      <p className="dim">
        This SVG has {text.length.toLocaleString('en-US')} characters; up to {SVG_LIMIT.toLocaleString('en-US')} are
        drawn.
      </p>
    );
  if (broken) return <p className="dim">This SVG cannot be drawn. It may be cut off or not well-formed.</p>;
  // Without a namespace an image is not drawn; the text itself stays what it was.
  const source = /xmlns\s*=/.test(text.slice(0, 2_000))
    ? text
    : text.replace(/<svg/i, '<svg xmlns="http://www.w3.org/2000/svg"');
  return (
    <img
      className="picture"
      alt="SVG of the pad"
      src={`data:image/svg+xml;charset=utf-8,${encodeURIComponent(source)}`}
      onError={() => setBroken(true)}
    />
  );
}

function DateView({ iso }: { iso: string }) {
  const date = new Date(iso);
  return (
    <dl>
      <dt>local</dt>
      <dd>{date.toLocaleString(undefined, { dateStyle: 'full', timeStyle: 'long' })}</dd>
      <dt>ISO</dt>
      <dd>{iso}</dd>
    </dl>
  );
}

function BytesPicture({ store, node, kind }: { store: Store; node: number; kind: 'file' | 'pixels' }) {
  const [picture, setPicture] = useState<{ url: string } | { width: number; height: number; data: Uint8Array }>();
  const [note, setNote] = useState('');
  useEffect(() => {
    let current = true;
    void store.look({ do: 'bytes', node, limit: PICTURE_BYTES }).then((answer) => {
      if (!current) return;
      if (answer.is !== 'bytes') setNote('The bytes of this picture cannot be read.');
      else if (answer.size > PICTURE_BYTES)
        setNote(
          `This picture has ${answer.size.toLocaleString('en-US')} bytes; up to ${PICTURE_BYTES.toLocaleString('en-US')} are shown.`,
        );
      else if (kind === 'file') setPicture({ url: `data:${typeOf(answer.bytes)};base64,${answer.bytes}` });
      else setPicture({ width: answer.width!, height: answer.height!, data: bytesOf(answer.bytes) });
    });
    return () => {
      current = false;
    };
  }, [store, node, kind]);
  if (note !== '') return <p className="dim">{note}</p>;
  if (!picture) return null;
  if ('url' in picture) return <img className="picture" alt="Picture in the value" src={picture.url} />;
  return <Pixels width={picture.width} height={picture.height} rgba={picture.data} block={1} columns={picture.width} />;
}

function typeOf(base64: string): string {
  const head = atob(base64.slice(0, 8));
  return head.startsWith('\u0089PNG')
    ? 'image/png'
    : head.startsWith('GIF8')
      ? 'image/gif'
      : head.startsWith('RIFF')
        ? 'image/webp'
        : 'image/jpeg';
}

/** Bytes of a base64 text. */
export function bytesOf(base64: string): Uint8Array {
  const text = atob(base64);
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i);
  return bytes;
}

/** A picture of pixels: zoom with the wheel or the keys + and -, the value under the pointer in words. */
export function Pixels(props: {
  width: number;
  height: number;
  rgba: Uint8Array;
  block: number;
  columns: number;
  values?: readonly (number | null)[];
}) {
  const { width, height, rgba, block, columns, values } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const [zoom, setZoom] = useState(1);
  const [under, setUnder] = useState('');
  const rows = Math.ceil(height / block);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const small = document.createElement('canvas');
    small.width = columns;
    small.height = rows;
    small.getContext('2d')!.putImageData(new ImageData(new Uint8ClampedArray(rgba), columns, rows), 0, 0);
    context.imageSmoothingEnabled = false;
    context.clearRect(0, 0, width, height);
    context.drawImage(small, 0, 0, columns * block, rows * block);
  }, [rgba, width, height, block, columns, rows]);
  const tell = (event: React.PointerEvent): void => {
    const box = canvas.current!.getBoundingClientRect();
    const x = Math.min(width - 1, Math.max(0, Math.floor(((event.clientX - box.left) / box.width) * width)));
    const y = Math.min(height - 1, Math.max(0, Math.floor(((event.clientY - box.top) / box.height) * height)));
    const at = Math.floor(y / block) * columns + Math.floor(x / block);
    const colour = `rgb(${rgba[at * 4]} ${rgba[at * 4 + 1]} ${rgba[at * 4 + 2]})`;
    const value = values?.[at];
    setUnder(
      `x ${x}, y ${y}: ${value === undefined || value === null ? '' : `${value} `}${colour}${block > 1 ? `, of a block of ${block} pixels` : ''}`,
    );
  };
  const change = (by: number): void => setZoom((now) => Math.min(16, Math.max(0.25, now * by)));
  return (
    <figure className="pixels">
      <div className="frame">
        <canvas
          ref={canvas}
          width={width}
          height={height}
          tabIndex={0}
          role="img"
          aria-label={`Picture of ${width} by ${height} pixels`}
          style={{ width: zoom === 1 ? undefined : `${width * zoom}px`, maxWidth: zoom === 1 ? '100%' : 'none' }}
          onPointerMove={tell}
          onPointerLeave={() => setUnder('')}
          onWheel={(event) => {
            if (event.ctrlKey || event.altKey) change(event.deltaY < 0 ? 1.25 : 0.8);
          }}
          onKeyDown={(event) => {
            if (event.key === '+') change(2);
            else if (event.key === '-') change(0.5);
            else if (event.key === '0') setZoom(1);
          }}
        />
      </div>
      <figcaption>
        <span data-testid="pixel" role="status">
          {under || `${width} × ${height}${block > 1 ? ', getting finer' : ''}`}
        </span>
        <span className="tools">
          <button onClick={() => change(2)} aria-label="Zoom in">
            +
          </button>
          <button onClick={() => change(0.5)} aria-label="Zoom out">
            −
          </button>
          <span className="dim">{Math.round(zoom * 100)} %</span>
        </span>
      </figcaption>
    </figure>
  );
}

function Table({ table }: { table: TableView }) {
  const [order, setOrder] = useState<{ column: number; direction: 1 | -1 }>();
  const rows = order ? sortedRows(table, order.column, order.direction) : table.rows;
  const shown = rows.slice(0, 500);
  return (
    <div className="table-view">
      <table>
        <thead>
          <tr>
            <th />
            {table.columns.map((column, index) => (
              <th
                key={column}
                scope="col"
                aria-sort={order?.column === index ? (order.direction > 0 ? 'ascending' : 'descending') : 'none'}
              >
                <button
                  onClick={() =>
                    setOrder({ column: index, direction: order?.column === index && order.direction > 0 ? -1 : 1 })
                  }
                >
                  {column}
                  {order?.column === index ? (order.direction > 0 ? ' ↑' : ' ↓') : ''}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.map((row) => (
            <tr key={row.key}>
              <th scope="row">{row.key}</th>
              {row.cells.map((cell, index) => (
                <td key={index} className={cell.number === undefined ? '' : 'number'}>
                  {cell.text}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length + table.more > shown.length ? (
        <p className="dim">
          {(rows.length + table.more - shown.length).toLocaleString('en-US')} rows more are not shown.
        </p>
      ) : null}
    </div>
  );
}

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

function Drawing({ drawing }: { drawing: DrawingView }) {
  const [left, top, width, height] = drawing.box;
  const size = Math.max(width, height, 1e-9);
  const margin = size * 0.06;
  const thin = size / 200;
  return (
    <svg
      className="drawing"
      role="img"
      aria-label={`Drawing of ${drawing.shapes.length} shapes`}
      viewBox={`${left - margin} ${top - margin} ${Math.max(width, size / 3) + 2 * margin} ${Math.max(height, size / 3) + 2 * margin}`}
    >
      {drawing.shapes.map((shape, index) => {
        const colour = LINE_COLOURS[index % LINE_COLOURS.length]!;
        const title = <title>{shape.label}</title>;
        if (shape.shape === 'point')
          return (
            <circle key={index} cx={shape.x} cy={shape.y} r={thin * 2.5} fill={colour}>
              {title}
            </circle>
          );
        if (shape.shape === 'rectangle')
          return (
            <rect
              key={index}
              x={Math.min(shape.x, shape.x + shape.width)}
              y={Math.min(shape.y, shape.y + shape.height)}
              width={Math.abs(shape.width)}
              height={Math.abs(shape.height)}
              fill={colour}
              fillOpacity={0.18}
              stroke={colour}
              strokeWidth={thin}
            >
              {title}
            </rect>
          );
        const points = shape.points.map((point) => point.join(',')).join(' ');
        return shape.closed ? (
          <polygon key={index} points={points} fill={colour} fillOpacity={0.18} stroke={colour} strokeWidth={thin}>
            {title}
          </polygon>
        ) : (
          <polyline key={index} points={points} fill="none" stroke={colour} strokeWidth={thin}>
            {title}
          </polyline>
        );
      })}
    </svg>
  );
}
