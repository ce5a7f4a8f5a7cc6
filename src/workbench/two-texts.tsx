/** The two texts of a conflict beside each other. */
import { MergeView } from '@codemirror/merge';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { useEffect, useRef } from 'react';
import type { State } from './state.js';
import type { Store } from './store.js';

export function TwoTexts({ store, state }: { store: Store; state: State }) {
  const parent = useRef<HTMLDivElement>(null);
  const { other = '' } = state;
  useEffect(() => {
    const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content ?? '';
    const extensions = [EditorView.cspNonce.of(nonce), EditorState.readOnly.of(true), EditorView.editable.of(false)];
    const view = new MergeView({
      parent: parent.current!,
      a: { doc: other, extensions },
      b: { doc: store.editor?.view.state.doc ?? '', extensions },
      collapseUnchanged: { margin: 3, minSize: 6 },
    });
    return () => view.destroy();
  }, [store, other]);
  const close = (): void => store.set({ comparing: false });
  const settle = (take: 'disk' | 'mine'): void => {
    store.settle(take);
    close();
  };
  return (
    <div className="veil" onMouseDown={close}>
      <div
        className="commands two-texts"
        role="dialog"
        aria-label="The file's text and yours"
        onMouseDown={(event) => event.stopPropagation()}
        onKeyDown={(event) => {
          if (event.key === 'Escape') close();
        }}
      >
        <div className="sides">
          <div className="tools">
            <strong>On disk</strong>
            <button autoFocus onClick={() => settle('disk')}>
              Take the file's text
            </button>
          </div>
          <div className="tools">
            <strong>Here</strong>
            <button onClick={() => settle('mine')}>Keep mine</button>
            <button onClick={close}>Close</button>
          </div>
        </div>
        <div className="texts" ref={parent} />
      </div>
    </div>
  );
}
