/** A value as a tree that opens page by page. Walked with the arrow keys. */
import { useEffect, useState, type KeyboardEvent } from 'react';
import { PAGE } from '../wire/constants.js';
import type { Member, Opened } from '../wire/looking.js';
import { valueText } from '../runtime/text.js';
import type { OpenValue } from './state.js';
import type { Store } from './store.js';
import { ViewsOfNode } from './view-box.js';

export function OpenedValue({ store, opened }: { store: Store; opened: OpenValue }) {
  const [root, setRoot] = useState<Opened>();
  const [gone, setGone] = useState('');
  const [note, setNote] = useState('');
  useEffect(() => {
    let current = true;
    setRoot(undefined);
    setGone('');
    void store.look({ do: 'open', moment: opened.moment, part: opened.part }).then((answer) => {
      if (!current) return;
      if (answer.is === 'opened') setRoot(answer.opened);
      else setGone(answer.is === 'gone' ? answer.why : 'This value cannot be opened.');
    });
    return () => {
      current = false;
    };
  }, [store, opened]);
  const copy = async (text: string, what: string): Promise<void> => {
    try {
      await navigator.clipboard.writeText(text);
      setNote(`${what} copied`);
    } catch {
      setNote(`The browser did not allow copying. ${what}: ${text.slice(0, 200)}`);
    }
  };
  return (
    <section className="card opened" aria-label="Opened value">
      <h3>
        <span>{opened.path}</span>
        <button className="quiet" onClick={() => store.set({ opened: undefined })} aria-label="Close the opened value">
          Close
        </button>
      </h3>
      {gone !== '' ? (
        <>
          <pre className="then">{opened.then}</pre>
          <p className="dim">{gone} Above is what it was at its moment.</p>
        </>
      ) : null}
      {root ? <OpenedBody store={store} opened={opened} root={root} copy={copy} /> : null}
      {note !== '' ? (
        <p className="dim" role="status">
          {note}
        </p>
      ) : null}
    </section>
  );
}

/** What is known of an opened value now, and what is in it. */
function OpenedBody({
  store,
  opened,
  root,
  copy,
}: {
  store: Store;
  opened: OpenValue;
  root: Opened;
  copy(text: string, what: string): Promise<void>;
}) {
  const [filter, setFilter] = useState('');
  const now = valueText(root.value, 2_000);
  return (
    <>
      {root.facts.length > 0 ? (
        <p className="facts">
          {root.facts.map((fact) => (
            <span key={fact.name}>
              <span className="dim">{fact.name}</span> {fact.text}
            </span>
          ))}
        </p>
      ) : null}
      {opened.then !== '' && !sameText(opened.then, now) ? (
        <div className="changed">
          <p>
            <span className="badge">then</span>
            <code>{opened.then}</code>
          </p>
          <p>
            <span className="badge now">now</span>
            <code>{now}</code>
          </p>
        </div>
      ) : null}
      <ViewsOfNode store={store} opened={root} />
      {root.place ? (
        <p>
          <button
            className="link"
            onClick={() => store.goTo(nameBelow(store, root.place!.file), root.place!.line, root.place!.character)}
          >
            Go to its source, line {root.place.line + 1}
          </button>
        </p>
      ) : null}
      {root.text !== undefined ? (
        <pre className="source">{root.text.length > 20_000 ? `${root.text.slice(0, 20_000)}…` : root.text}</pre>
      ) : null}
      {root.total > 0 ? (
        <>
          <div className="tools">
            <input
              aria-label="Filter by key or text"
              placeholder="Filter by key or text"
              value={filter}
              onChange={(event) => setFilter(event.target.value)}
            />
            <button
              onClick={() =>
                void store.look({ do: 'json', node: root.node }).then((answer) => {
                  if (answer.is === 'json') void copy(answer.text, answer.cut ? 'A part of the JSON' : 'JSON');
                })
              }
            >
              Copy as JSON
            </button>
          </div>
          <ul role="tree" aria-label={`What is in ${opened.path}`} className="tree" onKeyDown={walk}>
            <Members
              key={filter}
              store={store}
              node={root.node}
              path={opened.path}
              filter={filter}
              level={1}
              above={[root.node]}
              copy={copy}
              first={filter === '' ? root : undefined}
            />
          </ul>
        </>
      ) : null}
      <p className="dim">
        <span className="badge now">now</span> read from the program as it is now.
      </p>
    </>
  );
}

