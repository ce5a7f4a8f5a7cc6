/** Walking through a run: a bar with keys, what is read here and where it comes from, variables, frames. */
import { useEffect, useRef, useState } from 'react';
import type { ToServer, WalkStop } from '../server/protocol.js';
import type { Command } from './command.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import { CallTree, Placed } from './walk-calls.js';
import { WalkedPieces } from './walk-pieces.js';

type Asked = Omit<Extract<ToServer, { type: 'walk' }>, 'type'>;

/** Moves with their keys, the same as in the terminal. */
const MOVES: readonly { key: string; shown: string; name: string; asked: Asked }[] = [
  { key: 'ArrowUp', shown: '↑', name: 'Back over', asked: { do: 'over', back: true } },
  { key: 'ArrowDown', shown: '↓', name: 'Over', asked: { do: 'over' } },
  { key: 'ArrowLeft', shown: '←', name: 'Back into', asked: { do: 'into', back: true } },
  { key: 'ArrowRight', shown: '→', name: 'Into', asked: { do: 'into' } },
  { key: 'O', shown: 'O', name: 'Back out', asked: { do: 'out', back: true } },
  { key: 'o', shown: 'o', name: 'Out', asked: { do: 'out' } },
  { key: 'L', shown: 'L', name: 'This line’s last time', asked: { do: 'line', back: true } },
  { key: 'l', shown: 'l', name: 'This line’s next time', asked: { do: 'line' } },
  { key: 'c', shown: 'c', name: 'Into the callback written here', asked: { do: 'callback' } },
  { key: 'e', shown: 'e', name: 'To the entry of this frame', asked: { do: 'entry' } },
  { key: 'x', shown: 'x', name: 'To the exit of this frame', asked: { do: 'exit' } },
  { key: 'f', shown: 'f', name: 'To the failure', asked: { do: 'start' } },
];

const REPEAT: Asked = { do: 'repeat' };

export function walkCommands(store: Store, state: State): Command[] {
  const begin: Command = { name: 'Walk back from the failure', key: 'Ctrl+Alt+B', run: () => beginWalk(store) };
  if (!state.walk) return [begin];
  const here = (back: boolean) => (): void =>
    store.tell({
      ...{ type: 'walk', do: 'here', back, file: state.file },
      ...(store.editor?.selectedRange() ?? { line: store.editor?.currentLine() ?? 0 }),
    });
  return [
    begin,
    {
      name: 'Walk to the next time that the line under the cursor, or what is selected, ran',
      key: 'Alt+ArrowDown',
      run: here(false),
    },
    {
      name: 'Walk to the last time that the line under the cursor, or what is selected, ran',
      key: 'Alt+ArrowUp',
      run: here(true),
    },
    { name: 'Back to the current step of the walk', key: 'Alt+Home', run: () => toStep(store) },
    { name: 'Walk no more', run: () => store.tell({ type: 'walk', do: 'leave' }) },
  ];
}

/** @param from a test by its names from the outermost suite in, a visit of a line, or a pixel; else the first failure */
export function beginWalk(store: Store, from: Pick<Asked, 'test' | 'file' | 'line' | 'number' | 'pixel'> = {}): void {
  store.tell({ type: 'walk', do: 'begin', ...from });
}

function toStep(store: Store): void {
  const stop = store.state.walk?.stop;
  if (stop) store.goTo(stop.at.file, stop.at.line, stop.at.character);
}

