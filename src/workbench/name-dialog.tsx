/** Where a person says what a file is called. */
import { useEffect, useRef, useState } from 'react';
import type { State } from './state.js';
import type { Store } from './store.js';

export function NameDialog({ store, state }: { store: Store; state: State }) {
  const asked = state.naming!;
  const [name, setName] = useState(asked.suggestion);
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    const { current } = input;
    current?.focus();
    // The extension stays where one types over it.
    const dot = asked.suggestion.lastIndexOf('.');
    current?.setSelectionRange(asked.suggestion.lastIndexOf('/') + 1, dot > 0 ? dot : asked.suggestion.length);
  }, [asked]);
  const close = (): void => {
    store.set({ naming: undefined });
    store.editor?.focus();
  };
  return (
    <div className="veil" onMouseDown={close}>
      <form
        className="commands naming"
        role="dialog"
        aria-label={asked.title}
        onMouseDown={(event) => event.stopPropagation()}
        onKeyDown={(event) => {
          if (event.key === 'Escape') close();
        }}
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim() === '') return;
          close();
          asked.take(name.trim());
        }}
      >
        <label>
          {asked.title}
          <input
            ref={input}
            value={name}
            spellCheck={false}
            autoComplete="off"
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <p className="dim">{asked.hint}</p>
        <div className="tools">
          <button type="submit">
            {asked.verb} <kbd>Enter</kbd>
          </button>
          <button type="button" onClick={close}>
            Leave it <kbd>Esc</kbd>
          </button>
        </div>
      </form>
    </div>
  );
}
