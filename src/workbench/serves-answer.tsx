/** The answer at the end: as a page in a frame of its own, as a tree, as text, as a picture; and the next question. */
import { type FormEvent, useEffect, useState } from 'react';
import type { ShownEntry } from '../server/protocol-entries.js';
import { durationText } from '../views/duration.js';
import { markedPage } from './marked-answer.js';
import type { Store } from './store.js';

type Answer = NonNullable<ShownEntry['answer']>;
type Change = NonNullable<ShownEntry['change']>;
type View = 'page' | 'tree' | 'text' | 'picture';

const NAMES: Record<View, string> = { page: 'Page', tree: 'Tree', text: 'Text', picture: 'Picture' };

function typeOf({ headers }: Answer): string {
  return headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1] ?? '';
}

/** How an answer can be seen, the best first. */
function viewsOf(answer: Answer): View[] {
  const type = typeOf(answer);
  if (/^image\//.test(type)) return answer.body?.base64 ? ['picture'] : ['picture', 'text'];
  if (answer.body?.base64) return [];
  if (/html/.test(type)) return ['page', 'text'];
  return /json/.test(type) && parsed(answer) ? ['tree', 'text'] : ['text'];
}

function parsed({ body }: Answer): { value: unknown } | undefined {
  try {
    return body && !body.isCut ? { value: JSON.parse(body.text) } : undefined;
  } catch {
    return undefined;
  }
}

export function AnswerPart({ store, entry }: { store: Store; entry: ShownEntry }) {
  const { answer, change, point } = entry;
  const [chosen, setChosen] = useState<View | undefined>();
  const views = answer && answer.failed === undefined ? viewsOf(answer) : [];
  const view = chosen && views.includes(chosen) ? chosen : views[0];
  const facts =
    answer && answer.failed === undefined
      ? [String(answer.status ?? ''), typeOf(answer).split(';')[0]!, sizeText(answer), durationText(answer.ms)]
      : [];
  return (
    <article className="piece answer" aria-label="The answer">
      <div className="piece-head">
        <strong>The answer</strong>
        {views.length > 1
          ? views.map((one) => (
              <button key={one} className="quiet" aria-pressed={one === view} onClick={() => setChosen(one)}>
                {NAMES[one]}
              </button>
            ))
          : null}
        {change ? <span className="piece-new">changed</span> : null}
        <span className="piece-facts">{facts.filter(Boolean).join(' · ')}</span>
      </div>
      {point.kind === 'request' ? <Question key={entry.question?.url} store={store} entry={entry} /> : null}
      {change?.status ? (
        <p>
          status <mark>{String(change.status.now ?? 'none')}</mark>, before {String(change.status.before ?? 'none')}
        </p>
      ) : null}
      {answer && view === 'page' ? <Page text={answer.body?.text ?? ''} /> : null}
      {answer && view === 'picture' ? <Picture answer={answer} /> : null}
      {answer && view === 'tree' ? <Tree value={parsed(answer)!.value} path="" name="" change={change} /> : null}
      {answer && view === 'text' ? <Lines answer={answer} change={change} /> : null}
      {answer && answer.failed === undefined ? (
        <details>
          <summary>{answer.headers.length} headers</summary>
          <pre>{answer.headers.map(([name, value]) => `${name}: ${value}`).join('\n')}</pre>
        </details>
      ) : null}
    </article>
  );
}

function sizeText({ body }: Answer): string {
  return body ? `${body.size.toLocaleString('en-US')} bytes` : 'no body';
}

/** The request as it was made, to be made otherwise. */
function Question({ store, entry }: { store: Store; entry: ShownEntry }) {
  const { question, point } = entry;
  const method = question?.method ?? point.method ?? 'GET';
  const [url, setUrl] = useState(question?.url ?? point.lastUrl ?? point.shape ?? '/');
  const [body, setBody] = useState(question?.body?.base64 ? '' : (question?.body?.text ?? ''));
  const changes = method !== 'GET' && method !== 'HEAD' && method !== 'OPTIONS';
  const ask = (event: FormEvent): void => {
    event.preventDefault();
    store.sendText();
    store.tell({ type: 'ask', url, ...(changes && body !== '' ? { body } : {}) });
  };
  return (
    <form className="question" onSubmit={ask}>
      <span>{method}</span>
      <input aria-label="Path that is asked" value={url} onChange={(event) => setUrl(event.target.value)} />
      {changes ? (
        <textarea
          aria-label="Body that is sent"
          placeholder="body"
          rows={2}
          value={body}
          onChange={(event) => setBody(event.target.value)}
        />
      ) : null}
      <button title={changes ? 'It may change something: it is made only now' : 'Alt A'}>
        {question ? 'Ask again' : 'Ask'}
      </button>
    </form>
  );
}

/** A page of the program: in a frame that can run nothing, and reach nothing. */
function Page({ text }: { text: string }) {
  const [shown, setShown] = useState<{ id: string; text: string } | undefined>();
  const before = shown && shown.text !== text ? shown.text : undefined;
  useEffect(() => {
    let gone = false;
    const token = new URLSearchParams(location.search).get('token') ?? '';
    void fetch(`/answer?token=${encodeURIComponent(token)}`, {
      method: 'POST',
      headers: { 'content-type': 'text/plain' },
      body: markedPage(text, before),
    })
      .then((response) => response.text())
      .then((id) => {
        if (!gone) setShown({ id, text });
      });
    return () => void (gone = true);
    // What it was before is what is marked.
  }, [text]);
  if (!shown) return null;
  const token = new URLSearchParams(location.search).get('token') ?? '';
  return (
    <iframe
      className="answer-page"
      title="The answer as a page"
      sandbox=""
      src={`/answer/${encodeURIComponent(shown.id)}?token=${encodeURIComponent(token)}`}
    />
  );
}

function Picture({ answer }: { answer: Answer }) {
  const type = typeOf(answer).split(';')[0]!.trim();
  const { text = '', base64 } = answer.body ?? {};
  const data = base64 ? `data:${type};base64,${text}` : `data:${type};charset=utf-8,${encodeURIComponent(text)}`;
  return <img className="answer-picture" alt="The answer" src={data} />;
}

function Lines({ answer, change }: { answer: Answer; change: Change | undefined }) {
  const added = new Set(change?.lines.added ?? []);
  return (
    <pre className="answer-text">
      {(answer.body?.text ?? '').split('\n').map((line, index) => (
        <span key={index}>
          {added.has(index) ? <mark>{line}</mark> : line}
          {'\n'}
        </span>
      ))}
    </pre>
  );
}

/** Members of one value that are shown. */
const MOST_MEMBERS = 200;

/** A value of JSON; what has changed in it is marked. */
function Tree({
  value,
  name,
  path,
  change,
}: {
  value: unknown;
  name: string;
  path: string;
  change: Change | undefined;
}) {
  const own = change?.places.find((one) => one.path === path);
  const label = name === '' ? null : <span className="tree-key">{name}: </span>;
  if (typeof value !== 'object' || value === null) {
    const text = JSON.stringify(value);
    return (
      <div className="answer-node">
        {label}
        {own ? (
          <>
            <mark>{text}</mark> <span className="dim">{own.before === undefined ? 'new' : `before ${own.before}`}</span>
          </>
        ) : (
          <span className="tree-value">{text}</span>
        )}
      </div>
    );
  }
  const members = Object.entries(value);
  const isList = Array.isArray(value);
  const size = `${members.length} ${isList ? (members.length === 1 ? 'item' : 'items') : members.length === 1 ? 'member' : 'members'}`;
  return (
    <details className="answer-node" open={path.split(/[.[]/).length < 4 || hasChange(change, path)}>
      <summary>
        {label}
        {own ? <mark>new</mark> : null} <span className="dim">{size}</span>
      </summary>
      {members.slice(0, MOST_MEMBERS).map(([key, inner]) => (
        <Tree
          key={key}
          value={inner}
          name={isList ? `[${key}]` : key}
          path={pathTo(path, key, isList)}
          change={change}
        />
      ))}
      {members.length > MOST_MEMBERS ? <p className="dim">… {members.length - MOST_MEMBERS} more</p> : null}
    </details>
  );
}

function hasChange(change: Change | undefined, path: string): boolean {
  return change?.places.some((one) => one.path.startsWith(path)) ?? false;
}

/** As places of changes are written. */
function pathTo(path: string, key: string, isList: boolean): string {
  if (isList) return `${path}[${key}]`;
  if (!/^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(key)) return `${path}[${JSON.stringify(key)}]`;
  return path === '' ? key : `${path}.${key}`;
}
