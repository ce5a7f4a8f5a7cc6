/** What is done with a selected expression and its values. */
import type { SelectedMessage } from '../server/protocol-files.js';
import { markEdits, shortJson, testEdits } from '../views/selection-edits.js';
import type { Command } from './command.js';
import type { State } from './state.js';
import type { Store } from './store.js';

/** By their buttons; each is a command too. */
export function selectionActions(store: Store, shown: SelectedMessage): { name: string; run(): void }[] {
  const { history } = shown;
  const last = history?.samples[history.samples.length - 1];
  if (!history || !last) return [];
  return [
    ...(last.openable ? [{ name: 'Open', run: () => open(store, shown) }] : []),
    { name: 'Copy', run: () => void copy(store, last.text) },
    ...(store.state.live
      ? []
      : [{ name: 'Put in as a mark', run: () => store.editor!.rewrite(markEdits(textIn(store), shown)) }]),
    ...(shown.top && !store.state.live ? [{ name: 'Put in as a test', run: () => void putTest(store, shown) }] : []),
  ];
}

export function selectionCommands(store: Store, state: State): Command[] {
  const shown = store.selecting.shown;
  if (!shown?.history) return [];
  const keys: Record<string, string> = { Open: 'Alt+O', 'Put in as a mark': 'Alt+M', 'Put in as a test': 'Alt+T' };
  return [
    ...selectionActions(store, shown).map(({ name, run }) => ({
      name: `What is selected: ${name.toLowerCase()}`,
      ...(keys[name] === undefined ? {} : { key: keys[name] }),
      run,
    })),
    ...(state.live
      ? []
      : (['html', 'md', 'svg'] as const).map((format) => ({
          name: `Export the selected lines as ${format === 'md' ? 'Markdown' : format.toUpperCase()}`,
          run: () => store.exportAs(format, store.editor?.selectedLines()),
        }))),
  ];
}

function open(store: Store, { history }: SelectedMessage): void {
  const last = history!.samples[history!.samples.length - 1]!;
  store.openValue({ moment: last.moment, part: 0, path: 'it', then: last.text });
}

async function copy(store: Store, text: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(text);
    store.set({ note: 'The value is copied.' });
  } catch {
    store.set({ note: `The browser did not allow copying: ${text.slice(0, 400)}` });
  }
}

/** A test that the expression gives what it gave last. */
async function putTest(store: Store, shown: SelectedMessage): Promise<void> {
  const last = shown.history!.samples[shown.history!.samples.length - 1]!;
  const value = last.openable ? await json(store, last.moment) : last.text;
  if (value === undefined) {
    store.set({ note: 'This value cannot be written as code: it holds more than JSON can say.' });
    return;
  }
  store.editor!.rewrite(testEdits(textIn(store), shown, value));
}

const textIn = (store: Store): string => store.editor!.view.state.doc.toString();

async function json(store: Store, moment: number): Promise<string | undefined> {
  const opened = await store.look({ do: 'open', moment, part: 0 });
  if (opened.is !== 'opened') return undefined;
  const answer = await store.look({ do: 'json', node: opened.opened.node });
  if (answer.is !== 'json' || answer.cut) return undefined;
  return shortJson(answer.text);
}