export function WalkBar({ store, state }: { store: Store; state: State }) {
  const bar = useRef<HTMLElement>(null);
  const [shows, setShows] = useState(false);
  const { walk, file } = state;
  const stop = walk?.stop;
  const run = useRef<number>(undefined);
  useEffect(() => {
    const isAnew = run.current !== undefined && run.current !== stop?.run;
    run.current = stop?.run;
    // The text was edited: whoever types in it goes on typing.
    if (!stop || (isAnew && document.activeElement?.closest('.cm-editor'))) return;
    if (stop.at.file !== store.state.file) store.open(stop.at.file, false);
    // The keys are the walk's until a person clicks into the code.
    bar.current?.focus();
  }, [store, stop, file]);
  useEffect(() => {
    store.editor?.setWalk(stop ? { stop, file } : null);
  }, [store, stop, file, state.record]);
  if (!walk) return null;
  return (
    <section
      className="walk"
      ref={bar}
      tabIndex={0}
      aria-label="Walk"
      onKeyDown={(event) => {
        if (event.key === 't') setShows(!shows);
        else if (event.key === 'p') togglePieces(store);
        else onKey(store, stop, event);
      }}
    >
      <div className="walk-bar">
        <strong>{stop ? `step ${count(stop.step)} of ${count(stop.total)}` : '…'}</strong>
        {MOVES.map(({ key, shown, name, asked }) => (
          <button key={key} title={`${name} (${shown})`} aria-label={name} onClick={() => go(store, asked)}>
            {shown}
          </button>
        ))}
        <button
          title="What called what, and where the steps went (t)"
          aria-pressed={shows}
          onClick={() => setShows(!shows)}
        >
          Calls
        </button>
        <button
          title="All the code that took part, on one page (p)"
          aria-pressed={state.walkPieces !== undefined}
          onClick={() => togglePieces(store)}
        >
          Pieces
        </button>
        {stop?.part ? (
          <button
            title="Executes the pad once more, with the same clock, random numbers and answers, and keeps the steps around this one (r)"
            onClick={() => go(store, REPEAT)}
          >
            Keep the steps around this one
          </button>
        ) : null}
        <span className={stop?.error ? 'walk-error' : 'dim'} role="status" title={walk.note || stop?.error || ''}>
          {walk.note || stop?.error || ''}
        </span>
        <button className="quiet" onClick={() => store.tell({ type: 'walk', do: 'leave' })}>
          Leave (Esc)
        </button>
      </div>
      {stop ? <Columns store={store} stop={stop} /> : null}
      {stop && state.walkPieces ? <WalkedPieces store={store} shown={state.walkPieces} /> : null}
      {stop && shows ? <CallTree store={store} state={state} stop={stop} /> : null}
    </section>
  );
}

function Columns({ store, stop }: { store: Store; stop: WalkStop }) {
  return (
    <div className="walk-columns">
      <List title="Comes from">
        {stop.sources.map(({ kind, text, value, at }, number) => (
          <li key={number}>
            <button
              disabled={!at}
              title={at ? `Go to where it comes from (${number + 1})` : 'Where it comes from was not recorded'}
              onClick={() => go(store, { do: 'source', number })}
            >
              <b>{number + 1}</b> {kind === 'condition' ? <i>led here </i> : null}
              <code>{text}</code>
              {value === undefined ? null : <span className="walk-text"> {value}</span>}
            </button>
          </li>
        ))}
      </List>
      <List title="Variables">
        {stop.variables.map(({ name, text, changed, own }) => (
          <li key={name} className={`${changed ? 'changed' : ''}${own ? '' : ' outer'}`}>
            <button
              title="Go to where it got this value; with Shift, to where it gets another"
              onClick={(event) => go(store, { do: 'set', name, ...(event.shiftKey ? { next: true } : {}) })}
            >
              <code>{name}</code>
              <span className="walk-text"> {text}</span>
            </button>
          </li>
        ))}
      </List>
      <List title="Frames">
        {stop.frames.map(({ number, name, at }, index) => (
          <li key={number} className={index === 0 ? 'changed' : ''}>
            <button title="Go to where it stands" onClick={() => go(store, { do: 'frame', number })}>
              <Placed name={name} at={at} />
            </button>
          </li>
        ))}
      </List>
    </div>
  );
}

function List({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <div>
      <h3>{title}</h3>
      <ul>{children}</ul>
    </div>
  );
}

function onKey(store: Store, stop: WalkStop | undefined, event: React.KeyboardEvent): void {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === 'Escape') {
    event.preventDefault();
    store.tell({ type: 'walk', do: 'leave' });
    store.editor?.focus();
    return;
  }
  const number = Number(event.key) - 1;
  const asked =
    number >= 0 && number < (stop?.sources.length ?? 0)
      ? ({ do: 'source', number } as const)
      : event.key === 'r' && stop?.part
        ? REPEAT
        : MOVES.find(({ key }) => key === event.key)?.asked;
  if (!asked) return;
  event.preventDefault();
  go(store, asked);
}

/** The code under the current frame, or none. */
function togglePieces(store: Store): void {
  const { walk, walkPieces } = store.state;
  if (walkPieces) store.set({ walkPieces: undefined });
  else go(store, { do: 'pieces', number: walk?.stop?.frames[0]?.number ?? 0 });
}

function go(store: Store, asked: Asked): void {
  store.tell({ type: 'walk', ...asked });
}

const count = (number: number): string => number.toLocaleString('en-US');
