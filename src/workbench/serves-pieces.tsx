/** Pieces of code in the order of calls, each with its values, editable in place: the one that is edited is the editor. */
import { javascriptLanguage, tsxLanguage, typescriptLanguage } from '@codemirror/lang-javascript';
import { highlightCode } from '@lezer/highlight';
import { memo, useEffect, useMemo, useRef } from 'react';
import type { ShownEntry, ShownLine, ShownPiece } from '../server/protocol-entries.js';
import { durationText } from '../views/duration.js';
import { colours } from './editor.js';
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
          <Other key={`${piece.is} ${piece.text} ${index}`} store={store} piece={piece} />
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
          <Editing store={store} piece={piece} isThere={isThere} />
        ) : (
          <Lines file={file} lines={lines} onEdit={(line, character) => edit(store, piece, line, character)} />
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
  const { serves } = store.state;
  if (!serves) return;
  store.sendText();
  const from = (lines[0]?.line ?? 1) - 1;
  place = { file, from, to: from + lines.length - 1, line, character };
  store.set({ serves: { ...serves, active: { file, name } } });
  if (store.state.file !== file) store.open(file, false);
}

/** Where the piece that is edited begins to be. */
let place: { file: string; from: number; to: number; line: number; character: number } | undefined;

function Editing({ store, piece, isThere }: Omit<CodeProps, 'isActive' | 'compared'>) {
  const slot = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const { editor } = store;
    if (!isThere || !editor || place?.file !== piece.file) return undefined;
    editor.host(slot.current);
    editor.setPiece({ from: place.from, to: place.to });
    editor.reveal(place.line, place.character);
    return () => {
      editor.setPiece(null);
      editor.host(null);
    };
    // The text follows by itself while one types.
  }, [store, isThere, piece.file, piece.name]);
  return (
    <div className="piece-editor" ref={slot}>
      {isThere ? null : <p className="dim">opening …</p>}
    </div>
  );
}

interface LinesProps {
  file: string;
  lines: readonly ShownLine[];
  onEdit(line: number, character: number): void;
}

function Lines({ file, lines, onEdit }: LinesProps) {
  const coloured = useMemo(() => highlighted(file, lines.map(({ text }) => text).join('\n')), [file, lines]);
  const first = lines[0]?.line ?? 1;
  return (
    <div
      className="piece-lines"
      role="button"
      aria-label="Edit this piece"
      tabIndex={0}
      onClick={(event) => {
        const row = (event.target as HTMLElement).closest<HTMLElement>('[data-line]');
        onEdit(Number(row?.dataset.line ?? first) - 1, characterAt(event.clientX, event.clientY));
      }}
      onKeyDown={(event) => {
        if (event.key !== 'Enter') return;
        event.preventDefault();
        onEdit(first - 1, 0);
      }}
    >
      {lines.map(({ line, values, errors, state, hits = 0, heat = 0, title }, index) => (
        <div key={line} className={`piece-line${errors.length > 0 ? ' bad-line' : ''}`} data-line={line}>
          <span
            className={`rail rail-${state ?? 'none'} heat-${heat}${hits >= 1_000 ? ' hot' : ''}`}
            role={state ? 'img' : undefined}
            aria-label={title}
            title={title}
          />
          <span className="piece-number">{line}</span>
          <code>
            {(coloured[index] ?? []).map(({ text, className }, at) =>
              className === '' ? (
                text
              ) : (
                <span key={at} className={className}>
                  {text}
                </span>
              ),
            )}
          </code>
          {values.length + errors.length > 0 ? (
            <span
              className={`piece-values${errors.length > 0 ? ' fail' : ''}`}
              title={[...errors, ...values].join('\n')}
            >
              {[...errors, ...values].join(' · ').replace(/\n/g, '↵')}
            </span>
          ) : null}
        </div>
      ))}
    </div>
  );
}

/** The character of a line that was clicked at. */
function characterAt(x: number, y: number): number {
  type Caret = { offsetNode: Node; offset: number } | null;
  const { caretPositionFromPoint } = document as { caretPositionFromPoint?: (x: number, y: number) => Caret };
  const found = caretPositionFromPoint?.call(document, x, y);
  const code = found?.offsetNode.parentElement?.closest('code');
  if (!found || !code) return 0;
  const range = document.createRange();
  range.setStart(code, 0);
  range.setEnd(found.offsetNode, found.offset);
  return range.toString().length;
}

/** A text as lines of parts with their classes. */
function highlighted(file: string, text: string): { text: string; className: string }[][] {
  const lines: { text: string; className: string }[][] = [[]];
  const language = /x$/.test(file) ? tsxLanguage : /\.[mc]?ts$/.test(file) ? typescriptLanguage : javascriptLanguage;
  highlightCode(
    text,
    language.parser.parse(text),
    colours,
    (part, className) => lines[lines.length - 1]!.push({ text: part, className }),
    () => lines.push([]),
  );
  return lines;
}

/** What was sent or read between. */
function Other({ store, piece }: { store: Store; piece: OtherPiece }) {
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
        {joined ? <span className="piece-new">joined</span> : null}
        <span className="piece-facts">{facts.join(' · ')}</span>
      </div>
      {answer === undefined ? null : (
        <details>
          <summary>what came back{isCut ? ', its begin' : ''}</summary>
          <pre>{answer}</pre>
        </details>
      )}
    </div>
  );
}

function openText(store: Store, file: string): void {
  store.set({ serves: undefined });
  store.tell({ type: 'serves', on: false });
  store.open(file, false);
}
