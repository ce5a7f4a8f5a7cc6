/** The line at the top: which file, how it stands, when it runs and how that went. */
import { newPad, saveFile } from './file-commands.js';
import { MOST_LISTED } from '../wire/constants.js';
import type { State } from './state.js';
import { toggleServes } from './serves-commands.js';
import type { Store } from './store.js';

export function TopLine({ store, state }: { store: Store; state: State }) {
  const { record } = state;
  if (state.starting) return <StartLine store={store} state={state} />;
  const part = state.file !== '' && state.pad !== '' && state.file !== state.pad;
  return (
    <header>
      <select
        className="file"
        aria-label="File"
        value={state.file}
        onChange={(event) => store.open(event.target.value, false)}
      >
        {[...new Set([state.file, ...state.pads])]
          .filter((file) => file !== '' && !state.idle.includes(file))
          .map((file) => (
            <option key={file}>{file}</option>
          ))}
        {state.idle.length > 0 ? (
          <optgroup label="not loaded">
            {state.idle.map((file) => (
              <option key={file}>{file}</option>
            ))}
          </optgroup>
        ) : null}
      </select>
      {state.idle.includes(state.file) ? (
        <span className="pill" title="The program has not loaded this file: nothing in it has run">
          not loaded
        </span>
      ) : null}
      {part && !state.idle.includes(state.file) ? <span className="dim">part of {state.pad}</span> : null}
      <span className="dim" role="status" data-testid="saved">
        {state.untitled ? 'untitled' : state.unsaved ? 'unsaved' : 'saved'}
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
      {state.held && state.held.standing.length > 0 ? (
        <button className="pill then" onClick={() => store.showTab('held')}>
          stands still
        </button>
      ) : null}
      {state.busy ? (
        <span className="pill" role="status">
          {state.busy}
        </span>
      ) : null}
      <Connected state={state} />
      <span className="right">
        {record && !record.ended && !state.live ? (
          <button className="quiet" onClick={() => store.stop()}>
            Stop
          </button>
        ) : null}
        <LiveButtons store={store} state={state} />
        <button className="quiet" onClick={() => saveFile(store)} disabled={!state.unsaved && !state.untitled}>
          Save <kbd>Ctrl S</kbd>
        </button>
        {state.live ? null : (
          <button className="quiet" onClick={() => newPad(store)}>
            New pad <kbd>Alt N</kbd>
          </button>
        )}
        <CommandsButton store={store} />
      </span>
    </header>
  );
}

function Connected({ state }: { state: State }) {
  return state.connected ? null : (
    <span className="pill fail" role="status">
      not connected
    </span>
  );
}

function CommandsButton({ store }: { store: Store }) {
  return (
    <button className="quiet" onClick={() => store.set({ commands: true })}>
      Commands <kbd>Ctrl K</kbd>
    </button>
  );
}

/** The same while the start page is there. */
function StartLine({ store, state }: { store: Store; state: State }) {
  const programs = state.start?.programs.length ?? 0;
  return (
    <header>
      <strong>{state.root}</strong>
      <span className="dim">
        a folder of {state.pads.length >= MOST_LISTED ? 'more than ' : ''}
        {state.pads.length} {state.pads.length === 1 ? 'file' : 'files'}
        {programs > 0 ? `, ${programs} live ${programs === 1 ? 'program' : 'programs'}` : ''}
      </span>
      <Connected state={state} />
      <span className="right">
        <CommandsButton store={store} />
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

function LiveButtons({ store, state: { live, livePage, serves } }: { store: Store; state: State }) {
  if (!live) return null;
  return (
    <>
      {live.site === undefined ? null : (
        <button
          className="quiet"
          aria-pressed={livePage}
          title={`${live.site} beside its code`}
          onClick={() => store.set({ livePage: !livePage })}
        >
          Page
        </button>
      )}
      <button className="quiet" aria-pressed={serves !== undefined} onClick={() => toggleServes(store)}>
        {serves ? 'Files' : 'What serves'} <kbd>Ctrl Alt S</kbd>
      </button>
    </>
  );
}
