/** Evaluating in a live program from its code. */
import type { Store } from './store.js';

/**
 * Evaluates what is selected, or the statement at the cursor, in the program; its value stands beside it.
 *
 * @param stops the program stops in it
 */
export async function evaluateHere(store: Store, stops = false): Promise<void> {
  const { editor, state } = store;
  if (!editor || !state.live) return;
  const { text, line } = editor.selected();
  const { file } = state;
  const answer = await store.enterAt((ask) => ({
    ...{ type: 'enter', ask, file, line },
    ...(text === '' ? {} : { text }),
    ...(stops ? { stops } : {}),
  }));
  const { entered } = answer;
  const at = answer.line ?? line;
  if (entered.is === 'done') {
    const { result } = entered;
    const shown = result ? `= ${answer.text ?? ''}` : entered.changes || 'done';
    editor.setBeside(at, {
      kind: 'value',
      text: shown,
      title: [entered.changes, result?.value.type === 'object' ? 'evaluated here; click to open' : 'evaluated here']
        .filter(Boolean)
        .join('\n'),
      ...(result && result.value.type === 'object'
        ? { open: () => store.openValue({ moment: result.moment, part: 0, path: 'it', then: answer.text ?? '' }) }
        : {}),
    });
  } else {
    const why =
      entered.is === 'incomplete'
        ? 'it is not whole'
        : entered.is === 'wrong'
          ? (entered.problems[0]?.message ?? '')
          : entered.text;
    editor.setBeside(at, { kind: 'error', text: why, title: why });
  }
}

/** Enters code at the prompt; false when it is not whole yet. */
export async function enter(store: Store, text: string): Promise<boolean> {
  const id = (store.state.entries.at(-1)?.id ?? 0) + 1;
  const { file } = store.state;
  store.set({ entries: [...store.state.entries, { id, text }] });
  const answer = await store.enterAt((ask) => ({ type: 'enter', ask, file, text, remember: true }));
  const { live } = store.state;
  if (answer.entered.is === 'incomplete') {
    store.set({ entries: store.state.entries.filter((entry) => entry.id !== id) });
    return false;
  }
  store.set({
    entries: store.state.entries.map((entry) =>
      entry.id === id
        ? { ...entry, outcome: answer.entered, ...(answer.text === undefined ? {} : { shown: answer.text }) }
        : entry,
    ),
    ...(live ? { live: { ...live, entered: [...live.entered, text] } } : {}),
  });
  return true;
}
