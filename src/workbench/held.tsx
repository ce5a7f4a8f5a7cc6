/** Calls that failed and wait, what stands still, and breakpoints: with their values, and what can be done. */
import { useEffect, useRef, useState } from 'react';
import type {
  BreakpointMessage,
  HeldCallMessage,
  DoneMessage,
  HeldFrame,
  HeldMessage,
  StandingMessage,
} from '../server/protocol-held.js';
import type { Command } from './command.js';
import { evaluateHere } from './evaluate.js';
import { frameInCode, type ShownFrame } from './held-state.js';
import type { State } from './state.js';
import type { Store } from './store.js';

const MODES = [
  { mode: 'off', text: 'let them fail' },
  { mode: 'on', text: 'hold them' },
  { mode: 'auto', text: 'hold them until their function changes' },
] as const;

/** Keys of what stands still. */
const MOVES = [
  { do: 'on', name: 'Go on', key: 'Alt+F5' },
  { do: 'over', name: 'Over', key: 'Alt+F10' },
  { do: 'into', name: 'Into', key: 'Alt+F11' },
  { do: 'out', name: 'Out', key: 'Alt+Shift+F11' },
] as const;

/** Of calls that are held, in a program that runs on; and of breakpoints. */
export function heldCommands(store: Store, state: State): Command[] {
  const { held, frame } = state;
  const call = held?.calls.find(({ id }) => frame?.of === 'call' && frame.id === id) ?? held?.calls[0];
  const list: Command[] = [
    { name: 'Show held calls and breakpoints', key: 'Ctrl+Alt+H', run: () => store.showTab('held') },
    {
      name: 'Evaluate the selection or the statement here, and stop in it',
      key: 'Ctrl+Shift+Enter',
      run: () => void evaluateHere(store, true),
    },
    ...MODES.filter(({ mode }) => mode !== held?.mode).map(({ mode, text }) => ({
      name: `Calls that fail: ${text}`,
      run: () => store.tell({ type: 'holding', mode }),
    })),
    ...stopCommands(store, state),
  ];
  if (!call) return list;
  list.push({
    name: `Let the held call go on: ${call.name}`,
    key: 'Ctrl+Alt+F',
    run: () => act(store, call, 'again'),
  });
  if (call.misses !== undefined)
    list.push({ name: `Write ${call.misses}`, key: 'Ctrl+Alt+U', run: () => act(store, call, 'write') });
  return list;
}

/** Of breakpoints in a pad. */
export function padStopCommands(store: Store, state: State): Command[] {
  return [
    { name: 'Show breakpoints', key: 'Ctrl+Alt+H', run: () => store.showTab('held') },
    ...(state.held && state.held.standing.length > 0
      ? [{ name: 'Enter code where it stands', key: 'Ctrl+Alt+P', run: () => store.showPrompt() }]
      : []),
    ...stopCommands(store, state),
  ];
}

function stopCommands(store: Store, { held, file }: State): Command[] {
  const standing = held?.standing[0];
  const line = (): number => store.editor?.currentLine() ?? 0;
  const list: Command[] = [
    { name: 'Set a breakpoint on this line, or take it away', key: 'F9', run: () => toggleBreakpoint(store, line()) },
    { name: 'Breakpoint with a condition', key: 'Shift+F9', run: () => askCondition(store, line()) },
    { name: 'Print here without stopping', run: () => askMessage(store, line()) },
    {
      name: 'Stop before the function of this line gives a value',
      run: () => store.tell({ type: 'breakpoint', do: 'set', file, line: line(), where: 'return' }),
    },
    ...(['all', 'uncaught', 'none'] as const)
      .filter((which) => which !== held?.stopsAtErrors)
      .map((which) => ({
        name: `Stop at ${which === 'all' ? 'all errors' : which === 'uncaught' ? 'errors that nobody catches' : 'no error'}`,
        run: () => store.tell({ type: 'errors', which }),
      })),
  ];
  if (standing)
    for (const move of MOVES)
      list.push({ name: `${move.name}, from where it stands`, key: move.key, run: () => go(store, standing, move.do) });
  else
    list.push({
      name: 'Stop at the next statement',
      key: 'Alt+F6',
      run: () => store.tell({ type: 'going', do: 'pause' }),
    });
  return list;
}

function act(store: Store, { id }: HeldCallMessage, what: 'again' | 'fail' | 'drop' | 'write'): void {
  // What was typed is what it goes on with.
  store.sendText();
  store.tell({ type: 'held', id, do: what });
}

function go(store: Store, { where }: StandingMessage, what: (typeof MOVES)[number]['do']): void {
  store.sendText();
  store.tell({ type: 'going', do: what, where });
}

/** A breakpoint on a line of the file that is shown, or none where there is one. */
export function toggleBreakpoint(store: Store, line: number): void {
  const { file, held } = store.state;
  const isThere = held?.breakpoints.some((one) => one.file === file && one.line === line) ?? false;
  store.sendText();
  store.tell({ type: 'breakpoint', do: isThere ? 'clear' : 'set', file, line });
}

