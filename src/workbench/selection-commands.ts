/** What is done with a selected expression and its values. */
import type { SelectedMessage } from '../server/protocol-files.js';
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
    ...(store.state.live ? [] : [{ name: 'Put in as a mark', run: () => putMark(store, shown) }]),
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

/** The mark stands right behind the expression. */
function putMark(store: Store, { start, end }: SelectedMessage): void {
  const { doc } = store.editor!.view.state;
  const after = doc.sliceString(end, doc.lineAt(end).to);
  // What is about the largest expression that ends there is about this one where it ends the line.
  const text = doc.sliceString(start, end);
  if (/^[;,]?\s*$/.test(after))
    store.editor!.rewrite([{ from: doc.lineAt(end).to, to: doc.lineAt(end).to, insert: ' //~' }]);
  else
    store.editor!.rewrite([
      ...(/^[\w$.]+$/.test(text) ? [] : [{ from: start, to: start, insert: '(' }]),
      { from: end, to: end, insert: /^[\w$.]+$/.test(text) ? ' /*~*/' : ') /*~*/' },
    ]);
}

/** A test that the expression gives what it gave last. */
async function putTest(store: Store, shown: SelectedMessage): Promise<void> {
  const last = shown.history!.samples[shown.history!.samples.length - 1]!;
  const value = last.openable ? await json(store, last.moment) : last.text;
  if (value === undefined) {
    store.set({ note: 'This value cannot be written as code: it holds more than JSON can say.' });
    return;
  }
  const { doc } = store.editor!.view.state;
  const code = doc.sliceString(shown.start, shown.end);
  const text = doc.toString();
  const script = /\brequire\s*\(/.test(text) && !/^import\b/m.test(text);
  const missing = [
    ...(/\btest\b.*['"]node:test['"]/.test(text)
      ? []
      : [script ? "const test = require('node:test')" : "import test from 'node:test'"]),
    ...(/\bassert\b.*['"](node:)?assert(\/strict)?['"]/.test(text)
      ? []
      : [script ? "const assert = require('node:assert/strict')" : "import assert from 'node:assert/strict'"]),
  ];
  const name = JSON.stringify(code.replace(/\s+/g, ' ').slice(0, 60));
  const end = doc.length;
  store.editor!.rewrite([
    ...(missing.length > 0 ? [{ from: 0, to: 0, insert: `${missing.join('\n')}\n` }] : []),
    {
      from: end,
      to: end,
      insert: `${text.endsWith('\n') ? '' : '\n'}\ntest(${name}, () => {\n  assert.deepEqual(${code}, ${value})\n})\n`,
    },
  ]);
}

async function json(store: Store, moment: number): Promise<string | undefined> {
  const opened = await store.look({ do: 'open', moment, part: 0 });
  if (opened.is !== 'opened') return undefined;
  const answer = await store.look({ do: 'json', node: opened.opened.node });
  if (answer.is !== 'json' || answer.cut) return undefined;
  const short = JSON.stringify(JSON.parse(answer.text));
  return short.length < 100 ? short : answer.text.replace(/\n/g, '\n  ');
}
