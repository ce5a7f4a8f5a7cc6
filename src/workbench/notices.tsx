/** What a person is to know or to decide, above the code. */
import type { ReactNode } from 'react';
import type { State } from './state.js';
import type { Store } from './store.js';

export function Notices({ store, state }: { store: Store; state: State }) {
  return (
    <>
      <TextNotices store={store} state={state} />
      <RunNotices store={store} state={state} />
      {state.note ? (
        <Notice text={state.note}>
          <button onClick={() => store.set({ note: '' })}>Good</button>
        </Notice>
      ) : null}
      {state.additionsHeld.length > 0 ? (
        <Notice
          text={`This project brings code for the workbench itself: ${state.additionsHeld.join(', ')}. It executes here, with your rights, only when you say so.`}
        >
          <button onClick={() => store.letAdditions()}>Execute it</button>
          <button onClick={() => store.set({ additionsHeld: [] })}>Not now</button>
        </Notice>
      ) : null}
      {state.problem ? (
        <Notice text={state.problem} role="alert" fail>
          <button onClick={() => store.set({ problem: '' })}>Close</button>
        </Notice>
      ) : null}
    </>
  );
}

interface NoticeParts {
  text: string;
  role?: 'alert' | 'status';
  fail?: boolean;
  children: ReactNode;
}

function Notice({ text, role = 'status', fail = false, children }: NoticeParts) {
  return (
    <div className={fail ? 'notice fail' : 'notice'} role={role}>
      <span>{text}</span>
      {children}
    </div>
  );
}

/** Which of two texts counts. */
function TextNotices({ store, state }: { store: Store; state: State }) {
  return (
    <>
      {state.conflict ? (
        <Notice
          role="alert"
          text="The file has changed on disk while you have unsaved edits. Nothing is saved until you say which counts."
        >
          <button onClick={() => store.set({ comparing: true })}>Show both</button>
          <button onClick={() => store.settle('disk')}>Take the file's text</button>
          <button onClick={() => store.settle('mine')}>Keep mine</button>
        </Notice>
      ) : null}
      {state.restored && !state.conflict ? (
        <Notice text="This text was not saved last time. It is here again.">
          <button onClick={() => store.set({ restored: false })}>Good</button>
          <button onClick={() => store.settle('disk')}>Take the file's text</button>
        </Notice>
      ) : null}
      {state.left.map((draft) => (
        <Notice
          key={draft.key}
          text={
            `At ${new Date(draft.at).toLocaleTimeString()} a window was closed before the server had all of its text, ` +
            'and the file has changed since. Perhaps some of it is missing here.'
          }
        >
          <button onClick={() => store.settleDraft(draft, true)}>Put its changes in</button>
          <button onClick={() => store.settleDraft(draft, false)}>Forget it</button>
        </Notice>
      ))}
    </>
  );
}

/** What keeps the pad from running as it is meant to. */
function RunNotices({ store, state }: { store: Store; state: State }) {
  const missing = new Set((state.record?.errors ?? []).flatMap((error) => error.package ?? []));
  const held = (state.good ?? state.record)?.gates.find((gate) => gate.held && gate.state === 'closed');
  return (
    <>
      {held && state.runs?.careful === 'asks' ? (
        <Notice
          role="alert"
          text={`${state.runs.pad} wants to ${held.name}. It is held: files of a project run carefully until you say otherwise.`}
        >
          <button onClick={() => store.openGate(held.id)}>Let this through</button>
          <button onClick={() => store.setCareful(true)}>Stay careful</button>
          <button onClick={() => store.setCareful(false)}>Let everything through</button>
        </Notice>
      ) : null}
      {state.runs?.held !== undefined && state.runs.behind ? (
        <Notice text={state.runs.held}>
          <button onClick={() => store.execute()}>Execute it</button>
        </Notice>
      ) : null}
      {[...missing].slice(0, 3).map((name) => (
        <Notice key={name} text={`${name} is not installed.`}>
          <button disabled={state.busy !== ''} onClick={() => store.addPackage(name)}>
            Add {name} for this pad
          </button>
        </Notice>
      ))}
    </>
  );
}
