/** The dock below the code: console, errors, tests. */
import type { ConsoleMessage, ErrorMessage, PlaceMessage, RecordMessage, TestMessage } from '../server/protocol.js';
import type { DockTab, State, Store } from './store.js';

const TABS: { id: DockTab; label: (record: RecordMessage | undefined, state: State) => string }[] = [
  { id: 'console', label: (_, state) => `Console ${count((state.good ?? state.record)?.console.length, (state.good ?? state.record)?.consoleOmitted)}` },
  { id: 'errors', label: (record) => `Errors ${record?.errors.length ?? 0}` },
  {
    id: 'tests',
    label: (_, state) => {
      const tests = (state.good ?? state.record)?.tests ?? [];
      return tests.length === 0 ? 'Tests 0' : `Tests ${tests.filter((test) => test.state === 'passed').length} of ${tests.length}`;
    },
  },
];

function count(shown = 0, omitted = 0): string {
  return (shown + omitted).toLocaleString('en-US');
}

export function Dock({ store, state }: { store: Store; state: State }) {
  const { record, tab } = state;
  const kept = state.good ?? record;
  const old = record?.stale === true && state.good !== undefined;
  return (
    <footer>
      <nav role="tablist" aria-label="Dock">
        {TABS.map(({ id, label }, index) => (
          <button
            key={id}
            role="tab"
            id={`tab-${id}`}
            aria-selected={tab === id}
            aria-controls="dock"
            tabIndex={tab === id ? 0 : -1}
            className={id === 'errors' && (record?.errors.length ?? 0) > 0 ? 'fail' : ''}
            onClick={() => store.set({ tab: id })}
            onKeyDown={(event) => {
              const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
              if (step === 0) return;
              const next = TABS[(index + step + TABS.length) % TABS.length]!.id;
              store.set({ tab: next });
              document.getElementById(`tab-${next}`)?.focus();
            }}
          >
            {label(record, state)}
          </button>
        ))}
        {old && tab !== 'errors' ? <span className="dim">of the last text that ran</span> : null}
      </nav>
      <div id="dock" role="tabpanel" aria-labelledby={`tab-${tab}`} className={`list${old && tab !== 'errors' ? ' old' : ''}`} tabIndex={0}>
        {tab === 'console' ? <ConsoleList store={store} state={state} entries={kept?.console ?? []} omitted={kept?.consoleOmitted ?? 0} /> : null}
        {tab === 'errors' ? <ErrorList store={store} state={state} errors={record?.errors ?? []} /> : null}
        {tab === 'tests' ? <TestList store={store} state={state} tests={kept?.tests ?? []} /> : null}
      </div>
    </footer>
  );
}

function Place({ store, state, at }: { store: Store; state: State; at: PlaceMessage | undefined }) {
  if (!at) return <span className="at" />;
  return (
    <button className="at" title={`Go to ${at.file}, line ${at.line + 1}`} onClick={() => store.goTo(at.file, at.line, at.character)}>
      {at.file === state.file ? at.line + 1 : `${at.file}:${at.line + 1}`}
    </button>
  );
}

const LEVELS: Record<string, string> = {
  error: 'error',
  warn: 'warning',
  debug: 'debug',
  info: 'info',
  trace: 'trace',
  stdout: 'standard output',
  stderr: 'standard error',
};

function ConsoleList({ store, state, entries, omitted }: { store: Store; state: State; entries: ConsoleMessage[]; omitted: number }) {
  if (entries.length === 0) return <p className="dim">Nothing was printed.</p>;
  const half = omitted > 0 ? Math.floor(entries.length / 2) : entries.length;
  const row = (entry: ConsoleMessage, index: number) => (
    <div key={index} className={`row level-${entry.level}`}>
      <Place store={store} state={state} at={entry.at} />
      {LEVELS[entry.level] ? <span className="level">{LEVELS[entry.level]}</span> : null}
      {entry.table ? <TableView table={entry.table} /> : <pre style={{ paddingLeft: entry.indent * 16 }}>{entry.text}</pre>}
    </div>
  );
  return (
    <>
      {entries.slice(0, half).map(row)}
      {omitted > 0 ? <div className="dim row">{omitted.toLocaleString('en-US')} lines more were printed and are only counted here</div> : null}
      {entries.slice(half).map((entry, index) => row(entry, half + index))}
    </>
  );
}

function TableView({ table }: { table: { columns: string[]; rows: string[][] } }) {
  return (
    <table>
      <thead>
        <tr>
          <th />
          {table.columns.map((column) => (
            <th key={column} scope="col">
              {column}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {table.rows.map((cells, index) => (
          <tr key={index}>
            {cells.map((cell, column) => (
              <td key={column}>{cell}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function ErrorList({ store, state, errors }: { store: Store; state: State; errors: ErrorMessage[] }) {
  if (errors.length === 0) return <p className="dim">No errors.</p>;
  return errors.map((error, index) => (
    <div key={index} className="row bad">
      <Place store={store} state={state} at={error.at} />
      <div>
        <pre>
          {error.kind === 'rejection' ? 'nobody handled: ' : ''}
          {error.test ? `${error.test}: ` : ''}
          {error.text}
        </pre>
        {error.received !== undefined && error.expected !== undefined ? (
          <dl>
            <dt>received</dt>
            <dd className="received">{error.received}</dd>
            <dt>expected</dt>
            <dd className="expected">{error.expected}</dd>
          </dl>
        ) : null}
        {error.causes.map((cause, i) => (
          <pre key={i} className="dim">
            caused by {cause}
          </pre>
        ))}
        {error.frames.length > 1 ? (
          <div className="path">
            {error.frames.map((frame, i) => (
              <span key={i}>
                {i > 0 ? ' · ' : ''}
                <button onClick={() => store.goTo(frame.at.file, frame.at.line, frame.at.character)}>
                  {frame.name || 'top level'} {frame.at.file}:{frame.at.line + 1}
                </button>
              </span>
            ))}
          </div>
        ) : null}
      </div>
    </div>
  ));
}

const TEST_MARKS: Record<TestMessage['state'], string> = { passed: '✓', failed: '✗', skipped: '-', todo: '-', running: '…' };

function TestList({ store, state, tests }: { store: Store; state: State; tests: TestMessage[] }) {
  if (tests.length === 0) return <p className="dim">No tests. Write one with test() of node:test.</p>;
  const sorted = [...tests].sort((a, b) => Number(b.state === 'failed') - Number(a.state === 'failed'));
  return sorted.map((test, index) => (
    <div key={index} className={`row test-${test.state}`}>
      <Place store={store} state={state} at={test.at} />
      <span className="mark" role="img" aria-label={test.state}>
        {TEST_MARKS[test.state]}
      </span>
      <pre>{[...test.path, test.name].join(' > ')}</pre>
      <span className="dim">{test.state === 'passed' || test.state === 'failed' ? `${test.durationMs.toFixed(1)} ms` : test.state}</span>
    </div>
  ));
}
