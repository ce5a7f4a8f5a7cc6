/** What called what in a run that is walked through, with where its steps went; filtered by name or file. */
import { useEffect, useState } from 'react';
import type { WalkCalls, WalkStop } from '../server/protocol.js';
import type { State } from './state.js';
import type { Store } from './store.js';

type Call = WalkCalls['calls'][number];

export function CallTree({ store, state, stop }: { store: Store; state: State; stop: WalkStop }) {
  const [filter, setFilter] = useState('');
  const [open, setOpen] = useState<ReadonlySet<number>>(new Set());
  useEffect(() => {
    // The way to the current step is open.
    setOpen(new Set(filter === '' ? stop.frames.map(({ number }) => number) : []));
    ask(store, 0, 0, filter);
    if (filter === '') for (const { number } of stop.frames) ask(store, number, 0, filter);
  }, [store, stop.run, filter]);
  const toggle = (number: number): void => {
    const now = new Set(open);
    if (!now.delete(number)) {
      now.add(number);
      ask(store, number, 0, filter);
    }
    setOpen(now);
  };
  const pages = state.walkCalls.filter((page) => page.run === stop.run && page.filter === filter);
  return (
    <div className="walk-calls" onKeyDown={(event) => event.stopPropagation()}>
      <label>
        Calls{' '}
        <input
          type="search"
          placeholder="name or file"
          aria-label="Filter the calls by name or file"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
        />
      </label>
      <Level {...{ store, stop, pages, open, toggle, filter }} under={0} />
    </div>
  );
}

interface LevelProps {
  store: Store;
  stop: WalkStop;
  pages: readonly WalkCalls[];
  open: ReadonlySet<number>;
  toggle(number: number): void;
  filter: string;
  under: number;
}

function Level(props: LevelProps) {
  const { store, stop, pages, open, toggle, filter, under } = props;
  const here = pages.filter((page) => page.under === under).sort((a, b) => a.from - b.from);
  const calls = here.flatMap((page) => page.calls);
  const total = here[0]?.total ?? 0;
  if (here.length === 0) return null;
  if (under === 0 && total === 0) return <p className="dim">No call is called so.</p>;
  return (
    <ul>
      {calls.map((call) => (
        <li key={call.number} className={stop.frames.some(({ number }) => number === call.number) ? 'changed' : ''}>
          <Row {...{ store, call, toggle }} isOpen={open.has(call.number)} />
          {call.more && open.has(call.number) ? <Level {...props} under={call.number} /> : null}
        </li>
      ))}
      {calls.length < total ? (
        <li>
          <button className="quiet" onClick={() => ask(store, under, calls.length, filter)}>
            {(total - calls.length).toLocaleString('en-US')} more
          </button>
        </li>
      ) : null}
    </ul>
  );
}

function Row({ store, call, isOpen, toggle }: { store: Store; call: Call; isOpen: boolean; toggle(n: number): void }) {
  const { number, name, at, steps, share, more } = call;
  return (
    <div className="walk-call">
      <button
        className="quiet"
        disabled={!more}
        aria-label={`${isOpen ? 'Close' : 'Open'} what ${name} called`}
        onClick={() => toggle(number)}
      >
        {more ? (isOpen ? '▾' : '▸') : ' '}
      </button>
      <button title="Go to its first step" onClick={() => store.tell({ type: 'walk', do: 'call', number })}>
        <Placed name={name} at={at} />
      </button>
      <span className="walk-share" role="img" aria-label={`${Math.round(share * 100)} % of all steps`}>
        <span style={{ width: `${share * 100}%` }} />
      </span>
      <span className="dim">{steps.toLocaleString('en-US')} steps</span>
    </div>
  );
}

/** A function with where it is. */
export function Placed({ name, at: { file, line } }: Pick<Call, 'name' | 'at'>) {
  return (
    <>
      <code>{name}</code>
      <span className="dim">
        {' '}
        {file}:{line + 1}
      </span>
    </>
  );
}

function ask(store: Store, number: number, from: number, filter: string): void {
  store.tell({ type: 'walk', do: 'calls', number, from, filter });
}
