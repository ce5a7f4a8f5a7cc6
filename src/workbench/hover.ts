/** The card beside the pointer: the value there, and the stages of its chain. Text only. */
import { hoverTooltip, tooltips } from '@codemirror/view';
import type { Extension } from '@codemirror/state';
import type { StageMessage } from '../server/protocol.js';
import { describe } from './assist.js';
import type { Hovered } from './state.js';
import type { Store } from './store.js';

/** Shows what the site under the pointer reported. */
export function hoverCard(store: Store): Extension {
  // Inside the editor: a card must not stand over what a person is about to click elsewhere.
  return [
    tooltips({ tooltipSpace: (view) => view.dom.getBoundingClientRect() }),
    hoverTooltip(
      async (view, position) => {
        const line = view.state.doc.lineAt(position);
        // A value does not wait for what types say: that is added when it comes.
        const types = store.assist(position, 'about');
        const ask = (): Promise<Hovered | undefined> => store.hover(line.number - 1, position - line.from);
        const found = await ask();
        // The values behind a line say what they are by themselves.
        if (document.querySelector('.margin:hover')) return null;
        if (!hasValue(found) && !(await types)?.about) return null;
        const dom = emptyCard();
        let about: HTMLElement | undefined;
        let shown = '';
        const fill = (now: Hovered | undefined): void => {
          // What is the same stays, with what a person has selected in it.
          if (shown === (shown = JSON.stringify(now) ?? '')) return;
          dom.replaceChildren(...(hasValue(now) ? cardParts(now, store) : []), ...(about ? [about] : []));
        };
        fill(found);
        void types.then((answer) => {
          if (answer?.about) dom.append((about = describe(answer.about)));
        });
        return { pos: position, above: true, create: () => ({ dom, ...following(store, ask, fill) }) };
      },
      { hoverTime: 280, hideOnChange: true },
    ),
  ];
}

function hasValue(found: Hovered | undefined): found is Hovered {
  return found !== undefined && (found.text !== '' || found.stages.length > 0);
}

/** While the card stands, a run may end: then it shows that run's value. */
function following(
  store: Store,
  ask: () => Promise<Hovered | undefined>,
  fill: (found: Hovered | undefined) => void,
): { mount(): void; destroy(): void } {
  let { record } = store.state;
  const end = store.subscribe(() => {
    if (store.state.record === record) return;
    ({ record } = store.state);
    void ask().then(fill);
  });
  return { mount: () => void ask().then(fill), destroy: end };
}

function emptyCard(): HTMLElement {
  const element = document.createElement('div');
  element.className = 'card hover-card';
  element.setAttribute('role', 'tooltip');
  return element;
}

function cardParts(found: Hovered, store: Store): HTMLElement[] {
  const parts: HTMLElement[] = [];
  if (found.text !== '') {
    const value = document.createElement('pre');
    value.textContent = found.text;
    const detail = document.createElement('p');
    detail.className = 'dim';
    detail.textContent = found.detail;
    for (const view of found.views)
      if (view.view === 'swatch') {
        const swatch = document.createElement('span');
        swatch.className = 'swatch';
        swatch.style.background = view.colours[0]!;
        value.prepend(swatch);
      }
    parts.push(value, detail);
    if (found.openable) {
      const open = document.createElement('button');
      open.textContent = 'Open';
      open.addEventListener('click', () =>
        store.openValue({ moment: found.moment, part: 0, path: found.path, then: found.text }),
      );
      parts.push(open);
    }
  }
  if (found.stages.length > 1) parts.push(stageList(found.stages));
  return parts;
}

function stageList(stages: readonly StageMessage[]): HTMLElement {
  const list = document.createElement('ol');
  list.className = 'stages';
  for (const stage of stages) {
    const item = document.createElement('li');
    for (const [className, text] of [
      ['name', stage.name],
      ['size', stage.size],
      ['first', stage.text],
    ] as const) {
      const part = document.createElement('span');
      part.className = className;
      part.textContent = text;
      item.append(part);
    }
    list.append(item);
  }
  return list;
}
