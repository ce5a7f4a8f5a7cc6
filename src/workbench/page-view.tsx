/** A page pad beside its code: in a frame on a host name of its own, at the sizes of usual devices. */
import { useEffect } from 'react';
import type { Command } from './command.js';
import { Controls } from './controls.js';
import { PageFrame } from './page-frame.js';
import { toggleServes } from './serves-commands.js';
import type { State } from './state.js';
import type { Store } from './store.js';

function eventsCommand(store: Store, { serves }: State): Command {
  const name = serves ? 'Show files again' : 'Show the events of the page, and the code that works for them';
  return { name, run: () => toggleServes(store) };
}

export function pageCommands(store: Store, state: State): Command[] {
  const { page } = state;
  const ask = (what: 'keep' | 'renew' | 'reload' | 'page' | 'node') => (): void =>
    store.tell({ type: 'page', do: what });
  if (!page) return [{ name: 'Execute in a page', run: ask('page') }];
  return [
    { name: 'Execute in Node', run: ask('node') },
    ...(page.keeps ? [eventsCommand(store, state)] : []),
    { name: 'Execute the page anew, from the start', run: ask('reload') },
    page.keeps
      ? { name: 'Execute the page anew at each edit', run: ask('renew') }
      : { name: 'Keep the state of the page at each edit', run: ask('keep') },
  ];
}

/** The pixel under the pointer: `x 12, y 40: 3.5 #1f5e86`. */
function pixelText({ x, y, colour, value }: NonNullable<State['pointed']>): string {
  const hex = colour ? ` #${colour.map((part) => part.toString(16).padStart(2, '0')).join('')}` : '';
  return `x ${x}, y ${y}:${value === undefined ? '' : ` ${value}`}${hex.replace(/ff$/, '')}`;
}

interface ToolsProps {
  store: Store;
  state: State;
  giveKeys(): void;
}

function PageTools({ store, state, giveKeys }: ToolsProps) {
  const { pointed, serves } = state;
  const page = state.page!;
  return (
    <>
      {pointed ? (
        <span className="page-pixel" data-testid="page-pixel">
          {pointed.colour ? <i style={{ background: `rgb(${pointed.colour.slice(0, 3).join(' ')})` }} /> : null}
          {pixelText(pointed)}
        </span>
      ) : null}
      {page.failed ? (
        <span className="fail" role="status">
          as it was before the error
        </span>
      ) : null}
      {page.keeps ? (
        <button
          className="quiet"
          aria-pressed={serves !== undefined}
          title="What came in: clicks, keys, timers, and the code that works for each"
          onClick={() => toggleServes(store)}
        >
          {serves ? 'Files' : 'Events'}
        </button>
      ) : null}
      <button className="quiet" title="The keys go to the page" onClick={giveKeys}>
        Keys
      </button>
      <button
        className="quiet"
        title="Execute it anew, from the start"
        onClick={() => store.tell({ type: 'page', do: 'reload' })}
      >
        Anew
      </button>
    </>
  );
}

export function PageView({ store, state }: { store: Store; state: State }) {
  const { page } = state;
  useEffect(() => {
    // A pointer that moves here has left the page, which is not always told of that.
    const onMove = (): void => {
      if (store.state.pointed) store.set({ pointed: undefined });
    };
    window.addEventListener('pointermove', onMove);
    return () => window.removeEventListener('pointermove', onMove);
  }, [store]);
  if (!page) return null;
  return (
    <PageFrame
      store={store}
      state={state}
      title={`${page.pad}, the page`}
      address={`http://${page.host}.localhost:${location.port}/@usher-anvil/page`}
      tools={(giveKeys) => <PageTools store={store} state={state} giveKeys={giveKeys} />}
      below={<Controls store={store} state={state} />}
    >
      <label title="On: an edit patches the page, and what it has stays. Off: each edit executes it anew.">
        <input
          type="checkbox"
          checked={page.keeps}
          onChange={(event) => store.tell({ type: 'page', do: event.target.checked ? 'keep' : 'renew' })}
        />{' '}
        keep its state
      </label>
    </PageFrame>
  );
}

/** The page of a development server, beside the code that it executes: it is patched like any other page of it. */
export function LivePage({ store, state }: { store: Store; state: State }) {
  const { live } = state;
  if (live?.site === undefined) return null;
  return (
    <PageFrame
      store={store}
      state={state}
      title={`${live.name}, the page`}
      // Of another name than the workbench's it has another thread: a loop in it stops the page alone.
      address={location.hostname === '127.0.0.1' ? live.site.replace('//127.0.0.1', '//localhost') : live.site}
      tools={(giveKeys) => (
        <>
          <button className="quiet" title="The keys go to the page" onClick={giveKeys}>
            Keys
          </button>
          <button className="quiet" onClick={() => store.set({ livePage: false })}>
            Close
          </button>
        </>
      )}
    />
  );
}

export function livePageCommands(store: Store, { live, livePage }: State): Command[] {
  if (live?.site === undefined) return [];
  const name = livePage ? 'Close the page beside the code' : 'Show the page beside its code';
  return [{ name, run: () => store.set({ livePage: !livePage }) }];
}
