/** What a person turns and opens: knobs and gates of the pad, above everything else in the inspector. */
import { useEffect, useState } from 'react';
import type { GateMessage, KnobMessage } from '../server/protocol.js';
import type { State, Store } from './store.js';

export function Controls({ store, state }: { store: Store; state: State }) {
  const record = state.good ?? state.record;
  const knobs = record?.knobs ?? [];
  const gates = record?.gates ?? [];
  if (knobs.length === 0 && gates.length === 0) return null;
  const turned = knobs.some((knob) => knob.value !== knob.initial);
  return (
    <section className="card controls" aria-label="Knobs and gates">
      {knobs.map((knob) => (
        <Knob key={knob.name} store={store} knob={knob} />
      ))}
      {turned ? (
        <div className="tools">
          <button onClick={() => store.writeKnobs()}>Write into the source</button>
          <button onClick={() => store.resetKnobs()}>Back to the source</button>
        </div>
      ) : null}
      {gates.map((gate) => (
        <Gate key={gate.id} store={store} gate={gate} />
      ))}
    </section>
  );
}

function Knob({ store, knob }: { store: Store; knob: KnobMessage }) {
  // The control follows the hand; the run follows as fast as it can.
  const [held, setHeld] = useState(knob.value);
  useEffect(() => setHeld(knob.value), [knob.value]);
  const turn = (value: string | number | boolean): void => {
    setHeld(value);
    store.turn(knob.name, value);
  };
  const number = (text: string): void => {
    const value = Number(text);
    if (text !== '' && Number.isFinite(value)) turn(value);
  };
  const label = { 'aria-label': knob.name };
  return (
    <div className="knob">
      <button
        className="name"
        title={knob.at ? `Go to line ${knob.at.line + 1}` : ''}
        onClick={() => knob.at && store.goTo(knob.at.file, knob.at.line, knob.at.character)}
      >
        {knob.name}
      </button>
      {knob.kind === 'range' ? (
        <>
          <input
            {...label}
            type="range"
            min={knob.min}
            max={knob.max}
            step={knob.step ?? (knob.max! - knob.min!) / 200}
            value={Number(held)}
            onChange={(event) => number(event.target.value)}
          />
          <output>{Number(Number(held).toPrecision(6))}</output>
        </>
      ) : knob.kind === 'number' ? (
        <input {...label} type="number" value={String(held)} onChange={(event) => number(event.target.value)} />
      ) : knob.kind === 'switch' ? (
        <input {...label} type="checkbox" checked={held === true} onChange={(event) => turn(event.target.checked)} />
      ) : knob.kind === 'choice' ? (
        <select
          {...label}
          value={knob.choices!.indexOf(held)}
          onChange={(event) => turn(knob.choices![Number(event.target.value)]!)}
        >
          {knob.choices!.map((choice, index) => (
            <option key={index} value={index}>
              {String(choice)}
            </option>
          ))}
        </select>
      ) : (
        <input
          {...label}
          type={knob.kind === 'colour' ? 'color' : 'text'}
          value={String(held)}
          onChange={(event) => turn(event.target.value)}
        />
      )}
      {knob.value !== knob.initial ? (
        <span className="dim">{`${JSON.stringify(knob.initial)} in the source`}</span>
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
          <button onClick={() => store.openGate(gate.id)}>Open the gate</button>
        </span>
      ) : null}
      <span className="dim">{gate.text}</span>
    </div>
  );
}
