/** What is selected shows its values above itself, over all visits, as if it had a mark. */
import { type Extension, StateEffect, StateField } from '@codemirror/state';
import { EditorView, showTooltip, type Tooltip, ViewPlugin, type ViewUpdate } from '@codemirror/view';
import type { SelectedMessage } from '../server/protocol-files.js';
import { selectionActions } from './selection-commands.js';
import type { Store } from './store.js';

const showSelected = StateEffect.define<SelectedMessage | null>();

/** Milliseconds for which a selection stands before it is asked for: a drag passes over many. */
const STANDS_MS = 180;
/** Longer ones are seldom expressions, and never read above the code. */
const MOST = 4_000;
/** Visits that are listed. */
const LISTED = 6;

/** The extension. */
export function selection(store: Store): Extension {
  const field = StateField.define<SelectedMessage | null>({
    create: () => null,
    update(shown, transaction) {
      if (transaction.docChanged || transaction.selection) shown = null;
      for (const effect of transaction.effects) if (effect.is(showSelected)) shown = effect.value;
      return shown;
    },
    provide: (self) =>
      showTooltip.from(self, (shown): Tooltip | null =>
        shown === null || (shown.is === 'none' && shown.why === '')
          ? null
          : { pos: shown.start, above: true, create: () => ({ dom: card(shown, store) }) },
      ),
  });
  const plugin = ViewPlugin.fromClass(
    class {
      private waiting: ReturnType<typeof setTimeout> | undefined;
      private asked = false;

      constructor(private readonly view: EditorView) {
        store.selecting.again = () => this.again();
      }

      update(update: ViewUpdate): void {
        if (!update.selectionSet && !update.docChanged) return;
        clearTimeout(this.waiting);
        const { from, to, empty } = update.state.selection.main;
        if (empty || to - from > MOST) {
          if (this.asked) void store.select(0, 0);
          this.asked = false;
          store.selecting.shown = undefined;
        } else this.waiting = setTimeout(() => this.ask(), STANDS_MS);
      }

      /** A run has ended: what is selected may have new values. */
      again(): void {
        if (this.asked && !this.view.state.selection.main.empty) this.ask();
      }

      private ask(): void {
        const { from, to } = this.view.state.selection.main;
        this.asked = true;
        void store.select(from, to).then((answer) => {
          const now = this.view.state.selection.main;
          if (!answer || now.from !== from || now.to !== to) return;
          store.selecting.shown = answer;
          this.view.dispatch({ effects: showSelected.of(answer) });
        });
      }

      destroy(): void {
        clearTimeout(this.waiting);
      }
    },
  );
  return [field, plugin];
}

function card(shown: SelectedMessage, store: Store): HTMLElement {
  const element = document.createElement('div');
  element.className = 'card hover-card selected-card';
  element.setAttribute('role', 'tooltip');
  const { history } = shown;
  if (!history) {
    const why = document.createElement('p');
    why.className = 'dim';
    why.textContent = shown.why;
    element.append(why);
    return element;
  }
  const list = document.createElement('ol');
  const { samples } = history;
  const listed = samples.length <= LISTED ? samples : [...samples.slice(0, LISTED - 1), samples[samples.length - 1]!];
  for (const sample of listed) {
    const item = document.createElement('li');
    if (history.total > 1) {
      const visit = document.createElement('span');
      visit.className = 'visit';
      visit.textContent = sample.visit.toLocaleString('en-US');
      item.append(visit);
    }
    const text = document.createElement('pre');
    text.textContent = sample.text;
    item.append(text);
    list.append(item);
  }
  const count = document.createElement('p');
  count.className = 'dim';
  count.textContent =
    history.total === 1 ? 'evaluated once' : `evaluated ${history.total.toLocaleString('en-US')} times`;
  const tools = document.createElement('div');
  tools.className = 'tools';
  for (const { name, run } of selectionActions(store, shown)) {
    const button = document.createElement('button');
    button.textContent = name;
    // The selection stays while one presses it.
    button.addEventListener('mousedown', (event) => event.preventDefault());
    button.addEventListener('click', run);
    tools.append(button);
  }
  element.append(list, count, tools);
  return element;
}
