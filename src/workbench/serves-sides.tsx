/** Two requests side by side: which code did one need and not the other, and where their values part. */
import { useState } from 'react';
import type { ShownEntry, ShownSides } from '../server/protocol-entries.js';
import { durationText } from '../views/duration.js';
import type { Serves } from './state.js';
import type { Store } from './store.js';

export function Sides({ store, serves, entry }: { store: Store; serves: Serves; entry: ShownEntry }) {
  const others = entry.requests.filter(({ number }) => number !== entry.request);
  const [chosen, setChosen] = useState<number | undefined>();
  const { request } = entry;
  const { sides } = serves;
  if (request === undefined || others.length === 0) return null;
  const other = others.find(({ number }) => number === chosen) ?? others[0]!;
  return (
    <div className="piece sides">
      <div className="piece-head">
        <strong>Beside another request</strong>
        <select
          aria-label="The other request"
          value={other.number}
          onChange={(event) => setChosen(Number(event.target.value))}
        >
          {others.map(({ number, text, status, ms }) => (
            <option key={number} value={number}>
              {`${number}: ${text}, ${status ?? 'no answer'}, ${durationText(ms)}`}
            </option>
          ))}
        </select>
        <button className="link" onClick={() => store.tell({ type: 'beside', one: request, other: other.number })}>
          Lay them side by side
        </button>
      </div>
      {sides ? <Table sides={sides} /> : null}
    </div>
  );
}

function Table({ sides: { one, other, both, onlyOne, onlyOther, partings } }: { sides: ShownSides }) {
  return (
    <>
      <table>
        <thead>
          <tr>
            <th>code</th>
            <th>{`${one.number}: ${one.text}`}</th>
            <th>{`${other.number}: ${other.text}`}</th>
          </tr>
        </thead>
        <tbody>
          {onlyOne.map((name) => (
            <Needed key={name} name={name} one other={false} />
          ))}
          {onlyOther.map((name) => (
            <Needed key={name} name={name} one={false} other />
          ))}
        </tbody>
      </table>
      <p className="dim">
        {both.length} {both.length === 1 ? 'piece' : 'pieces'} in both
      </p>
      <table>
        <caption>
          {partings.length === 0 ? 'Their values are the same wherever both came' : 'Where their values part'}
        </caption>
        <tbody>
          {partings.map(({ file, line, name, one: first, other: second }) => (
            <tr key={`${file} ${line}`}>
              <th>
                {file} line {line} <span className="dim">{name}</span>
              </th>
              <td>{first}</td>
              <td>{second}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Needed({ name, one, other }: { name: string; one: boolean; other: boolean }) {
  return (
    <tr>
      <th>{name}</th>
      <td>{one ? 'needed' : '—'}</td>
      <td>{other ? 'needed' : '—'}</td>
    </tr>
  );
}
