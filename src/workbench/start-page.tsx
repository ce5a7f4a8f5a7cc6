/** The start page: a pad to type in at once, and below it what there is. Everything by keyboard, with search. */
import { type KeyboardEvent, type ReactNode, useEffect, useRef, useState } from 'react';
import { newPad } from './file-commands.js';
import type { State } from './state.js';
import type { Store } from './store.js';

export function StartPage({ store, state }: { store: Store; state: State }) {
  const [query, setQuery] = useState('');
  const page = useRef<HTMLDivElement>(null);
  useEffect(() => store.tell({ type: 'start' }), [store]);
  const { start } = state;
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (...texts: string[]): boolean => words.every((word) => texts.join(' ').toLowerCase().includes(word));
  const open = (file: string): void => {
    store.leaveStart();
    store.open(file, true);
  };
  // Arrow keys go through all that can be chosen.
  const onKey = (event: KeyboardEvent): void => {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step === 0) return;
    const all = [...page.current!.querySelectorAll<HTMLElement>('input, .choice')];
    const at = all.indexOf(document.activeElement as HTMLElement);
    event.preventDefault();
    if (at + step < 0) store.editor?.focus();
    else all[Math.min(all.length - 1, at + step)]?.focus();
  };
  const recent = (start?.recent ?? []).filter((one) => fits(one.file, one.outcome));
  const known = new Set(recent.map((one) => one.file));
  const files = state.pads.filter((file) => file !== state.file && !known.has(file) && fits(file));
  return (
    <div className="start" ref={page} onKeyDown={onKey} role="region" aria-label="Start">
      <input
        className="search"
        aria-label="Search templates, pads, programs and examples"
        placeholder="Search what is here"
        value={query}
        onChange={(event) => setQuery(event.target.value)}
      />
      <div className="columns">
        <section aria-label="New from a template">
          <h2>
            New from a template <kbd>Alt N</kbd>
          </h2>
          <List empty="No template has these words.">
            {(start?.templates ?? [])
              .filter((one) => fits(one.name, one.sentence))
              .map((one) => (
                <Choice key={one.name} name={one.name} text={one.sentence} run={() => newPad(store, one.name)} />
              ))}
          </List>
        </section>
        <section aria-label="Recent">
          <h2>Recent</h2>
          <List empty={query ? 'None has these words.' : 'Pads that you run stand here, with what came of them.'}>
            {recent.slice(0, 8).map((one) => (
              <Choice key={one.file} name={one.file} text={one.outcome} bad={one.bad} run={() => open(one.file)} />
            ))}
          </List>
          <h2>Live programs</h2>
          <List empty={query ? 'None has these words.' : 'usher-anvil live server.ts starts one, in a terminal.'}>
            {(start?.programs ?? [])
              .filter((one) => fits(one.name, one.file))
              .map((one) => (
                <Choice key={one.name} name={one.name} text={since(one.since)} run={() => join(one.name)} />
              ))}
          </List>
          <h2>Files of this folder</h2>
          <List empty={query ? 'None has these words.' : 'No script is in this folder yet.'}>
            {files.slice(0, query ? 40 : 12).map((file) => (
              <Choice key={file} name={file} text="" run={() => open(file)} />
            ))}
            {files.length > 12 && !query ? (
              <li className="dim">{files.length - 12} more: search, or the list at the top left.</li>
            ) : null}
          </List>
        </section>
        <section aria-label="Examples">
          <h2>Examples</h2>
          {(start?.examples ?? [])
            .filter((one) => fits(one.title, one.sentence))
            .map((one) => (
              <button
                key={one.name}
                className="choice example"
                title={`Copied into this folder, as ${one.name}`}
                onClick={() => {
                  store.leaveStart();
                  store.tell({ type: 'example', name: one.name });
                }}
              >
                <img src={one.picture} alt="" width={86} height={56} />
                <span>
                  <strong>{one.title}</strong>
                  <br />
                  {one.sentence}
                </span>
              </button>
            ))}
        </section>
      </div>
    </div>
  );
}

function List({ children, empty }: { children: ReactNode; empty: string }) {
  const none = Array.isArray(children) ? children.flat().filter(Boolean).length === 0 : !children;
  return none ? <p className="dim">{empty}</p> : <ul>{children}</ul>;
}

function Choice({ name, text, bad = false, run }: { name: string; text: string; bad?: boolean; run(): void }) {
  return (
    <li>
      <button className="choice" onClick={run}>
        <span className="name">{name}</span>
        <span className={bad ? 'text bad' : 'text'}>{text}</span>
      </button>
    </li>
  );
}

function since(begun: string): string {
  const minutes = Math.round((Date.now() - Date.parse(begun)) / 60_000);
  if (minutes < 1) return 'since just now';
  return minutes < 120 ? `since ${minutes} min` : `since ${Math.round(minutes / 60)} h`;
}

/** The workbench on a live program, in this window. */
function join(name: string): void {
  const address = new URL(location.href);
  address.searchParams.set('program', name);
  location.assign(address);
}
