/** The dock below the code: console, errors, tests. */
import type { ErrorMessage, RecordMessage } from '../server/protocol.js';
import { Fragment } from 'react';
import { ConsoleList } from './console-list.js';
import { HeldPanel } from './held.js';
import { Location } from './location.js';
import { DifferenceTable } from './difference-table.js';
import { Tape } from './tape.js';
import { ChangeList, Prompt } from './prompt.js';
import { PendingList, RequestList } from './requests.js';
import { TestList } from './tests.js';
import { dockIsOpen } from './panel-commands.js';
import { Border, PanelTools } from './panels.js';
import type { DockTab, State } from './state.js';
import type { Store } from './store.js';

type Tab = { id: DockTab; label: (record: RecordMessage | undefined, state: State) => string };

/** Of a program that runs on, other things are to be seen than of a pad. */
const LIVE_TABS: readonly DockTab[] = ['held', 'console', 'errors', 'changes', 'prompt', 'tape'];

/** Of a pad; what stands still takes expressions as well. */
const PAD_TABS: readonly DockTab[] = ['console', 'errors', 'tests', 'requests', 'pending', 'tape', 'held'];

function tabsOf({ live, held }: State): readonly DockTab[] {
  if (live) return LIVE_TABS;
  return held && held.standing.length > 0 ? [...PAD_TABS, 'prompt'] : PAD_TABS;
}

const TABS: Tab[] = [
  {
    id: 'held',
    label: (_, { held, live }) =>
      live
        ? `Held ${(held?.calls.length ?? 0) + (held?.standing.length ?? 0)}`
        : held && held.standing.length > 0
          ? 'Stands still'
          : `Breakpoints ${held?.breakpoints.length ?? 0}`,
  },
  {
    id: 'console',
    label: (_, state) =>
      `Console ${count((state.good ?? state.record)?.console.length, (state.good ?? state.record)?.consoleOmitted)}`,
  },
  { id: 'errors', label: (record) => `Errors ${record?.errors.length ?? 0}` },
  {
    id: 'tests',
    label: (_, state) => {
      const tests = (state.good ?? state.record)?.tests ?? [];
      const leaves = tests.filter((test) => !test.suite);
      return leaves.length === 0
        ? 'Tests 0'
        : `Tests ${leaves.filter((test) => test.state === 'passed').length} of ${leaves.length}`;
    },
  },
  { id: 'requests', label: (_, state) => `Requests ${(state.good ?? state.record)?.requests.length ?? 0}` },
  { id: 'pending', label: (_, state) => `Pending ${(state.good ?? state.record)?.pending.length ?? 0}` },
  { id: 'changes', label: (_, state) => `Changes ${state.changes.length}` },
  { id: 'prompt', label: () => 'Prompt' },
  {
    id: 'tape',
    label: (_, state) => (typeof (state.good ?? state.record)?.cursor === 'number' ? 'Tape, moved' : 'Tape'),
  },
];

function count(shown = 0, omitted = 0): string {
  return (shown + omitted).toLocaleString('en-US');
}

export function Dock({ store, state }: { store: Store; state: State }) {
  const { record, tab } = state;
  const kept = state.good ?? record;
  const tabs = tabsOf(state).map((id) => TABS.find((one) => one.id === id)!);
  const old = record?.stale === true && state.good !== undefined;
  const isOpen = dockIsOpen(state);
  return (
    <footer>
      {isOpen ? <Border store={store} state={state} panel="dock" /> : null}
      <div className="tabs">
        <div className="tab-list" role="tablist" aria-label="Dock">
          {tabs.map(({ id, label }, index) => (
            <button
              key={id}
              role="tab"
              id={`tab-${id}`}
              aria-selected={isOpen && tab === id}
              aria-controls={isOpen ? 'dock' : undefined}
              tabIndex={tab === id ? 0 : -1}
              className={id === 'errors' && (record?.errors.length ?? 0) > 0 ? 'fail' : ''}
              onClick={() => store.showTab(id)}
              onKeyDown={(event) => {
                const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
                if (step === 0) return;
                const next = tabs[(index + step + tabs.length) % tabs.length]!.id;
                store.showTab(next);
                document.getElementById(`tab-${next}`)?.focus();
              }}
            >
              {label(record, state)}
            </button>
          ))}
        </div>
        {old && tab !== 'errors' ? <span className="dim">of the last text that ran</span> : null}
        {isOpen ? <PanelTools store={store} state={state} panel="dock" /> : null}
      </div>
      {isOpen ? (
        <div
          id="dock"
          role="tabpanel"
          aria-labelledby={`tab-${tab}`}
          className={`list${old && tab !== 'errors' ? ' old' : ''}`}
          tabIndex={0}
        >
          {tab === 'console' ? (
            <ConsoleList
              store={store}
              state={state}
              entries={kept?.console ?? []}
              omitted={kept?.consoleOmitted ?? 0}
            />
          ) : null}
          {tab === 'errors' ? <ErrorList store={store} state={state} errors={record?.errors ?? []} /> : null}
          {tab === 'requests' ? <RequestList store={store} state={state} requests={kept?.requests ?? []} /> : null}
          {tab === 'pending' ? <PendingList store={store} state={state} pending={kept?.pending ?? []} /> : null}
          {tab === 'held' ? <HeldPanel store={store} state={state} /> : null}
          {tab === 'changes' ? <ChangeList store={store} state={state} /> : null}
          {tab === 'prompt' ? <Prompt store={store} state={state} /> : null}
          {tab === 'tape' ? <Tape store={store} state={state} /> : null}
          {tab === 'tests' ? <TestList store={store} state={state} tests={kept?.tests ?? []} /> : null}
        </div>
      ) : null}
    </footer>
  );
}

function ErrorList({ store, state, errors }: { store: Store; state: State; errors: ErrorMessage[] }) {
  if (errors.length === 0) return <p className="dim">No errors.</p>;
  return errors.map((error, index) => (
    <div key={index} className="row bad">
      <Location store={store} state={state} at={error.at} />
      <div>
        <pre>
          {error.kind === 'rejection' ? 'nobody handled: ' : ''}
          {error.test ? `${error.test}: ` : ''}
          {error.text}
        </pre>
        {error.reason || error.hint ? (
          <p className="reason">{[error.reason, error.hint].filter(Boolean).join('. ')}</p>
        ) : null}
        {error.values.length > 0 ? (
          <dl className="took-part">
            {error.values.map((one) => (
              <Fragment key={one.name}>
                <dt>{one.name}</dt>
                <dd>{one.text}</dd>
              </Fragment>
            ))}
          </dl>
        ) : null}
        {error.differences ? (
          <DifferenceTable differences={error.differences} />
        ) : error.received !== undefined && error.expected !== undefined ? (
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
        {error.path.length > 1 ? (
          <div className="path" aria-label="Path">
            {error.path.map((step, i) => (
              <Fragment key={i}>
                {i > 0 ? ' ← ' : ''}
                {'folded' in step ? (
                  <span className="dim">({step.folded})</span>
                ) : (
                  <button onClick={() => store.goTo(step.at.file, step.at.line, step.at.character)}>
                    {step.isAsync ? 'await ' : ''}
                    {step.name || 'top level'} {step.at.file}:{step.at.line + 1}
                    {step.times ? ` ×${step.times}` : ''}
                  </button>
                )}
              </Fragment>
            ))}
          </div>
        ) : null}
        {error.package ? (
          <button className="link" disabled={state.busy !== ''} onClick={() => store.addPackage(error.package!)}>
            Add {error.package} for this pad
          </button>
        ) : null}
      </div>
    </div>
  ));
}
