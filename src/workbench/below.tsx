/** Values of a line opened below it: the code makes room for them. */
import { type EditorState, type Extension, Prec, StateEffect, StateField } from '@codemirror/state';
import { Decoration, type DecorationSet, EditorView, keymap, WidgetType } from '@codemirror/view';
import { flushSync } from 'react-dom';
import { createRoot, type Root } from 'react-dom/client';
import { LineValues } from './inspector.js';
import type { Inspected } from './state.js';
import type { Store } from './store.js';

/** Opens what is known of a line below it, or brings it up to date; null closes it. */
export const showBelow = StateEffect.define<{ line: number; values: Inspected | null }>();

class BelowWidget extends WidgetType {
  private static readonly roots = new WeakMap<HTMLElement, Root>();

  constructor(
    private readonly store: Store,
    private readonly values: Inspected,
  ) {
    super();
  }

  override eq(other: BelowWidget): boolean {
    return other.values === this.values;
  }

  override toDOM(): HTMLElement {
    const element = document.createElement('div');
    BelowWidget.roots.set(element, createRoot(element));
    this.render(element);
    return element;
  }

  override updateDOM(element: HTMLElement): boolean {
    this.render(element);
    return true;
  }

  /** At once: the editor measures it now. */
  private render(element: HTMLElement): void {
    const { store, values } = this;
    element.className = 'below';
    element.setAttribute('role', 'region');
    element.setAttribute('aria-label', `Values of line ${values.line + 1}`);
    flushSync(() =>
      BelowWidget.roots.get(element)!.render(<LineValues store={store} state={store.state} inspected={values} />),
    );
  }

  override destroy(element: HTMLElement): void {
    // Not while React may be drawing.
    const root = BelowWidget.roots.get(element);
    setTimeout(() => root?.unmount());
  }

  override ignoreEvent(): boolean {
    return true;
  }
}

/** Zero-based lines below which values are open. */
export function linesBelow(state: EditorState): number[] {
  const lines: number[] = [];
  for (const cursor = state.field(open).iter(); cursor.value; cursor.next())
    lines.push(state.doc.lineAt(cursor.from).number - 1);
  return lines;
}

let store: Store | undefined;

const open: StateField<DecorationSet> = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(before, transaction) {
    let below = before.map(transaction.changes);
    for (const effect of transaction.effects) {
      if (!effect.is(showBelow) || effect.value.line >= transaction.state.doc.lines) continue;
      const { line, values } = effect.value;
      const { from, to } = transaction.state.doc.line(line + 1);
      below = below.update({
        filter: (at) => at < from || at > to,
        add: values
          ? [Decoration.widget({ widget: new BelowWidget(store!, values), block: true, side: 1 }).range(to)]
          : [],
      });
    }
    return below;
  },
  provide: (self) => EditorView.decorations.from(self),
});

function closeAll(view: EditorView): boolean {
  const lines = linesBelow(view.state);
  if (lines.length === 0) return false;
  view.dispatch({ effects: lines.map((line) => showBelow.of({ line, values: null })) });
  return true;
}

/** Names that are only looked for take the key as well, and nobody sees them: they come behind what stands open. */
function closeUnlessCovered(view: EditorView): boolean {
  return view.dom.querySelector('.cm-tooltip-autocomplete, .call-card') === null && closeAll(view);
}

/** The extension; Escape closes what is open. */
export function below(of: Store): Extension {
  store = of;
  return [
    open,
    Prec.highest(keymap.of([{ key: 'Escape', run: closeUnlessCovered }])),
    keymap.of([{ key: 'Escape', run: closeAll }]),
  ];
}