function askCondition(store: Store, line: number): void {
  const { file } = store.state;
  store.set({
    naming: {
      title: `Stop on line ${line + 1} when`,
      suggestion: '',
      hint: 'An expression over the names of this line. It is asked each time, and costs next to nothing.',
      verb: 'Set it',
      take: (condition) => store.tell({ type: 'breakpoint', do: 'set', file, line, condition }),
    },
  });
}

function askMessage(store: Store, line: number): void {
  const { file } = store.state;
  store.set({
    naming: {
      title: `Print on line ${line + 1}`,
      suggestion: '',
      hint: 'Text, with expressions in braces: {barge.name} owes {owed}.',
      verb: 'Set it',
      take: (message) => store.tell({ type: 'breakpoint', do: 'set', file, line, message }),
    },
  });
}

/** Shows the values of the frame at its lines, and goes there when another is shown. */
export function HeldInCode({ store, state }: { store: Store; state: State }) {
  const { file, frame, held, record } = state;
  const at = frameInCode(state)?.at;
  const isShown = useRef(false);
  const key = frame && `${frame.of} ${frame.where} ${frame.id} ${frame.number}`;
  useEffect(() => {
    if (key !== undefined && at) store.goTo(at.file, at.line, 0);
    // Only where another frame is shown: a person may look elsewhere meanwhile.
  }, [store, key]);
  useEffect(() => {
    const stop = frameInCode(state);
    // In a pad these lines may be those of a walk.
    if (!state.live && !stop && !isShown.current) return;
    isShown.current = stop !== null;
    // Where another frame is shown the code goes there; then a person may write elsewhere.
    store.editor?.setWalk(stop ? { stop, file } : null, false);
  }, [store, state, held, frame, file, record]);
  useEffect(() => {
    store.editor?.setBreakpoints((held?.breakpoints ?? []).filter((one) => one.file === file));
  }, [store, held, file]);
  return null;
}

export function HeldPanel({ store, state }: { store: Store; state: State }) {
  const { held } = state;
  if (!held) return <p className="dim">Nothing is known of breakpoints yet.</p>;
  return (
    <div className="held">
      {state.live ? <Switch store={store} held={held} /> : null}
      {held.standing.map((standing) => (
        <StandingRow key={`${standing.where} ${standing.number}`} store={store} state={state} standing={standing} />
      ))}
      {held.calls.map((call) => (
        <CallRow key={call.id} store={store} state={state} call={call} />
      ))}
      {held.breakpoints.map((breakpoint) => (
        <BreakpointRow key={breakpoint.id} store={store} breakpoint={breakpoint} />
      ))}
      {held.calls.length + held.standing.length + held.breakpoints.length === 0 ? (
        <p className="dim">
          {state.live ? 'No call is held, and there is no breakpoint.' : 'There is no breakpoint.'} <kbd>F9</kbd> sets
          one on the line of the cursor.
        </p>
      ) : null}
    </div>
  );
}

function Switch({ store, held }: { store: Store; held: HeldMessage }) {
  return (
    <div className="tools" role="group" aria-label="Calls that fail">
      <span>Calls that fail:</span>
      {MODES.map(({ mode, text }) => (
        <button key={mode} aria-pressed={held.mode === mode} onClick={() => store.tell({ type: 'holding', mode })}>
          {text}
        </button>
      ))}
    </div>
  );
}

function CallRow({ store, state, call }: { store: Store; state: State; call: HeldCallMessage }) {
  const [giving, setGiving] = useState<string | undefined>(undefined);
  const { id, name, error, waits, since, until, at, misses, isOver, where } = call;
  return (
    <section className="held-call" aria-label={`Held call ${id}`}>
      <div className="held-head">
        <strong>{waits.join('; ') || name}</strong>
        <span className="bad-text">{error}</span>
        {at ? <Place store={store} at={at} /> : null}
        <span className="dim">
          {where === '' ? '' : `${where}, `}since {timeText(since)}
          {until === undefined ? '' : `, until ${timeText(until)}`}
        </span>
      </div>
      {isOver === undefined ? null : <p className="dim">{isOver}</p>}
      <AlreadyDone store={store} done={call.done} />
      <div className="tools">
        {isOver === undefined ? (
          <>
            <button onClick={() => act(store, call, 'again')}>
              Go on <kbd>Ctrl Alt F</kbd>
            </button>
            {misses === undefined ? null : (
              <button onClick={() => act(store, call, 'write')}>
                Write {misses} <kbd>Ctrl Alt U</kbd>
              </button>
            )}
            <button
              aria-expanded={giving !== undefined}
              onClick={() => setGiving(giving === undefined ? '' : undefined)}
            >
              Give a value
            </button>
          </>
        ) : null}
        <button onClick={() => act(store, call, 'fail')}>Let it fail</button>
        <button onClick={() => act(store, call, 'drop')}>Drop it</button>
      </div>
      {giving === undefined ? null : (
        <form
          className="held-give"
          onSubmit={(event) => {
            event.preventDefault();
            setGiving(undefined);
            store.tell({ type: 'held', id, do: 'give', text: giving });
          }}
        >
          <input
            aria-label="Value that is given"
            autoFocus
            value={giving}
            spellCheck={false}
            placeholder="An expression over the names of the function’s module"
            onChange={(event) => setGiving(event.target.value)}
          />
          <button type="submit">Give it</button>
        </form>
      )}
      <Frames store={store} state={state} frames={call.frames} of={{ of: 'call', where, id, number: 0 }} />
    </section>
  );
}

