/** The window: one line at the top, the code, an inspector, a dock. */
import { useEffect, useRef, useSyncExternalStore } from 'react';
import { CommandList, commandFor, commandsOf } from './commands.js';
import { DataDialog } from './data.js';
import { Dock } from './dock.js';
import { mountEditor } from './editor.js';
import { Inspector } from './inspector.js';
import { Notices } from './notices.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import { TwoTexts } from './two-texts.js';

export function App({ store }: { store: Store }) {
  const state = useSyncExternalStore(store.subscribe, store.snapshot);
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k' && !event.altKey) {
        event.preventDefault();
        store.set({ commands: !store.state.commands });
        return;
      }
      if (store.state.commands || store.state.pasting || store.state.comparing) return;
      const command = commandFor(commandsOf(store, store.state), event);
      if (!command) return;
      event.preventDefault();
      event.stopPropagation();
      command.run();
    };
    window.addEventListener('keydown', onKey, true);
    return () => window.removeEventListener('keydown', onKey, true);
  }, [store]);
  return (
    <>
      <TopLine store={store} state={state} />
      <main className={state.runs?.behind ? 'behind' : ''}>
        <Notices store={store} state={state} />
        <EditorPane store={store} />
      </main>
      <Inspector store={store} state={state} />
      <Dock store={store} state={state} />
      {state.comparing && state.conflict ? <TwoTexts store={store} state={state} /> : null}
      {state.pasting ? <DataDialog store={store} state={state} /> : null}
      {state.commands ? <CommandList store={store} state={state} /> : null}
    </>
  );
}

function TopLine({ store, state }: { store: Store; state: State }) {
  const { record } = state;
  const part = state.file !== '' && state.pad !== '' && state.file !== state.pad;
  return (
    <header>
      <select
        className="file"
        aria-label="File"
        value={state.file}
        onChange={(event) => store.open(event.target.value, false)}
      >
        {[...new Set([state.file, ...state.pads])].filter(Boolean).map((pad) => (
          <option key={pad} value={pad}>
            {pad}
          </option>
        ))}
      </select>
      {part ? <span className="dim">part of {state.pad}</span> : null}
      <span className="dim" role="status" data-testid="saved">
        {state.unsaved ? 'unsaved' : 'saved'}
      </span>
      {state.live ? <strong>{state.live.name}</strong> : null}
      {record ? (
        <span
          className="pill"
          title={state.live ? `runs since ${new Date(state.live.since).toLocaleString()}` : undefined}
        >
          {record.summary.run}
        </span>
      ) : null}
      {state.runs ? <When store={store} runs={state.runs} /> : null}
      {record?.live?.opened !== undefined ? (
        <span className="pill then" role="status" data-testid="opened">
          values of {record.live.opened.replace(/\//g, ' › ')}
          <button onClick={() => store.shut()}>counts only</button>
        </span>
      ) : null}
      {record?.live && record.live.waiting.length > 0 ? (
        <span className="pill then" role="status" data-testid="waiting">
          {record.live.waiting.length === 1 ? '1 statement waits' : `${record.live.waiting.length} statements wait`}
          <button
            title={record.live.waiting.map((one) => `line ${one.line + 1}: ${one.text}`).join('\n')}
            onClick={() => store.runWaiting()}
          >
            run
          </button>
        </span>
      ) : null}
      {record ? <Pills store={store} record={record} /> : null}
      {state.busy ? (
        <span className="pill" role="status">
          {state.busy}
        </span>
      ) : null}
      {!state.connected ? (
        <span className="pill fail" role="status">
          not connected
        </span>
      ) : null}
      <span className="right">
        {record && !record.ended && !state.live ? (
          <button className="quiet" onClick={() => store.stop()}>
            Stop
          </button>
        ) : null}
        <button className="quiet" onClick={() => store.save()} disabled={!state.unsaved}>
          Save <kbd>Ctrl S</kbd>
        </button>
        <button className="quiet" onClick={() => store.set({ commands: true })}>
          Commands <kbd>Ctrl K</kbd>
        </button>
      </span>
    </header>
  );
}

/** When the pad executes, and whether it has since the last edit. */
function When({ store, runs }: { store: Store; runs: NonNullable<State['runs']> }) {
  return (
    <>
      <select
        className="when"
        aria-label="When it executes"
        value={runs.when}
        onChange={(event) => store.setWhen(event.target.value as typeof runs.when)}
      >
        <option value="edit">executes at each edit</option>
        <option value="save">executes when saved</option>
        <option value="command">executes on command</option>
      </select>
      {runs.careful === true ? (
        <button
          className="pill whole"
          title="What changes something outside of the pad is held until you let it through; click to hold nothing"
          data-testid="careful"
          onClick={() => store.setCareful(false)}
        >
          careful
        </button>
      ) : null}
      {runs.behind ? (
        <button
          className="pill then whole"
          title="The text has changed since it ran, or has not run yet; click to execute it"
          data-testid="behind"
          onClick={() => store.execute()}
        >
          not run <kbd>Ctrl Enter</kbd>
        </button>
      ) : null}
    </>
  );
}

/** What the top line says of the record. */
function Pills({ store, record }: { store: Store; record: NonNullable<State['record']> }) {
  return (
    <>
      {record.summary.trouble && record.cursor === null ? (
        <span className="pill fail" role="status" data-testid="trouble">
          {record.summary.trouble}
        </span>
      ) : null}
      {!record.summary.trouble && record.summary.tests ? (
        <span className="pill pass">{record.summary.tests}</span>
      ) : null}
      {record.cursor !== null ? (
        <span className="pill then" role="status" data-testid="as-of">
          as of moment {record.cursor.toLocaleString('en-US')} of {record.moments.toLocaleString('en-US')}
          <button onClick={() => store.moveTo(null)}>to the end</button>
        </span>
      ) : null}
      {record.data ? (
        <button className="pill" title="Data that input reads" onClick={() => store.set({ pasting: true })}>
          data: {record.data}
        </button>
      ) : null}
      {record.kept ? (
        <button
          className="pill"
          title="Values kept from an earlier run; click to drop them"
          onClick={() => store.drop()}
        >
          {record.kept.count} kept, {record.kept.age} old
        </button>
      ) : null}
    </>
  );
}

function EditorPane({ store }: { store: Store }) {
  const parent = useRef<HTMLDivElement>(null);
  useEffect(() => mountEditor(parent.current!, store), [store]);
  return <div className="code" ref={parent} />;
}
