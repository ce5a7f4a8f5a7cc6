/** Where something stands: its line, to go there. */
import type { LocationMessage } from '../server/protocol.js';
import type { State } from './state.js';
import type { Store } from './store.js';

export function Location({ store, state, at }: { store: Store; state: State; at: LocationMessage | undefined }) {
  if (!at) return <span className="at" />;
  return (
    <button
      className="at"
      title={`Go to ${at.file}, line ${at.line + 1}`}
      onClick={() => store.goTo(at.file, at.line, at.character)}
    >
      {at.file === state.file ? at.line + 1 : `${at.file}:${at.line + 1}`}
    </button>
  );
}
