/** The inspector: what was opened last, and what the pad shows. */
import { useMemo, useState } from 'react';
import type { HistoryMessage, StageMessage } from '../server/protocol.js';
import { ComparisonList } from './comparison.js';
import { Controls } from './controls.js';
import { ShownList } from './shown.js';
import { Border, PanelTools } from './panels.js';
import type { Inspected, State } from './state.js';
import type { Store } from './store.js';
import { OpenedValue } from './tree.js';
import { namesOf, numbersOf, shapeOf } from '../views/stream.js';
import type { PlotView } from '../views/view.js';
import { Plot } from './plot.js';
import { Views } from './view-box.js';
import { beginWalk } from './walk.js';

/** @param nothing what is said while nothing is opened, where it is not the workbench's own window */
export function Inspector({ store, state, nothing }: { store: Store; state: State; nothing?: string }) {
  const { inspected, opened, shown, comparisons, side } = state;
  const count = shown.length + comparisons.length;
  const both = count > 0;
  return (
    <aside aria-label="Inspector" tabIndex={0}>
      <Border store={store} state={state} panel="side" />
      <PanelTools store={store} state={state} panel="side" />
      {state.page && !state.alone ? null : <Controls store={store} state={state} />}
      {both ? (
        <div className="tools sides" role="group" aria-label="Inspector shows">
          <button aria-pressed={side === 'shown'} onClick={() => store.set({ side: 'shown' })}>
            Shown {count}
          </button>
          <button aria-pressed={side === 'values'} onClick={() => store.set({ side: 'values' })}>
            Values
          </button>
        </div>
      ) : null}
      {both && side === 'shown' ? (
        <>
          <ComparisonList store={store} state={state} />
          <ShownList store={store} state={state} />
        </>
      ) : null}
      {!both || side === 'values' ? (
        <>
          {opened ? <OpenedValue key={`${opened.moment} ${opened.part}`} store={store} opened={opened} /> : null}
          {inspected ? (
            <>
              <h2>
                <span>Values</span>
                <button className="quiet" onClick={() => store.goTo(state.file, inspected.line, 0)}>
                  line {inspected.line + 1}
                </button>
              </h2>
              <LineValues store={store} state={state} inspected={inspected} />
            </>
          ) : null}
          {!inspected && !opened ? (
            <p className="dim">
              {nothing !== undefined ? (
                nothing
              ) : state.live ? (
                <>
                  Click beside a function, or press <kbd>Ctrl I</kbd> in it, to see its values. <kbd>Ctrl Enter</kbd>{' '}
                  evaluates what is selected, or the statement here.
                </>
              ) : (
                <>
                  Click a value beside the code, or press <kbd>Ctrl I</kbd> on its line, to see all its visits.
                </>
              )}
            </p>
          ) : null}
        </>
      ) : null}
    </aside>
  );
}

/** All that is known of a line. */
export function LineValues({ store, state, inspected }: { store: Store; state: State; inspected: Inspected }) {
  return (
    <>
      {inspected.histories.length === 0 && inspected.chains.length === 0 ? (
        <p className="dim">
          {state.live
            ? state.record?.live?.opened === undefined
              ? 'No function is here: this code ran when the program began. ' + 'Evaluate it, or look into a function.'
              : 'Values stand beside the lines of this function from its next call on.'
            : `This line has no values${state.record?.cursor ? ' as of this moment' : ''}.`}
        </p>
      ) : null}
      {inspected.chains.map((chain, index) => (
        <Chain key={index} store={store} chain={chain} />
      ))}
      {inspected.histories.map((history) => (
        <HistoryCard key={history.site} store={store} state={state} history={history} />
      ))}
    </>
  );
}

function Chain({ store, chain }: { store: Store; chain: { text: string; stages: StageMessage[] } }) {
  return (
    <section className="card" aria-label="Stages of the chain">
      <h3>
        <span>Stages</span>
        <span className="dim">{chain.text}</span>
      </h3>
      <ol className="stages">
        {chain.stages.map((stage, index) => (
          <li key={index}>
            <span className="name">{stage.name}</span>
            <span className="size">{stage.size}</span>
            {stage.openable ? (
              <button
                className="first"
                title={stage.text}
                onClick={() =>
                  store.openValue({
                    moment: stage.moment,
                    part: 0,
                    path: stage.name.endsWith('()') ? 'it' : stage.name,
                    then: stage.text,
                  })
                }
              >
                {stage.text}
              </button>
            ) : (
              <span className="first">{stage.text}</span>
            )}
          </li>
        ))}
      </ol>
    </section>
  );
}

