/** The tape: the run as a strip, with a cursor. */
import { useRef } from 'react';
import type { State } from './state.js';
import type { Store } from './store.js';

export function Tape({ store, state }: { store: Store; state: State }) {
  const strip = useRef<HTMLDivElement>(null);
  const last = useRef(0);
  const record = state.good ?? state.record;
  if (!record || record.moments === 0) return <p className="dim">Nothing was reported yet.</p>;
  const { moments, tape, cursor } = record;
  const { from } = tape;
  const placeOf = (moment: number): string => `${((Math.max(from, moment) - from) / (moments - from + 1)) * 100}%`;
  const at = cursor ?? moments;
  const where = (event: React.PointerEvent): number => {
    const box = strip.current!.getBoundingClientRect();
    return from + ((event.clientX - box.left) / box.width) * (moments - from);
  };
  const drag = (event: React.PointerEvent): void => {
    if (event.buttons !== 1) return;
    // As often as a screen shows: what comes between is dropped.
    const now = performance.now();
    if (event.type === 'pointermove' && now - last.current < 16) return;
    last.current = now;
    store.moveTo(where(event));
  };
  const step = Math.max(1, Math.round((moments - from) / 100));
  return (
    <div className="tape">
      <div
        ref={strip}
        className="strip"
        role="slider"
        tabIndex={0}
        aria-label="Moment of the run"
        aria-valuemin={Math.max(1, from)}
        aria-valuemax={moments}
        aria-valuenow={at}
        aria-valuetext={cursor === null ? 'at the end' : `moment ${at} of ${moments}`}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          drag(event);
        }}
        onPointerMove={drag}
        onKeyDown={(event) => {
          if (event.key === 'ArrowLeft') store.moveTo(Math.max(1, at - (event.shiftKey ? step : 1)));
          else if (event.key === 'ArrowRight') store.moveTo(at + (event.shiftKey ? step : 1));
          else if (event.key === 'Home') store.moveTo(Math.max(1, from));
          else if (event.key === 'End') store.moveTo(null);
          else return;
          event.preventDefault();
        }}
      >
        <svg viewBox={`0 0 ${tape.density.length} 100`} preserveAspectRatio="none" aria-hidden="true">
          {tape.density.map((value, index) =>
            value > 0 ? (
              <rect
                key={index}
                x={index}
                y={100 - 8 - value * 60}
                width={1}
                height={8 + value * 60}
                className="density"
              />
            ) : null,
          )}
        </svg>
        {tape.ticks.map((tick, index) => (
          <span key={index} className={`tick ${tick.what}`} style={{ left: placeOf(tick.moment) }} title={tick.text} />
        ))}
        <span className="cursor" style={{ left: placeOf(at) }} />
      </div>
      <div className="tools">
        <span role="status" data-testid="moment">
          {cursor === null
            ? `at the end, moment ${moments.toLocaleString('en-US')}`
            : `as of moment ${at.toLocaleString('en-US')} of ${moments.toLocaleString('en-US')}`}
        </span>
        <button onClick={() => store.step(-1)}>
          Visit before <kbd>Alt ,</kbd>
        </button>
        <button onClick={() => store.step(1)}>
          Visit after <kbd>Alt .</kbd>
        </button>
        <button disabled={cursor === null} onClick={() => store.moveTo(null)}>
          To the end <kbd>Alt E</kbd>
        </button>
        <span className="dim">│ console line ✓ test ✗ failed ╱ error</span>
      </div>
    </div>
  );
}