function sameText(then: string, now: string): boolean {
  const bare = (text: string): string => text.replace(/^~/, '');
  // The two are cut at different lengths: the shorter decides.
  const length = Math.min(then.length, now.length) - 12;
  return bare(then) === bare(now) || (length > 60 && bare(then).slice(0, length) === bare(now).slice(0, length));
}

function nameBelow(store: Store, file: string): string {
  const { root, pads } = store.state;
  const at = file.lastIndexOf(`/${root}/`);
  const short = at < 0 ? file : file.slice(at + root.length + 2);
  return pads.includes(short) ? short : file;
}

interface MembersProps {
  store: Store;
  node: number;
  path: string;
  filter: string;
  level: number;
  /** Nodes above, to mark cycles. */
  above: number[];
  copy(text: string, what: string): Promise<void>;
  /** The first page, where it is here already. */
  first?: { first: Member[]; total: number } | undefined;
}

function Members({ store, node, path, filter, level, above, copy, first }: MembersProps) {
  const [members, setMembers] = useState<Member[]>(first?.first ?? []);
  const [total, setTotal] = useState(first?.total ?? -1);
  const [note, setNote] = useState('');
  const more = (from: number): void => {
    void store.look({ do: 'members', node, from, count: PAGE, filter }).then((answer) => {
      if (answer.is === 'gone') setNote(answer.why);
      if (answer.is !== 'members') return;
      setMembers((known) => [...known.slice(0, from), ...answer.members]);
      setTotal(answer.total);
      setNote(
        answer.seen === undefined
          ? ''
          : `The first ${answer.seen.toLocaleString('en-US')} members were looked through.`,
      );
    });
  };
  useEffect(() => {
    if (!first) more(0);
  }, [node, filter]);
  const left = total - members.length;
  return (
    <>
      {members.map((member, index) => (
        <Row
          key={`${member.kind} ${member.key} ${index}`}
          store={store}
          member={member}
          holder={node}
          path={path}
          level={level}
          above={above}
          copy={copy}
          first={level === 1 && index === 0}
        />
      ))}
      {total === 0 ? <li className="dim">{filter === '' ? 'Nothing inside.' : 'No member has this.'}</li> : null}
      {left > 0 && total > 0 ? (
        <li>
          <button className="link" onClick={() => more(members.length)}>
            {Math.min(PAGE, left)} more of {left.toLocaleString('en-US')}
          </button>
          {total > PAGE * 3 ? (
            <Jump
              total={total}
              onJump={(at) => {
                setMembers([]);
                void store.look({ do: 'members', node, from: at, count: PAGE, filter }).then((answer) => {
                  if (answer.is === 'members') {
                    setMembers(answer.members);
                    setTotal(answer.members.length);
                    setNote(`From ${at.toLocaleString('en-US')} of ${answer.total.toLocaleString('en-US')}.`);
                  }
                });
              }}
            />
          ) : null}
        </li>
      ) : null}
      {note !== '' ? <li className="dim">{note}</li> : null}
    </>
  );
}

function Jump({ total, onJump }: { total: number; onJump(at: number): void }) {
  return (
    <label className="jump">
      from{' '}
      <input
        type="number"
        min={0}
        max={total - 1}
        aria-label="Show members from this number on"
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === 'Enter') onJump(Math.max(0, Math.min(total - 1, Number(event.currentTarget.value))));
        }}
      />
    </label>
  );
}

