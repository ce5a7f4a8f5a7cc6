/** What a person turns and opens: dials and gates of the pad, above everything else in the inspector. */
import { useEffect, useState } from 'react';
import type { GateMessage, DialMessage } from '../server/protocol.js';
import type { State } from './state.js';
import type { Store } from './store.js';

export function Controls({ store, state }: { store: Store; state: State }) {
  const record = state.good ?? state.record;
  const dials = record?.dials ?? [];
  const gates = record?.gates ?? [];
  if (dials.length === 0 && gates.length === 0) return null;
  const turned = dials.some((dial) => dial.value !== dial.initial);
  return (
    <section className="card controls" aria-label="Dials and gates">
      {dials.map((dial) => (
        <Dial key={dial.name} store={store} dial={dial} />
      ))}
      {turned ? (
        <div className="tools">
          <button onClick={() => store.writeDials()}>Write into the source</button>
          <button onClick={() => store.resetDials()}>Back to the source</button>
        </div>
      ) : null}
      {gates.map((gate) => (
        <Gate key={gate.id} store={store} gate={gate} />
      ))}
    </section>
  );
}

function Dial({ store, dial }: { store: Store; dial: DialMessage }) {
  // The control follows the hand; the run follows as fast as it can.
  const [held, setHeld] = useState(dial.value);
  useEffect(() => setHeld(dial.value), [dial.value]);
  const turn = (value: string | number | boolean): void => {
    setHeld(value);
    store.turn(dial.name, value);
  };
  const number = (text: string): void => {
    const value = Number(text);
    if (text !== '' && Number.isFinite(value)) turn(value);
  };
  const label = { 'aria-label': dial.name };
  return (
    <div className="dial">
      <button
        className="name"
        title={dial.at ? `Go to line ${dial.at.line + 1}` : ''}
        onClick={() => dial.at && store.goTo(dial.at.file, dial.at.line, dial.at.character)}
      >
        {dial.name}
      </button>
      {dial.kind === 'range' ? (
        <>
          <input
            {...label}
            type="range"
            min={dial.min}
            max={dial.max}
            step={dial.step ?? (dial.max! - dial.min!) / 200}
            value={Number(held)}
            onChange={(event) => number(event.target.value)}
          />
          <output>{Number(Number(held).toPrecision(6))}</output>
        </>
      ) : dial.kind === 'number' ? (
        <input {...label} type="number" value={String(held)} onChange={(event) => number(event.target.value)} />
      ) : dial.kind === 'switch' ? (
        <input {...label} type="checkbox" checked={held === true} onChange={(event) => turn(event.target.checked)} />
      ) : dial.kind === 'choice' ? (
        <select
          {...label}
          value={dial.choices!.indexOf(held)}
          onChange={(event) => turn(dial.choices![Number(event.target.value)]!)}
        >
          {dial.choices!.map((choice, index) => (
            <option key={index} value={index}>
              {String(choice)}
            </option>
          ))}
        </select>
      ) : (
        <input
          {...label}
          type={dial.kind === 'colour' ? 'color' : 'text'}
          value={String(held)}
          onChange={(event) => turn(event.target.value)}
        />
      )}
      {dial.value !== dial.initial ? (
        <span className="dim">{`${JSON.stringify(dial.initial)} in the source`}</span>
      ) : null}
    </div>
  );
}

function Gate({ store, gate }: { store: Store; gate: GateMessage }) {
  return (
    <div className={`gate gate-${gate.state}`}>
      <button className="name" onClick={() => gate.at && store.goTo(gate.at.file, gate.at.line, gate.at.character)}>
        {gate.name}
      </button>
      {gate.state === 'closed' ? (
        <span className="tools">
          <button onClick={() => store.openGate(gate.id)}>{gate.held ? 'Let it through' : 'Open the gate'}</button>
          {gate.held ? <button onClick={() => store.letThrough(gate.name)}>Always in this session</button> : null}
        </span>
      ) : null}
      <span className="dim">{gate.text}</span>
    </div>
  );
}
