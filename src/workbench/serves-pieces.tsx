/** Pieces of code in the order of calls, each with its values, editable in place: the one that is edited is the editor. */
import { memo, useEffect, useRef } from 'react';
import type { ShownEntry, ShownPiece } from '../server/protocol-entries.js';
import { durationText } from '../views/duration.js';
import { PieceLines } from './piece-lines.js';
import type { Serves, State } from './state.js';
import type { Store } from './store.js';

type CodePiece = Extract<ShownPiece, { is: 'code' }>;
type OtherPiece = Exclude<ShownPiece, { is: 'code' }>;

interface ListProps {
  store: Store;
  state: State;
  entry: ShownEntry;
  /** Layers that are not shown. */
  off: ReadonlySet<string>;
  serves: Serves;
}

export function PieceList({ store, state, entry, off, serves: { active, compared } }: ListProps) {
  const shown = entry.pieces.filter(({ layer }) => !off.has(layer));
  const left = entry.pieces.length - shown.length;
  return (
    <>
      {shown.map((piece, index) =>
        piece.is === 'code' ? (
          <Code
            key={`${piece.file} ${piece.name}`}
            {...{ store, piece }}
            isActive={active?.file === piece.file && active.name === piece.name}
            isThere={state.file === piece.file}
            compared={compared?.file === piece.file && compared.name === piece.name ? compared : undefined}
          />
        ) : (
          <Other
            key={`${piece.is} ${piece.text} ${index}`}
            {...{ store, piece }}
            isActive={piece.is === 'file' && active?.file === piece.text && active.name === ''}
            isThere={state.file === piece.text}
          />
        ),
      )}
      {left > 0 ? (
        <p className="dim served-left">
          {left} {left === 1 ? 'piece' : 'pieces'} of layers that are switched off
        </p>
      ) : null}
      {entry.faded
        .filter(({ layer }) => !off.has(layer))
        .map((piece) => (
          <div key={nameOf(piece)} className="piece faded">
            <div className="piece-head">
              <strong>{nameOf(piece)}</strong>
              <span>no longer reached</span>
            </div>
          </div>
        ))}
    </>
  );
}

function nameOf(piece: ShownPiece): string {
  return piece.is === 'code' ? `${piece.file} ${piece.name}` : piece.text;
}

interface CodeProps {
  store: Store;
  piece: CodePiece;
  isActive: boolean;
  /** The editor has its file. */
  isThere: boolean;
  /** It is compared with what it was. */
  compared: Serves['compared'];
}

/** Many of them: one that is as it was is not drawn anew. */
const Code = memo(
  function Code({ store, piece, isActive, isThere, compared }: CodeProps) {
    const { file, name, layer, calls, ms, isAbout, threw, lines, joined } = piece;
    const facts = [
      layer,
      `×${calls.toLocaleString('en-US')}`,
      `${isAbout ? 'about ' : ''}${durationText(ms)}`,
      ...(threw ? [`threw ${threw === 1 ? 'once' : `${threw} times`}`] : []),
    ];
    return (
      <article className={`piece${joined ? ' joined' : ''}${threw ? ' threw' : ''}`} aria-label={`${file} ${name}`}>
        <div className="piece-head">
          <button className="link" title="Open the file here" onClick={() => openFile(store, piece)}>
            <strong>{file}</strong> {name}
          </button>
          {joined ? <span className="piece-new">joined</span> : null}
          <button
            className="quiet"
            title="Compare it with what it was when this was picked, or at the last commit: as plain code, with what this request gave it"
            disabled={compared?.isOver === false}
            onClick={() => slower(store, piece)}
          >
            Slower?
          </button>
          <span className="piece-facts">{facts.join(' · ')}</span>
        </div>
        {compared ? (
          <pre className="piece-compared" role="status">
            {compared.lines.join('\n')}
          </pre>
        ) : null}
        {isActive ? (
          <Editing store={store} file={piece.file} name={piece.name} isThere={isThere} />
        ) : (
          <PieceLines file={file} lines={lines} onEdit={(line, character) => edit(store, piece, line, character)} />
        )}
      </article>
    );
  },
  (before, after) =>
    before.isActive === after.isActive &&
    before.isThere === after.isThere &&
    before.compared === after.compared &&
    JSON.stringify(before.piece) === JSON.stringify(after.piece),
);

