/** The console: equal lines grouped, filtered by level and text; each line leads to its place and its moment. */
import { useMemo, useState } from 'react';
import type { ConsoleMessage } from '../server/protocol.js';
import { Location } from './location.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import { shapeOf, StreamPlot } from './stream.js';

const LEVELS: Record<string, string> = {
  error: 'error',
  warn: 'warning',
  debug: 'debug',
  info: 'info',
  trace: 'trace',
  stdout: 'standard output',
  stderr: 'standard error',
};

interface Group {
  entry: ConsoleMessage;
  count: number;
}

/** Lines that are equal and follow one another become one with a count. */
function grouped(entries: readonly ConsoleMessage[]): Group[] {
  const groups: Group[] = [];
  for (const entry of entries) {
    const last = groups[groups.length - 1];
    if (
      last &&
      !entry.table &&
      last.entry.text === entry.text &&
      last.entry.level === entry.level &&
      last.entry.indent === entry.indent &&
      last.entry.where === entry.where &&
      last.entry.at?.line === entry.at?.line
    )
      last.count++;
    else groups.push({ entry, count: 1 });
  }
  return groups;
}

/** Rows that are drawn; more would slow the page, and nobody reads them. */
const MOST_ROWS = 600;

export function ConsoleList({
  store,
  state,
  entries,
  omitted,
}: {
  store: Store;
  state: State;
  entries: ConsoleMessage[];
  omitted: number;
}) {
  const [filter, setFilter] = useState('');
  const [level, setLevel] = useState('');
  const levels = useMemo(() => [...new Set(entries.map((entry) => entry.level))].sort(), [entries]);
  const groups = useMemo(() => {
    const needle = filter.toLowerCase();
    return grouped(
      entries.filter(
        (entry) =>
          (level === '' || entry.level === level) && (needle === '' || entry.text.toLowerCase().includes(needle)),
      ),
    );
  }, [entries, filter, level]);
  const stream = useMemo(() => streamShape(entries), [entries]);
  if (entries.length === 0)
    return (
      <p className="dim">Nothing was printed{typeof state.record?.cursor === 'number' ? ' by this moment' : ''}.</p>
    );
  const shown =
    groups.length > MOST_ROWS ? [...groups.slice(0, MOST_ROWS / 2), ...groups.slice(-MOST_ROWS / 2)] : groups;
  const hidden = groups.length - shown.length;
  const half = omitted > 0 || hidden > 0 ? Math.floor(shown.length / 2) : shown.length;
  const row = ({ entry, count }: Group) => (
    <ConsoleRow key={entry.moment} store={store} state={state} entry={entry} count={count} />
  );
  return (
    <>
      <div className="tools bar">
        {state.stream === undefined ? (
          <>
            <input
              aria-label="Filter the console by text"
              placeholder="Filter by text"
              value={filter}
              onChange={(event) => setFilter(event.target.value)}
            />
            <select
              aria-label="Filter the console by level"
              value={level}
              onChange={(event) => setLevel(event.target.value)}
            >
              <option value="">all levels</option>
              {levels.map((one) => (
                <option key={one} value={one}>
                  {LEVELS[one] ?? one}
                </option>
              ))}
            </select>
          </>
        ) : null}
        {stream !== undefined ? (
          <button
            aria-pressed={state.stream !== undefined}
            onClick={() => store.set({ stream: state.stream === undefined ? stream : undefined })}
          >
            {state.stream === undefined ? 'Plot these numbers' : 'Back to the lines'}
          </button>
        ) : null}
        {groups.length === 0 ? <span className="dim">No line has this.</span> : null}
      </div>
      {state.stream !== undefined ? (
        <StreamPlot store={store} state={state} shape={state.stream} />
      ) : (
        <>
          {shown.slice(0, half).map(row)}
          {omitted + hidden > 0 ? (
            <div className="dim row">
              {(omitted + hidden).toLocaleString('en-US')} lines more were printed and are only counted here
            </div>
          ) : null}
          {shown.slice(half).map(row)}
        </>
      )}
    </>
  );
}

function ConsoleRow({ store, state, entry, count }: Group & { store: Store; state: State }) {
  return (
    <div className={`row level-${entry.level}${entry.moment === state.record?.cursor ? ' here' : ''}`}>
      <Location store={store} state={state} at={entry.at} />
      {entry.where === undefined ? null : <span className="where">{entry.where}</span>}
      {LEVELS[entry.level] ? <span className="level">{LEVELS[entry.level]}</span> : null}
      {count > 1 ? (
        <span className="times" title={`${count} equal lines`}>
          ×{count.toLocaleString('en-US')}
        </span>
      ) : null}
      {entry.table ? (
        <TableView table={entry.table} />
      ) : (
        <pre style={{ paddingLeft: entry.indent * 16 }}>{entry.text}</pre>
      )}
      {entry.parts.map((part) => (
        <button
          key={part.part}
          className="link"
          title={`Open ${part.text}`}
          onClick={() => store.openValue({ moment: entry.moment, part: part.part, path: 'it', then: part.text })}
        >
          open
        </button>
      ))}
      <button
        className="link moment"
        title="Show everything as of this line"
        aria-label={`Show everything as of moment ${entry.moment}`}
        onClick={() => store.moveTo(entry.moment)}
      >
        moment
      </button>
    </div>
  );
}

/** The shape of lines that carry the same few numbers over and over; undefined when there is none. */
function streamShape(entries: readonly ConsoleMessage[]): string | undefined {
  const counts = new Map<string, number>();
  for (const entry of entries.slice(-200)) {
    const shape = shapeOf(entry.text);
    if (shape !== undefined) counts.set(shape, (counts.get(shape) ?? 0) + 1);
  }
  const [best] = [...counts].sort((a, b) => b[1] - a[1]);
  return best && best[1] >= 5 ? best[0] : undefined;
}

function TableView({ table }: { table: { columns: string[]; rows: string[][] } }) {
  return (
    <table>
      <thead>
        <tr>
          <th />
          {table.columns.map((column) => (
            <th key={column} scope="col">
              {column}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {table.rows.map((cells, index) => (
          <tr key={index}>
            {cells.map((cell, column) => (
              <td key={column}>{cell}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
