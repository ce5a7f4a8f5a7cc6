/** A second file beside the first: a window of its own within this one, on the same texts and runs. */
import { addressOf } from './alone.js';
import { Sign } from './panels.js';
import type { State } from './state.js';
import type { Store } from './store.js';

/** The border between what stands side by side. */
export function Split({ store, state: { layout }, label }: { store: Store; state: State; label: string }) {
  const set = (split: number): void => store.setLayout({ split: Math.min(0.85, Math.max(0.15, split)) });
  return (
    <div
      className="border border-split"
      role="separator"
      aria-orientation="vertical"
      aria-label={label}
      aria-valuenow={Math.round(layout.split * 100)}
      aria-valuemin={15}
      aria-valuemax={85}
      tabIndex={0}
      onPointerDown={(event) => {
        event.preventDefault();
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={(event) => {
        if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
        const box = event.currentTarget.parentElement!.getBoundingClientRect();
        set((event.clientX - box.left) / box.width);
      }}
      onKeyDown={(event) => {
        if (event.key === 'ArrowLeft') set(layout.split - 0.05);
        else if (event.key === 'ArrowRight') set(layout.split + 0.05);
      }}
    />
  );
}

export function SecondFile({ store, state }: { store: Store; state: State }) {
  const { beside, layout } = state;
  const files = [...new Set([beside, ...state.tabs.opened, ...state.pads])].filter(Boolean);
  return (
    <>
      <Split store={store} state={state} label="Share of the first file" />
      <div className="second" style={{ flexBasis: `${(1 - layout.split) * 100}%` }}>
        <div className="second-line">
          <select
            aria-label="Second file"
            value={beside}
            onChange={(event) => store.set({ beside: event.target.value })}
          >
            {files.map((file) => (
              <option key={file}>{file}</option>
            ))}
          </select>
          <button className="sign" aria-label="Close the second file" onClick={() => store.set({ beside: '' })}>
            <Sign path="M3 3l10 10M13 3 3 13" />
          </button>
        </div>
        <iframe key={beside} title={`${beside}, the second file`} src={addressOf('code', beside)} />
      </div>
    </>
  );
}
