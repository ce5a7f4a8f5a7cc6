/** The prompt: code for the module that is open, in a program that runs; and what became of it. */
import { useEffect, useRef, useState } from 'react';
import type { ChangeMessage } from '../server/protocol.js';
import type { NameFound } from '../wire/looking.js';
import type { Value } from '../wire/value.js';
import type { Entry, State } from './state.js';
import { enter as enterInto } from './evaluate.js';
import type { Store } from './store.js';

export function Prompt({ store, state }: { store: Store; state: State }) {
  const [text, setText] = useState('');
  const [names, setNames] = useState<NameFound[]>([]);
  /** How far back in what was entered before; 0 is what is typed now. */
  const [back, setBack] = useState(0);
  const typed = useRef('');
  /** What stands in the line now: an answer to an earlier text is too late. */
  const now = useRef(text);
  now.current = text;
  const area = useRef<HTMLTextAreaElement>(null);
  const end = useRef<HTMLDivElement>(null);
  useEffect(() => {
    area.current?.focus();
  }, [state.promptFocus]);
  useEffect(() => {
    end.current?.scrollIntoView({ block: 'nearest' });
  }, [state.entries, names]);
  const history = state.live?.entered ?? [];

  const enter = async (): Promise<void> => {
    if (text.trim() === '') return;
    setNames([]);
    // Whoever types on does so on a line of its own.
    setText('');
    setBack(0);
    typed.current = '';
    const taken = await enterInto(store, text);
    if (!taken) setText((since) => `${text}\n${since}`);
  };
  const recall = (by: number): void => {
    const next = Math.min(history.length, Math.max(0, back + by));
    if (next === back) return;
    if (back === 0) typed.current = text;
    setBack(next);
    setText(next === 0 ? typed.current : history[history.length - next]!);
  };
  const insert = (name: string, from: number, caret: number): void => {
    setText(text.slice(0, from) + name + text.slice(caret));
    setNames([]);
    requestAnimationFrame(() => {
      area.current?.focus();
      area.current?.setSelectionRange(from + name.length, from + name.length);
    });
  };
  const complete = async (): Promise<void> => {
    const caret = area.current?.selectionStart ?? text.length;
    const { from, names: found } = await store.complete(text.slice(0, caret));
    if (found.length === 0 || now.current !== text) return;
    const common = found.map((one) => one.name).reduce(commonStart);
    if (found.length === 1 || common.length > caret - from) insert(common, from, caret);
    if (found.length > 1) setNames(found);
  };
  const multi = text.includes('\n');
  return (
    <div className="prompt">
      <div className="entries" role="log" aria-label="What was entered">
        {state.entries.length === 0 ? (
          <p className="dim hint">
            <kbd>Enter</kbd> evaluates, <kbd>Shift Enter</kbd> begins a line, <kbd>Tab</kbd> completes, <kbd>↑</kbd>{' '}
            brings back what was entered before
          </p>
        ) : null}
        {state.entries.map((entry) => (
          <EntryRow key={entry.id} store={store} entry={entry} />
        ))}
        <div ref={end} />
      </div>
      {names.length > 0 ? (
        <Names
          names={names}
          choose={(name) => {
            const caret = area.current?.selectionStart ?? text.length;
            insert(name, /[\p{ID_Continue}$]*$/u.exec(text.slice(0, caret))!.index, caret);
          }}
        />
      ) : null}
      <label className="line">
        <span className="dim">{state.file.split('/').pop()} ▸</span>
        <textarea
          ref={area}
          aria-label={`Code for ${state.file}`}
          value={text}
          rows={Math.min(12, text.split('\n').length)}
          spellCheck={false}
          placeholder="Names of this module, await, functions that replace those it has"
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === 'Enter' && !event.shiftKey) void enter();
            else if (event.key === 'Tab' && !event.shiftKey) void complete();
            else if (event.key === 'ArrowUp' && !multi) recall(1);
            else if (event.key === 'ArrowDown' && !multi) recall(-1);
            else if (event.key === 'Escape' && names.length > 0) setNames([]);
            else return;
            event.preventDefault();
          }}
        />
      </label>
    </div>
  );
}

