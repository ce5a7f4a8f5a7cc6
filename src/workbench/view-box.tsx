/** Draws views. Markup of a pad is only ever the picture of an `<img>`, where it can run nothing and load nothing. */
import { useEffect, useState } from 'react';
import { type DrawingView, type TableView, type View, sortedRows } from '../views/view.js';
import type { Opened } from '../wire/looking.js';
import { LINE_COLOURS } from './line-colours.js';
import { BytesPicture, SvgPicture } from './pictures.js';
import { Plot } from './plot.js';
import type { Store } from './store.js';

/** Enough of a value for a table of hundreds of rows or a plot of thousands of points. */
const WIDE = { depth: 3, entries: 2_000, text: 200_000, values: 24_000 };

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
          if (current && answer.is === 'wide') setViews(answer.views);
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
