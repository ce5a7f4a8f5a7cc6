/** What a person does with files: new, named, moved, copied, deleted, tried. */
import type { Command } from './command.js';
import type { State } from './state.js';
import type { Store } from './store.js';

/** Saves; a pad without a name is asked for one. */
export function saveFile(store: Store): void {
  if (store.state.untitled) nameFile(store, 'Save as', 'Save');
  else store.save();
}

export function newPad(store: Store, template?: string): void {
  store.leaveStart();
  store.tell({ type: 'new', ...(template === undefined ? {} : { template }) });
}

export function nameFile(store: Store, title: string, verb: string): void {
  const { file, untitled } = store.state;
  store.set({
    naming: {
      title,
      verb,
      suggestion: untitled ? file.replace(/untitled-\d+/, 'pad') : file,
      hint: 'A path in this folder; folders on the way are made.',
      take: (to) => {
        store.sendText();
        store.tell({ type: 'move', file, to });
      },
    },
  });
}

export function fileCommands(store: Store, state: State): Command[] {
  const { file } = state;
  const templates = state.start?.templates ?? [];
  return [
    { name: 'New pad', key: 'Alt+N', run: () => newPad(store) },
    ...templates.map(({ name, sentence }) => ({
      name: `New pad from ${name}: ${sentence}`,
      run: () => newPad(store, name),
    })),
    { name: 'Start page: recent pads, templates, examples', key: 'Alt+H', run: () => store.showStart() },
    { name: 'A copy of this pad, without a name yet', run: () => store.tell({ type: 'new', copy: file }) },
    { name: state.untitled ? 'Save as' : 'Rename or move this file', run: () => nameFile(store, 'Name', 'Name it') },
    { name: 'Delete this file; it can be put back', run: () => store.tell({ type: 'delete', file }) },
    { name: 'Put the file back that was deleted last', run: () => store.tell({ type: 'undelete' }) },
    { name: 'Try the function at the cursor in a pad of its own', key: 'Ctrl+Alt+N', run: () => tryHere(store) },
  ];
}

export function tryHere(store: Store): void {
  const place = store.editor?.place();
  if (!place) return;
  store.sendText();
  store.tell({ type: 'try', file: store.state.file, ...place });
}