function commonStart(a: string, b: string): string {
  let length = 0;
  while (length < a.length && a[length] === b[length]) length++;
  return a.slice(0, length);
}

/** Names that fit what is typed, to choose from. */
function Names({ names, choose }: { names: readonly NameFound[]; choose(name: string): void }) {
  return (
    <div className="names" role="listbox" aria-label="Names">
      {names.slice(0, 80).map((one) => (
        <button
          key={one.name}
          role="option"
          aria-selected="false"
          title={`${one.text}${one.from ? `, from ${one.from}` : ''}`}
          onClick={() => choose(one.name)}
        >
          {one.name}
        </button>
      ))}
      {names.length > 80 ? <span className="dim">and {names.length - 80} more</span> : null}
    </div>
  );
}

function EntryRow({ store, entry }: { store: Store; entry: Entry }) {
  const { outcome } = entry;
  return (
    <div className="entry">
      <pre className="code-line">▸ {entry.text}</pre>
      {outcome === undefined ? <p className="dim">it runs</p> : null}
      {outcome?.is === 'wrong'
        ? outcome.problems.map((problem, index) => (
            <pre key={index} className="bad-text">
              line {problem.line + 1} {problem.message}
            </pre>
          ))
        : null}
      {outcome?.is === 'failed' ? (
        <pre className="bad-text">{[outcome.text, ...outcome.details].join('\n')}</pre>
      ) : null}
      {outcome?.is === 'done' && outcome.changes !== '' ? <pre className="good-text">{outcome.changes}</pre> : null}
      {outcome?.is === 'done' && outcome.result && !isOpenable(outcome.result.value) ? (
        <pre className="plain-value">{entry.shown}</pre>
      ) : null}
      {outcome?.is === 'done' && outcome.result && isOpenable(outcome.result.value) ? (
        <button
          className="open"
          title="Open this value"
          onClick={() =>
            store.openValue({ moment: outcome.result!.moment, part: 0, path: 'it', then: entry.shown ?? '' })
          }
        >
          <pre>{entry.shown}</pre>
        </button>
      ) : null}
    </div>
  );
}

function isOpenable(value: Value): boolean {
  return value.type === 'object' || value.type === 'function' || (value.type === 'string' && value.size !== undefined);
}

const WORDS: Record<ChangeMessage['kind'], string> = {
  patched: 'done',
  reloaded: 'done',
  refused: 'not done',
  failed: 'not done',
  undone: 'taken back',
  error: 'error',
  ended: 'ended',
};

/** What each save, edit and entry did, the newest last. */
export function ChangeList({ store, state }: { store: Store; state: State }) {
  const end = useRef<HTMLDivElement>(null);
  useEffect(() => {
    end.current?.scrollIntoView({ block: 'nearest' });
  }, [state.changes]);
  const waiting = state.record?.live?.waiting ?? [];
  return (
    <>
      <div className="tools bar">
        <button onClick={() => store.undo()} disabled={state.changes.length === 0}>
          Take the last change back <kbd>Ctrl Alt Z</kbd>
        </button>
        {waiting.length > 0 ? (
          <button onClick={() => store.runWaiting()}>
            Run what waits: {waiting.map((one) => `line ${one.line + 1}`).join(', ')}
          </button>
        ) : null}
      </div>
      {state.changes.length === 0 ? <p className="dim">Nothing was changed since this page was opened.</p> : null}
      {state.changes.map((change, index) => (
        <div
          key={index}
          className={`row change-${change.kind}${/refused|failed|error/.test(change.kind) ? ' bad' : ''}`}
        >
          <span className="at">{change.at}</span>
          <span className="level">{WORDS[change.kind]}</span>
          <div>
            <pre>
              {change.file} {change.text}
              {change.times ? ` ×${change.times}` : ''}
            </pre>
            {change.details.map((detail, k) => (
              <pre key={k} className="dim">
                {detail}
              </pre>
            ))}
          </div>
          {change.kept.map((name) => (
            <button
              key={name}
              className="link"
              title={`Give ${name} the value that the text gives it now`}
              onClick={() => store.reset(change.file, name)}
            >
              reset {name}
            </button>
          ))}
        </div>
      ))}
      <div ref={end} />
    </>
  );
}
