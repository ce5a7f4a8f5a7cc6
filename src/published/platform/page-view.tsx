/** The page of a pad beside its code, in a published page: in sandboxed frames of this page. */
import { useEffect, useRef } from 'react';
import type { Command } from '../../workbench/command.js';
import { Controls } from '../../workbench/controls.js';
import { PageFrame } from '../../workbench/page-frame.js';
import type { State } from '../../workbench/state.js';
import type { Store } from '../../workbench/store.js';
import { shownFrames } from './pages.js';

export function pageCommands(store: Store, { page }: State): Command[] {
  if (!page) return [];
  return [
    {
      name: 'Execute the page anew, from the start',
      run: () => store.tell({ type: 'page', do: 'reload' }),
    },
  ];
}

export function PageView({ store, state }: { store: Store; state: State }) {
  const { page } = state;
  if (!page) return null;
  return (
    <PageFrame
      store={store}
      state={state}
      title={`${page.pad}, the page`}
      room={(style) => <Room key={page.host} style={style} />}
      tools={() => (
        <>
          {page.failed ? (
            <span className="fail" role="status">
              as it was before the error
            </span>
          ) : null}
          <button
            className="quiet"
            title="Execute it anew, from the start"
            onClick={() => store.tell({ type: 'page', do: 'reload' })}
          >
            Anew
          </button>
        </>
      )}
      below={<Controls store={store} state={state} />}
    />
  );
}

function Room({ style }: { style: object }) {
  const room = useRef<HTMLDivElement>(null);
  useEffect(() => shownFrames()?.attach(room.current!), []);
  return <div ref={room} className="frames" style={style} />;
}

export const LivePage = (): null => null;
export const livePageCommands = (): [] => [];
