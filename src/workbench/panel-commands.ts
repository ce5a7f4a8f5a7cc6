/** What a person does with the window's panels. */
import type { Command } from './command.js';
import type { State } from './state.js';
import type { Store } from './store.js';

export function panelCommands(store: Store, state: State): Command[] {
  const { layout, grown } = state;
  return [
    {
      name: 'Open the values of this line below it, or close them',
      key: 'Alt+I',
      run: () => store.toggleBelow(store.editor?.currentLine() ?? 0),
    },
    {
      name: 'Show or close the dock',
      key: 'Ctrl+Alt+J',
      run: () => store.set({ dock: dockIsOpen(state) ? 'closed' : 'open', grown: '' }),
    },
    {
      name: 'Show or close the inspector',
      key: 'Ctrl+Alt+K',
      run: () => store.set({ aside: sideIsOpen(state) ? 'closed' : 'auto', grown: '' }),
    },
    {
      name: grown === 'dock' ? 'Give the window back to the code' : 'Give the dock the window',
      key: 'Ctrl+Alt+M',
      run: () => store.set({ grown: grown === 'dock' ? '' : 'dock', dock: 'open' }),
    },
    {
      name: grown === 'side' ? 'The code beside the inspector again' : 'Give the inspector the window',
      key: 'Ctrl+Alt+V',
      run: () => store.set({ grown: grown === 'side' ? '' : 'side', aside: 'auto' }),
    },
    {
      name: layout.density === 'airy' ? 'Dense lines' : 'Lines with air',
      key: 'Ctrl+Alt+L',
      run: () => store.setLayout({ density: layout.density === 'airy' ? 'tight' : 'airy' }),
    },
    {
      name: state.beside === '' ? 'This file in a second place, beside the first' : 'One file alone',
      key: 'Ctrl+Alt+E',
      run: () => store.set({ beside: state.beside === '' ? state.file : '' }),
    },
    ...state.tabs.opened
      .filter((file) => file !== state.file)
      .map((file) => ({ name: `Show ${file} beside this one`, run: () => store.set({ beside: file }) })),
    { name: 'Close this file', key: 'Alt+W', run: () => store.closeTab(state.file) },
  ];
}

/** The dock takes room only where it has something, or a person wants it. */
export function dockIsOpen({ dock, dockSeen, alone, serves }: State): boolean {
  // A second file has its console where the first has it.
  return alone === 'dock' || dock === 'open' || (dock === 'auto' && dockSeen && alone !== 'code' && !serves);
}

/** The same of the inspector. */
export function sideIsOpen({
  aside,
  opened,
  inspected,
  shown,
  comparisons,
  good,
  record,
  alone,
  page,
}: State): boolean {
  if (alone === 'side') return true;
  if (aside === 'closed') return false;
  const kept = good ?? record;
  // Those of a page stand with it.
  const controls = page ? 0 : (kept?.dials.length ?? 0) + (kept?.gates.length ?? 0);
  return opened !== undefined || inspected !== undefined || shown.length + comparisons.length > 0 || controls > 0;
}
