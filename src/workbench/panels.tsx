/** What panels have in common: a border that is dragged, and buttons that close, grow and part them. */
import type { KeyboardEvent, PointerEvent, ReactNode } from 'react';
import { openAlone } from './alone.js';
import type { State } from './state.js';
import type { Store } from './store.js';

type Panel = 'dock' | 'side';

const NAMES: Record<Panel, string> = { dock: 'dock', side: 'inspector' };

/** The border of a panel: dragged, or moved with the arrow keys. */
export function Border({ store, state, panel }: { store: Store; state: State; panel: Panel }) {
  const { layout } = state;
  const most = panel === 'side' ? innerWidth * 0.8 : innerHeight * 0.8;
  const set = (size: number): void =>
    store.setLayout({ [panel]: Math.round(Math.min(most, Math.max(panel === 'side' ? 200 : 80, size))) });
  const drag = (event: PointerEvent<HTMLDivElement>): void => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    set(panel === 'side' ? innerWidth - event.clientX : innerHeight - event.clientY);
  };
  const key = (event: KeyboardEvent): void => {
    const more = panel === 'side' ? 'ArrowLeft' : 'ArrowUp';
    const less = panel === 'side' ? 'ArrowRight' : 'ArrowDown';
    if (event.key !== more && event.key !== less) return;
    event.preventDefault();
    set(layout[panel] + (event.key === more ? 24 : -24));
  };
  return (
    <div
      className={`border border-${panel}`}
      role="separator"
      aria-orientation={panel === 'side' ? 'vertical' : 'horizontal'}
      aria-label={`Size of the ${NAMES[panel]}`}
      aria-valuenow={layout[panel]}
      aria-valuemin={panel === 'side' ? 200 : 80}
      aria-valuemax={Math.round(most)}
      tabIndex={0}
      onPointerDown={(event) => {
        event.preventDefault();
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={drag}
      onKeyDown={key}
    />
  );
}

/** Grow, part and close. */
export function PanelTools({
  store,
  state,
  panel,
  children,
}: {
  store: Store;
  state: State;
  panel: Panel;
  children?: ReactNode;
}) {
  const name = NAMES[panel];
  if (state.alone) return null;
  const grown = state.grown === panel;
  return (
    <span className="panel-tools">
      {children}
      <button
        className="sign"
        aria-label={grown ? `Give the window back to the code` : `Give the ${name} the window`}
        title={grown ? 'smaller' : 'larger'}
        aria-pressed={grown}
        onClick={() => store.set({ grown: grown ? '' : panel })}
      >
        <Sign path={grown ? 'M2 8h6V2M14 8H8v6' : 'M9 2h5v5M7 14H2V9M14 2 9 7M2 14l5-5'} />
      </button>
      <button
        className="sign"
        aria-label={`Open the ${name} in a window of its own`}
        title="in a window of its own"
        onClick={() => openAlone(panel)}
      >
        <Sign path="M6 3H3v10h10v-3M9 3h4v4M13 3 7 9" />
      </button>
      <button
        className="sign"
        aria-label={`Close the ${name}`}
        title="close"
        onClick={() => store.set(panel === 'dock' ? { dock: 'closed', grown: '' } : { aside: 'closed', grown: '' })}
      >
        <Sign path="M3 3l10 10M13 3 3 13" />
      </button>
    </span>
  );
}

/** A sign that is drawn here: fonts do not all have it. */
export function Sign({ path }: { path: string }) {
  return (
    <svg viewBox="0 0 16 16" width="13" height="13" aria-hidden="true">
      <path d={path} fill="none" stroke="currentColor" strokeWidth="1.5" strokeLinecap="round" />
    </svg>
  );
}
