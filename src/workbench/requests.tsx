/** The requests a pad made, and what is pending. */
import { useState } from 'react';
import type { PendingMessage, RequestMessage } from '../server/protocol.js';
import { Location } from './location.js';
import type { State } from './state.js';
import type { Store } from './store.js';

export function RequestList({ store, state, requests }: { store: Store; state: State; requests: RequestMessage[] }) {
  const [open, setOpen] = useState<number | undefined>();
  if (requests.length === 0)
    return <p className="dim">No requests. Those made with fetch and node:http are listed here.</p>;
  return requests.map((request) => (
    <div key={request.id} className={`row request${request.bad ? ' bad' : ''}`}>
      <Location store={store} state={state} at={request.at} />
      <span className="mark" role="img" aria-label={request.bad ? 'went wrong' : request.state}>
        {request.bad ? '✗' : request.state === 'open' ? '…' : '✓'}
      </span>
      <div>
        <button
          className="link"
          aria-expanded={open === request.id}
          onClick={() => setOpen(open === request.id ? undefined : request.id)}
        >
          {request.text}
        </button>
        {open === request.id ? (
          <div className="request-details">
            <pre>{request.url}</pre>
            <p className="dim">{request.timing}</p>
            <Headers name="sent" pairs={request.sent} />
            <Headers name="came back" pairs={request.got} />
            {request.body === undefined ? null : (
              <>
                <h3>
                  <span>body</span>
                  {request.openable ? (
                    <button
                      className="quiet"
                      onClick={() =>
                        store.openValue({ moment: request.moment, part: 0, path: 'body', then: request.body! })
                      }
                    >
                      open
                    </button>
                  ) : null}
                </h3>
                <pre>{request.body}</pre>
              </>
            )}
          </div>
        ) : null}
      </div>
    </div>
  ));
}

function Headers({ name, pairs }: { name: string; pairs: [string, string][] }) {
  if (pairs.length === 0) return null;
  return (
    <dl>
      <dt>{name}</dt>
      <dd>
        {pairs.map(([key, value], index) => (
          <div key={index}>
            {key}: {value}
          </div>
        ))}
      </dd>
    </dl>
  );
}

export function PendingList({ store, state, pending }: { store: Store; state: State; pending: PendingMessage[] }) {
  if (pending.length === 0) return <p className="dim">Nothing is pending.</p>;
  return pending.map((one, index) => (
    <div key={index} className="row">
      <Location store={store} state={state} at={one.at} />
      <pre>{one.text}</pre>
      {one.timer === undefined ? null : (
        <button className="quiet" onClick={() => store.stopTimer(one.timer!)}>
          Stop it
        </button>
      )}
    </div>
  ));
}
