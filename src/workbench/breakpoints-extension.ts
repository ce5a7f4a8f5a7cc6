/** Breakpoints in the rail: a mark beside the line numbers, set and taken away with a click. */
import {
  type EditorState,
  type Extension,
  RangeSet,
  RangeSetBuilder,
  StateEffect,
  StateField,
} from '@codemirror/state';
import { EditorView, gutter, GutterMarker } from '@codemirror/view';
import type { BreakpointMessage } from '../server/protocol-held.js';

export const showBreakpoints = StateEffect.define<readonly BreakpointMessage[]>();

class Mark extends GutterMarker {
  constructor(private readonly breakpoint: BreakpointMessage) {
    super();
  }

  override eq({ breakpoint: other }: Mark): boolean {
    const { breakpoint: own } = this;
    return own.id === other.id && own.text === other.text && own.why === other.why;
  }

  override toDOM(): HTMLElement {
    const { text, why } = this.breakpoint;
    const element = document.createElement('span');
    // A shape for each: what always stops, what asks or prints, what does not act.
    element.className = `breakpoint${why === undefined ? '' : ' asleep'}${text === '' ? '' : ' asks'}`;
    const title = `breakpoint${text === '' ? '' : `: ${text}`}${why === undefined ? '' : `. ${why}`}`;
    element.title = title;
    element.setAttribute('role', 'img');
    element.setAttribute('aria-label', title);
    return element;
  }
}

function marksOf(state: EditorState, list: readonly BreakpointMessage[]): RangeSet<GutterMarker> {
  const builder = new RangeSetBuilder<GutterMarker>();
  for (const one of [...list].sort((a, b) => a.line - b.line)) {
    if (one.line >= state.doc.lines) continue;
    const { from } = state.doc.line(one.line + 1);
    builder.add(from, from, new Mark(one));
  }
  return builder.finish();
}

const field = StateField.define<RangeSet<GutterMarker>>({
  create: () => RangeSet.empty,
  update(shown, transaction) {
    for (const effect of transaction.effects)
      if (effect.is(showBreakpoints)) return marksOf(transaction.state, effect.value);
    return shown.map(transaction.changes);
  },
});

/** @param toggle called with the line (from 0) that was clicked */
export function breakpointsInRail(toggle: (line: number) => void): Extension {
  return [
    field,
    gutter({
      class: 'cm-breakpoints',
      markers: (view) => view.state.field(field),
      domEventHandlers: {
        mousedown(view: EditorView, block) {
          toggle(view.state.doc.lineAt(block.from).number - 1);
          return true;
        },
      },
    }),
  ];
}