/** What a call may have done before: whoever calls it again is to know. */
function AlreadyDone({ store, done }: { store: Store; done: readonly DoneMessage[] }) {
  if (done.length === 0) return null;
  return (
    <details className="already-done">
      <summary>May have been done already, and stays done ({done.length})</summary>
      <ul>
        {done.map((one) => (
          <li key={`${one.file} ${one.line} ${one.text}`}>
            <code>{one.text}</code> <Place store={store} at={one} />
          </li>
        ))}
      </ul>
    </details>
  );
}

function StandingRow({ store, state, standing }: { store: Store; state: State; standing: StandingMessage }) {
  const { where, number, why, frames, canBeginAnew } = standing;
  const shown: ShownFrame = { of: 'standing', where, id: number, number: 0 };
  return (
    <section className="held-call standing" aria-label="Stands still">
      <div className="held-head">
        <strong>Stands still{where === '' ? '' : ` in ${where}`}</strong>
        <span>{why}</span>
      </div>
      <div className="tools">
        {MOVES.map((move) => (
          <button key={move.do} onClick={() => go(store, standing, move.do)}>
            {move.name} <kbd>{move.key.replaceAll('+', ' ')}</kbd>
          </button>
        ))}
        {canBeginAnew ? (
          <button
            title="The call of the frame that is shown begins anew, in the newest version of its function; what it did stays done"
            onClick={() => store.tell({ type: 'going', do: 'again', frame: frameOf(state, shown), where })}
          >
            Run this call again
          </button>
        ) : null}
      </div>
      {canBeginAnew ? (
        <AlreadyDone store={store} done={frames.slice(0, frameOf(state, shown) + 1).flatMap(({ done = [] }) => done)} />
      ) : null}
      <Frames store={store} state={state} frames={frames} of={shown} />
    </section>
  );
}

function frameOf({ frame }: State, { of, where, id }: ShownFrame): number {
  return frame?.of === of && frame.where === where && frame.id === id ? frame.number : 0;
}

function Frames({ store, state, frames, of }: { store: Store; state: State; frames: HeldFrame[]; of: ShownFrame }) {
  const { frame } = state;
  const isShown = frame?.of === of.of && frame.where === of.where && frame.id === of.id;
  return (
    <ol className="held-frames" aria-label="Frames">
      {frames.map(({ name, at, variables, unreached }, number) => (
        <li key={number} className={isShown && frame.number === number ? 'shown' : ''}>
          <button
            className="link"
            aria-pressed={isShown && frame.number === number}
            onClick={() => {
              store.set({ frame: { ...of, number } });
              if (of.of === 'standing') store.tell({ type: 'frame', frame: number, where: of.where });
              if (at) store.goTo(at.file, at.line, 0);
            }}
          >
            {name || '(no name)'}
          </button>
          {at ? <span className="dim">{placeText(at)}</span> : null}
          {isShown && frame.number === number && unreached !== undefined ? <p className="dim">{unreached}</p> : null}
          {isShown && frame.number === number ? (
            <dl className="took-part">
              {variables.map((one) => (
                <div key={`${one.name} ${one.part}`}>
                  <dt>{one.name}</dt>
                  <dd>
                    <button
                      className="open"
                      title="Open this value"
                      onClick={() =>
                        store.openValue({ moment: one.moment, part: one.part, path: one.name, then: one.text })
                      }
                    >
                      {one.text}
                    </button>
                  </dd>
                </div>
              ))}
            </dl>
          ) : null}
        </li>
      ))}
    </ol>
  );
}

function BreakpointRow({ store, breakpoint }: { store: Store; breakpoint: BreakpointMessage }) {
  const { file, line, text, why, id } = breakpoint;
  return (
    <div className={`row${why === undefined ? '' : ' bad'}`} aria-label={`Breakpoint ${id}`}>
      <Place store={store} at={breakpoint} />
      <span>breakpoint {id}</span>
      <span>{text}</span>
      {why === undefined ? null : <span className="bad-text">{why}</span>}
      <button className="link" onClick={() => store.tell({ type: 'breakpoint', do: 'clear', file, line })}>
        take it away
      </button>
    </div>
  );
}

function Place({ store, at }: { store: Store; at: { file: string; line: number } }) {
  return (
    <button className="link at" onClick={() => store.goTo(at.file, at.line, 0)}>
      {placeText(at)}
    </button>
  );
}

function placeText({ file, line }: { file: string; line: number }): string {
  return `${file.split('/').pop()!}:${line + 1}`;
}

function timeText(at: number): string {
  return new Date(at).toLocaleTimeString('en-GB');
}
