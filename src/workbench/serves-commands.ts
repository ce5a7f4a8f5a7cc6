/** What a person does with entry points. */
import type { Command } from './command.js';
import type { State } from './state.js';
import type { Store } from './store.js';

export function toggleServes(store: Store): void {
  const on = store.state.serves === undefined;
  store.sendText();
  store.set({ serves: on ? { edited: [] } : undefined, grown: '' });
  store.tell({ type: 'serves', on });
  if (!on) store.editor?.focus();
}

/** Picks an entry point. */
export function pickEntry(store: Store, key: string): void {
  store.sendText();
  store.tell({ type: 'pick', key });
}

export function servesCommands(store: Store, state: State): Command[] {
  const { serves } = state;
  const list: Command[] = [
    {
      name: serves
        ? 'Show files again'
        : 'Show what serves: requests, events, timers, and the code that works for them',
      key: 'Ctrl+Alt+S',
      run: () => toggleServes(store),
    },
  ];
  if (!serves) return list;
  if (serves.entry)
    list.push({ name: 'Make this request again', key: 'Alt+A', run: () => store.tell({ type: 'ask' }) });
  for (const { key } of serves.list?.entries ?? [])
    list.push({ name: `What serves ${key}`, run: () => pickEntry(store, key) });
  return list;
}
