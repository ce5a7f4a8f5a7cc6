/** A walk in the code: where it stands, the way there, what its frame never reached, and variables beside their lines. */
import { type EditorState, type Extension, type Range, StateEffect, StateField } from '@codemirror/state';
import { Decoration, type DecorationSet, EditorView, WidgetType } from '@codemirror/view';
import type { WalkStop } from '../server/protocol.js';

/** What of a walk is in the file that is shown; null where there is none. */
export interface WalkInFile {
  stop: WalkStop;
  file: string;
}

export const showWalk = StateEffect.define<WalkInFile | null>();

/** Characters of variables beside one line, and of one of them. */
const MOST = 120;
const LONGEST = 48;

class Variables extends WidgetType {
  constructor(private readonly list: readonly { name: string; text: string; changed: boolean }[]) {
    super();
  }

  override eq(other: Variables): boolean {
    return JSON.stringify(this.list) === JSON.stringify(other.list);
  }

  override toDOM(): HTMLElement {
    const element = document.createElement('span');
    element.className = 'walk-values';
    let room = MOST;
    for (const { name, text, changed } of this.list) {
      const part = document.createElement('span');
      part.className = changed ? 'walk-value changed' : 'walk-value';
      const shown = text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : text;
      part.textContent = `${name} = ${shown}`;
      part.title = `${name} = ${text}`;
      element.append(part);
      room -= name.length + shown.length;
      if (room < 0) break;
    }
    return element;
  }
}

const line = (name: string): Decoration => Decoration.line({ class: name });

function decorations(state: EditorState, { stop, file }: WalkInFile): DecorationSet {
  const ranges: Range<Decoration>[] = [];
  const at = (zero: number): { from: number; to: number } | undefined =>
    zero >= 0 && zero < state.doc.lines ? state.doc.line(zero + 1) : undefined;
  const mark = (zero: number, name: string): void => {
    const found = at(zero);
    if (found) ranges.push(line(name).range(found.from));
  };
  const here = stop.at.file === file;
  if (here) mark(stop.at.line, 'walk-here');
  for (const one of stop.trail)
    if (one.file === file && !(here && one.line === stop.at.line)) mark(one.line, 'walk-way');
  if (here) for (const zero of stop.unreached) mark(zero, 'walk-unreached');
  const byLine = new Map<number, { name: string; text: string; changed: boolean }[]>();
  for (const { name, text, changed, own, at: place } of stop.variables) {
    if (!own || place.file !== file) continue;
    byLine.set(place.line, [...(byLine.get(place.line) ?? []), { name, text, changed }]);
  }
  for (const [zero, list] of byLine) {
    const found = at(zero);
    if (found) ranges.push(Decoration.widget({ widget: new Variables(list), side: 1 }).range(found.to));
  }
  return Decoration.set(ranges, true);
}

const field = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(shown, transaction) {
    for (const effect of transaction.effects)
      if (effect.is(showWalk)) return effect.value ? decorations(transaction.state, effect.value) : Decoration.none;
    return shown.map(transaction.changes);
  },
  provide: (from) => EditorView.decorations.from(from),
});

export function walkInCode(): Extension {
  return field;
}