/** Is it slower than it was? */
function slower(store: Store, { file, name }: CodePiece): void {
  store.sendText();
  store.tell({ type: 'slower', file, name });
}

function openFile(store: Store, { file, lines }: CodePiece): void {
  store.set({ serves: undefined });
  store.tell({ type: 'serves', on: false });
  store.goTo(file, (lines[0]?.line ?? 1) - 1, 0);
}

/** The piece is edited from now on, with the cursor at a place. Lines are zero-based. */
function edit(store: Store, { file, name, lines }: CodePiece, line: number, character: number): void {
  const from = (lines[0]?.line ?? 1) - 1;
  editPlace(store, name, { file, from, to: from + lines.length - 1, line, character });
}

function editPlace(store: Store, name: string, next: NonNullable<typeof place>): void {
  const { serves } = store.state;
  if (!serves) return;
  store.sendText();
  place = next;
  const { file } = next;
  store.set({ serves: { ...serves, active: { file, name } } });
  if (store.state.file !== file) store.open(file, false);
}

/** Where the piece that is edited begins to be. */
let place: { file: string; from: number; to: number; line: number; character: number } | undefined;

interface EditingProps {
  store: Store;
  file: string;
  name: string;
  isThere: boolean;
}

function Editing({ store, file, name, isThere }: EditingProps) {
  const slot = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const { editor } = store;
    if (!isThere || !editor || place?.file !== file) return undefined;
    editor.host(slot.current);
    editor.setPiece({ from: place.from, to: place.to });
    editor.reveal(place.line, place.character);
    return () => {
      editor.setPiece(null);
      editor.host(null);
    };
    // The text follows by itself while one types.
  }, [store, isThere, file, name]);
  return (
    <div className="piece-editor" ref={slot}>
      {isThere ? null : <p className="dim">opening …</p>}
    </div>
  );
}

interface OtherProps {
  store: Store;
  piece: OtherPiece;
  /** A text file that is edited. */
  isActive: boolean;
  isThere: boolean;
}

/** What was sent or read between. */
function Other({ store, piece, isActive, isThere }: OtherProps) {
  const { is, text, state, status, ms, answer, isCut, joined } = piece;
  const facts = [
    is,
    ...(status === undefined ? [] : [String(status)]),
    ...(state === 'done' ? [] : [state === 'open' ? 'not answered yet' : 'failed']),
    ...(ms === undefined ? [] : [durationText(ms)]),
  ];
  return (
    <div className={`piece exchange${joined ? ' joined' : ''}${state === 'failed' ? ' threw' : ''}`}>
      <div className="piece-head">
        {is === 'file' ? (
          <button
            className="link"
            title="Open the file: it is taken when it is saved"
            onClick={() => openText(store, text)}
          >
            <strong>{text}</strong>
          </button>
        ) : (
          <code>{text}</code>
        )}
        {is === 'file' && state === 'done' ? (
          <button
            className="quiet"
            title={
              isActive ? 'Leave it as it is now' : 'Edit the file here: what reads it is asked again when it is saved'
            }
            onClick={() => (isActive ? leaveText(store) : editText(store, text))}
          >
            {isActive ? 'Done' : 'Edit'}
          </button>
        ) : null}
        {joined ? <span className="piece-new">joined</span> : null}
        <span className="piece-facts">{facts.join(' · ')}</span>
      </div>
      {isActive ? <Editing store={store} file={text} name="" isThere={isThere} /> : null}
      {answer === undefined || isActive ? null : (
        <details>
          <summary>what came back{isCut ? ', its begin' : ''}</summary>
          <pre>{answer}</pre>
        </details>
      )}
    </div>
  );
}

/** A text file that was read is edited as a whole, where it stands among the pieces. */
function editText(store: Store, file: string): void {
  editPlace(store, '', { file, from: 0, to: Infinity, line: 0, character: 0 });
}

function leaveText(store: Store): void {
  const { serves } = store.state;
  store.sendText();
  if (!serves) return;
  const rest = { ...serves };
  delete rest.active;
  store.set({ serves: rest });
}

function openText(store: Store, file: string): void {
  store.set({ serves: undefined });
  store.tell({ type: 'serves', on: false });
  store.open(file, false);
}