function Row({
  store,
  member,
  holder,
  path,
  level,
  above,
  copy,
  first,
}: Omit<MembersProps, 'node' | 'filter' | 'first'> & { member: Member; holder: number; first: boolean }) {
  const [open, setOpen] = useState(false);
  const [got, setGot] = useState<{ text: string; node: number; failed: boolean }>();
  const node = got ? got.node : member.node;
  const circular = node > 0 && above.includes(node) && member.kind !== 'prototype';
  const own = member.step === undefined ? `${path} → ${member.key}` : `${path}${member.step}`;
  const openable = node > 0 && !circular;
  const text = got
    ? got.text
    : circular
      ? '(circular)'
      : member.kind === 'prototype'
        ? `${member.value.class ?? 'Object'}`
        : valueText(member.value, 400);
  return (
    <li
      role="treeitem"
      aria-level={level}
      aria-expanded={openable ? open : undefined}
      tabIndex={first ? 0 : -1}
      data-path={own}
      onKeyDown={(event) => {
        if (event.target !== event.currentTarget) return;
        if (event.key === 'ArrowRight' && openable && !open) setOpen(true);
        else if (event.key === 'ArrowLeft' && open) setOpen(false);
        else if (event.key === 'Enter' || event.key === ' ') {
          if (openable) setOpen(!open);
        } else if (event.key === 'c' && !event.ctrlKey) void copy(own, 'Path');
        else return;
        event.preventDefault();
        event.stopPropagation();
      }}
    >
      <span className={`member ${member.kind}${member.hidden ? ' hidden' : ''}`}>
        <button tabIndex={-1} className="twist" aria-hidden="true" onClick={() => openable && setOpen(!open)}>
          {openable ? (open ? '▾' : '▸') : ' '}
        </button>
        <span className="key" title={own} onClick={() => openable && setOpen(!open)}>
          {member.key}
        </span>
        <span className="dim">{member.kind === 'entry' ? '→' : ':'}</span>
        {member.getter !== undefined && !got ? (
          <button
            className="link"
            title="Runs code of the program"
            onClick={() =>
              void store.look({ do: 'get', node: holder, getter: member.getter! }).then((answer) => {
                if (answer.is === 'got')
                  setGot({ text: valueText(answer.value, 400), node: answer.node, failed: answer.failed === true });
                else if (answer.is === 'gone') setGot({ text: answer.why, node: 0, failed: true });
              })
            }
          >
            run the getter
          </button>
        ) : (
          <span className={`shown ${got?.failed ? 'failed' : ''}`}>{got?.failed ? `threw ${text}` : text}</span>
        )}
        <button tabIndex={-1} className="copy link" title={`Copy ${own}`} onClick={() => void copy(own, 'Path')}>
          path
        </button>
      </span>
      {open && openable ? (
        <ul role="group">
          <Members
            store={store}
            node={node}
            path={own}
            filter=""
            level={level + 1}
            above={[...above, node]}
            copy={copy}
          />
        </ul>
      ) : null}
    </li>
  );
}

/** Up and down through the rows that are there; left to the row above. */
function walk(event: KeyboardEvent<HTMLElement>): void {
  const rows = [...event.currentTarget.querySelectorAll<HTMLElement>('[role="treeitem"]')];
  const at = rows.indexOf(document.activeElement as HTMLElement);
  if (at < 0) return;
  let next: HTMLElement | undefined;
  if (event.key === 'ArrowDown') next = rows[at + 1];
  else if (event.key === 'ArrowUp') next = rows[at - 1];
  else if (event.key === 'Home') next = rows[0];
  else if (event.key === 'End') next = rows[rows.length - 1];
  else if (event.key === 'ArrowLeft')
    next = rows[at]!.parentElement?.closest<HTMLElement>('[role="treeitem"]') ?? undefined;
  else return;
  event.preventDefault();
  next?.focus();
}
