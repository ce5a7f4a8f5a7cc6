/** The card beside the pointer: the value there, and the stages of its chain. Text only. */
import { hoverTooltip, tooltips } from '@codemirror/view';
import type { Extension } from '@codemirror/state';
import type { StageMessage } from '../server/protocol.js';
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
        const found = await store.hover(line.number - 1, position - line.from);
        // The values behind a line say what they are by themselves.
        if (document.querySelector('.margin:hover')) return null;
        if (!found || (found.text === '' && found.stages.length === 0)) return null;
        return { pos: position, above: true, create: () => ({ dom: card(found, store) }) };
      },
      { hoverTime: 280, hideOnChange: true },
    ),
  ];
}

function card(found: Hovered, store: Store): HTMLElement {
  const element = document.createElement('div');
  element.className = 'card hover-card';
  element.setAttribute('role', 'tooltip');
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
    element.append(value, detail);
    if (found.openable) {
      const open = document.createElement('button');
      open.textContent = 'Open';
      open.addEventListener('click', () =>
        store.openValue({ moment: found.moment, part: 0, path: found.path, then: found.text }),
      );
      element.append(open);
    }
  }
  if (found.stages.length > 1) element.append(stageList(found.stages));
  return element;
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