/** Samples that carry the same few numbers over and over, as one line per number. */
function linesOf(history: HistoryMessage): PlotView | undefined {
  const { samples } = history;
  const shape = samples.length >= 5 ? shapeOf(samples[0]!.text) : undefined;
  if (
    shape === undefined ||
    shape === '#' ||
    history.series ||
    !samples.every((sample) => shapeOf(sample.text) === shape)
  )
    return undefined;
  const numbers = samples.map((sample) => numbersOf(sample.text));
  return {
    view: 'plot',
    x: samples.map((sample) => sample.visit),
    lines: namesOf(shape).map((name, index) => ({ name, y: numbers.map((row) => row[index]!) })),
    more: history.omitted,
  };
}

function HistoryCard({ store, state, history }: { store: Store; state: State; history: HistoryMessage }) {
  const [curve, setCurve] = useState(true);
  const lines = useMemo(() => linesOf(history), [history]);
  const cursor = state.record?.cursor ?? null;
  return (
    <section className="card">
      <h3>
        <span>
          {history.mark
            ? `${history.mark.verb ? `${history.mark.verb}: ` : ''}${history.mark.expression || history.name}`
            : history.name || history.kind}
        </span>
        <span className="dim">
          {history.total === 1
            ? 'once'
            : `${history.visits === history.total ? '' : `${history.visits.toLocaleString('en-US')} of `}${history.total.toLocaleString('en-US')} visits`}
        </span>
      </h3>
      {history.views ? <Views views={history.views} /> : null}
      {lines ? <Plot plot={lines} height={140} /> : null}
      {history.series && history.series.length > 2 ? (
        curve ? (
          <Plot plot={{ view: 'plot', lines: [{ name: '', y: history.series }], more: 0 }} height={110} />
        ) : null
      ) : null}
      {history.series && history.series.length > 2 ? (
        <button className="link" onClick={() => setCurve(!curve)}>
          {curve ? 'Hide the curve' : 'Show the curve'}
        </button>
      ) : null}
      <ol>
        {/* Of a program that runs on, the newest is what is looked for. */}
        {(state.live ? [...history.samples].reverse() : history.samples).map((sample, index) => (
          <li
            key={index}
            className={sample.moment === cursor ? 'here' : ''}
            aria-current={sample.moment === cursor ? 'true' : undefined}
          >
            {history.total > 1 ? (
              <button
                className="visit"
                title="Show everything as of this visit"
                aria-label={`Visit ${sample.visit}: show everything as of it`}
                onClick={() => store.moveTo(sample.moment)}
              >
                {sample.visit.toLocaleString('en-US')}
              </button>
            ) : null}
            {state.live || !state.inspected ? null : (
              <button
                className="quiet walk-this"
                title="Walk through the run from this visit on, in both directions"
                aria-label={`Walk from visit ${sample.visit}`}
                onClick={() =>
                  beginWalk(store, { file: state.file, line: state.inspected!.line, number: sample.visit })
                }
              >
                Walk
              </button>
            )}
            {sample.openable ? (
              <button
                className="open"
                title="Open this value"
                onClick={() =>
                  store.openValue({ moment: sample.moment, part: 0, path: history.path, then: sample.text })
                }
              >
                <pre>{sample.text}</pre>
              </button>
            ) : (
              <pre>{sample.text}</pre>
            )}
          </li>
        ))}
      </ol>
      {history.omitted > 0 ? (
        <p className="dim">{history.omitted.toLocaleString('en-US')} samples between are not listed.</p>
      ) : null}
      {history.samples.length + history.omitted < history.visits ? (
        <p className="dim">
          {(history.samples.length + history.omitted).toLocaleString('en-US')} of the visits are sampled; the rest are
          counted.
        </p>
      ) : null}
    </section>
  );
}
