/** A part of a file in the editor: the lines around it are there, and neither shown nor changed by a person. */
import { EditorState, type Extension, StateEffect, StateField, type Text, Transaction } from '@codemirror/state';
import { Decoration, type DecorationSet, EditorView } from '@codemirror/view';

/** Zero-based lines, the last included; null for the whole file. */
export const showPiece = StateEffect.define<{ from: number; to: number } | null>();

interface Piece {
  from: number;
  to: number;
  /** What is not shown. */
  around: DecorationSet;
}

const piece = StateField.define<Piece | null>({
  create: () => null,
  update(value, { changes, effects, docChanged, newDoc }) {
    let now = value;
    if (value && docChanged) now = pieceOf(changes.mapPos(value.from, -1), changes.mapPos(value.to, 1), newDoc);
    for (const effect of effects)
      if (effect.is(showPiece)) {
        const line = (zero: number): number => Math.min(Math.max(1, zero + 1), newDoc.lines);
        const { value: lines } = effect;
        now = lines && pieceOf(newDoc.line(line(lines.from)).from, newDoc.line(line(lines.to)).to, newDoc);
      }
    return now;
  },
  provide: (field) => [
    EditorView.decorations.from(field, (value) => value?.around ?? Decoration.none),
    EditorView.atomicRanges.of(({ state }) => state.field(field)?.around ?? Decoration.none),
  ],
});

function pieceOf(from: number, to: number, doc: Text): Piece {
  const gone = Decoration.replace({ block: true });
  const ranges = [];
  if (from > 0) ranges.push(gone.range(0, from - 1));
  if (to < doc.length) ranges.push(gone.range(to + 1, doc.length));
  return { from, to, around: Decoration.set(ranges) };
}

/** What a person does stays inside of the piece; what others change around it does not matter. */
const inside = EditorState.transactionFilter.of((transaction) => {
  const shown = transaction.startState.field(piece, false);
  if (!shown || transaction.annotation(Transaction.remote) === true) return transaction;
  const { selection } = transaction;
  if (!selection) return transaction;
  const low = transaction.changes.mapPos(shown.from, -1);
  const high = transaction.changes.mapPos(shown.to, 1);
  const { anchor, head } = selection.main;
  const within = (at: number): number => Math.min(Math.max(at, low), high);
  if (within(anchor) === anchor && within(head) === head) return transaction;
  return [transaction, { selection: { anchor: within(anchor), head: within(head) } }];
});

const protectedAround = EditorState.changeFilter.of((transaction) => {
  const shown = transaction.startState.field(piece, false);
  if (!shown || transaction.annotation(Transaction.remote) === true) return true;
  return [0, shown.from - 1, shown.to + 1, transaction.startState.doc.length];
});

export function pieceInCode(): Extension {
  return [piece, inside, protectedAround];
}
