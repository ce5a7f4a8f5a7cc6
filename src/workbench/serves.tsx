/** Entry points: what comes in on the left, and on one page all the code that works for the one that is picked. */
import { type CSSProperties, type KeyboardEvent, useRef, useState } from 'react';
import type { ShownPoint } from '../server/protocol-entries.js';
import { durationText } from '../views/duration.js';
import { AnswerPart } from './serves-answer.js';
import { pickEntry } from './serves-commands.js';
import { PieceList } from './serves-pieces.js';
import { Sides } from './serves-sides.js';
import type { Serves, State } from './state.js';
import type { Store } from './store.js';
import './serves.css';

export function ServesPage({ store, state, serves }: { store: Store; state: State; serves: Serves }) {
  const [off, setOff] = useState<ReadonlySet<string>>(new Set());
  const { entry } = serves;
  const layers = entry ? [...new Set([...entry.pieces, ...entry.faded].map(({ layer }) => layer))] : [];
  const toggle = (layer: string): void => {
    const next = new Set(off);
    if (!next.delete(layer)) next.add(layer);
    setOff(next);
  };
  return (
    <section
      className={state.page || state.livePage ? 'serves beside-page' : 'serves'}
      style={state.page || state.livePage ? ({ '--page-share': 1 - state.layout.split } as CSSProperties) : {}}
      aria-label="What serves"
    >
      <Points store={store} serves={serves} />
      <div className="served">
        {entry ? (
          <>
            <div className="served-line">
              <strong>{entry.point.key}</strong>
              <span className="dim" role="status">
                {entry.isAsking ? 'asking …' : countText(entry.pieces.length)}
              </span>
              <span className="layers" role="group" aria-label="Layers">
                {layers.map((layer) => (
                  <label key={layer}>
                    <input type="checkbox" checked={!off.has(layer)} onChange={() => toggle(layer)} /> {layer}
                  </label>
                ))}
              </span>
            </div>
            <div className="served-parts">
              {entry.why === undefined ? null : <p className="served-why">{sentence(entry.why)}</p>}
              <PieceList store={store} state={state} entry={entry} off={off} serves={serves} />
              {entry.point.kind === 'request' ? <AnswerPart key={entry.point.key} store={store} entry={entry} /> : null}
              <Sides store={store} serves={serves} entry={entry} />
            </div>
          </>
        ) : (
          <p className="dim served-none">
            Pick what comes in, and all the code that works for it stands here, in the order of calls.
          </p>
        )}
      </div>
    </section>
  );
}

function sentence(text: string): string {
  return `${text[0]!.toUpperCase()}${text.slice(1)}.`;
}

function countText(pieces: number): string {
  return `${pieces} ${pieces === 1 ? 'piece' : 'pieces'}`;
}

function Points({ store, serves }: { store: Store; serves: Serves }) {
  const list = useRef<HTMLUListElement>(null);
  const [query, setQuery] = useState('');
  const entries = (serves.list?.entries ?? []).filter(({ key }) => key.toLowerCase().includes(query.toLowerCase()));
  const picked = serves.entry?.point.key;
  const onKey = (event: KeyboardEvent): void => {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step === 0) return;
    const all = [...list.current!.querySelectorAll('button')];
    event.preventDefault();
    all[
      Math.max(0, Math.min(all.length - 1, all.indexOf(document.activeElement as HTMLButtonElement) + step))
    ]?.focus();
  };
  return (
    <nav className="points" aria-label="Entry points" onKeyDown={onKey}>
      <h2>
        <span>Entry points</span>
        <span>calls</span>
      </h2>
      <input
        className="search"
        aria-label="Search entry points"
        placeholder="Search"
        value={query}
        onChange={(event) => setQuery(event.target.value)}
      />
      {entries.length === 0 ? (
        <p className="dim">{serves.list ? 'Nothing came in yet, and no handler is registered.' : 'Looking …'}</p>
      ) : null}
      <ul ref={list}>
        {entries.map((point) => (
          <li key={point.key}>
            <button
              className={point.count === 0 ? 'point waits' : 'point'}
              aria-current={point.key === picked ? 'true' : undefined}
              title={titleOf(point)}
              onClick={() => pickEntry(store, point.key)}
            >
              <span className="point-name">{point.key}</span>
              {point.failed > 0 ? <span className="fail">{point.failed} failed</span> : null}
              <span className="dim">{point.count === 0 ? 'not yet' : point.count.toLocaleString('en-US')}</span>
            </button>
          </li>
        ))}
      </ul>
    </nav>
  );
}

function titleOf({ key, count, failed, rate, meanMs, lastMs, status, place, where }: ShownPoint): string {
  const facts = [
    count === 0 ? 'registered, and not called yet' : `called ${count === 1 ? 'once' : `${count} times`}`,
    ...(failed > 0 ? [`${failed} failed`] : []),
    ...(rate >= 0.1 ? [`${rate.toFixed(1)} a second`] : []),
    ...(meanMs === undefined ? [] : [`${durationText(meanMs)} on average`]),
    ...(lastMs === undefined ? [] : [`${durationText(lastMs)} the last time`]),
    ...(status === undefined ? [] : [`status ${status}`]),
    ...(where === undefined ? [] : [`in ${where}`]),
    ...(place ? [`${place.file}${place.line === undefined ? '' : ` line ${place.line}`}`] : []),
  ];
  return `${key}: ${facts.join(', ')}`;
}
