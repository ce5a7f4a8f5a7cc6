/** Where a person pastes the data that `input` reads. */
import { useEffect, useRef, useState } from 'react';
import type { State } from './state.js';
import type { Store } from './store.js';

export function DataDialog({ store, state }: { store: Store; state: State }) {
  const [text, setText] = useState('');
  const area = useRef<HTMLTextAreaElement>(null);
  useEffect(() => area.current?.focus(), []);
  const close = (): void => {
    store.set({ pasting: false });
    store.editor?.focus();
  };
  const take = (name: string, data: string | null): void => {
    store.giveData(name, data);
    close();
  };
  const name = state.record?.data;
  return (
    <div className="veil" onMouseDown={close}>
      <div
        className="commands paste"
        role="dialog"
        aria-label="Data of the pad"
        onMouseDown={(event) => event.stopPropagation()}
        onKeyDown={(event) => {
          if (event.key === 'Escape') close();
          else if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) take('pasted text', text);
        }}
      >
        <p>{name ? `input reads ${name}.` : 'input reads nothing yet.'} Paste text here, or choose a file.</p>
        <textarea
          ref={area}
          aria-label="Text that input reads"
          value={text}
          spellCheck={false}
          onChange={(event) => setText(event.target.value)}
        />
        <div className="tools">
          <button onClick={() => take('pasted text', text)}>
            Use this text <kbd>Ctrl Enter</kbd>
          </button>
          <label className="file-choice">
            Choose a file
            <input
              type="file"
              onChange={(event) => {
                const file = event.target.files?.[0];
                if (file) void file.text().then((content) => take(file.name, content));
              }}
            />
          </label>
          <button onClick={() => take('none', null)}>Only what the pad names</button>
          <button onClick={close}>Close</button>
        </div>
      </div>
    </div>
  );
}
