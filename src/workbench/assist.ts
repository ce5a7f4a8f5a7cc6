/** Help while one writes: names with the values they have, the call around the cursor, types beside values. */
import {
  autocompletion,
  type Completion,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { type Extension, Prec, StateEffect, StateField } from '@codemirror/state';
import { EditorView, keymap, showTooltip, type Tooltip } from '@codemirror/view';
import type { AssistedMessage } from '../server/protocol-files.js';
import type { Store } from './store.js';

const KINDS: Record<string, string> = {
  method: 'method',
  function: 'function',
  'local function': 'function',
  class: 'class',
  interface: 'interface',
  type: 'type',
  const: 'constant',
  let: 'variable',
  var: 'variable',
  parameter: 'variable',
  property: 'property',
  getter: 'property',
  keyword: 'keyword',
  module: 'namespace',
  enum: 'enum',
};

/** Milliseconds in which nobody types a name further. */
const PAUSE_MS = 250;

/** The extension. */
export function assistance(store: Store): Extension {
  return [
    autocompletion({
      override: [(context) => complete(store, context)],
      activateOnTyping: true,
      icons: false,
      maxRenderedOptions: 60,
    }),
    calls(store),
  ];
}

async function complete(store: Store, context: CompletionContext): Promise<CompletionResult | null> {
  const imported = context.matchBefore(/(?:\bfrom|\bimport|\brequire\s*\(|\bimport\s*\()\s*(['"])[@\w][\w./@-]*/);
  if (imported) return completePackage(store, context, imported);
  const word = context.matchBefore(/[\p{ID_Continue}$]*/u)!;
  const isMember = /\.\s*$/.test(context.state.sliceDoc(Math.max(0, word.from - 20), word.from));
  if (!context.explicit && word.from === word.to && !isMember) return null;
  // A number is being written, or a comment.
  if (/^\d/.test(word.text) || isQuiet(context)) return null;
  const found = await store.assist(context.pos, 'names');
  if (!found || found.names.length === 0 || context.aborted) return null;
  return {
    from: word.from,
    validFor: /^[\p{ID_Continue}$]*$/u,
    options: found.names.map(({ name, kind, sort, value }): Completion => ({
      label: name,
      type: KINDS[kind] ?? 'text',
      // What the value really has comes first, then what is near, then what is everywhere.
      boost: value !== undefined ? 60 : sort <= '11' ? 20 : sort >= '15' ? -20 : 0,
      detail: value ?? (kind === 'keyword' ? '' : kind),
      info: () => about(store, context.pos, name),
    })),
  };
}

/** Packages for an import that is being written: those that are not there are added when they are chosen. */
async function completePackage(
  store: Store,
  context: CompletionContext,
  { text, to }: { text: string; to: number },
): Promise<CompletionResult | null> {
  const typed = text.slice(text.search(/['"]/) + 1);
  // The registry is asked for names, and not for each letter of one.
  await new Promise((resolve) => setTimeout(resolve, PAUSE_MS));
  if (context.aborted) return null;
  const found = await store.assist(context.pos, 'package', typed);
  if (!found || found.names.length === 0 || context.aborted) return null;
  return {
    from: to - typed.length,
    // Another name is another package.
    validFor: (now) => now === typed,
    options: found.names.map(({ name, kind, sort }): Completion => {
      const at = name.lastIndexOf('@');
      const isNew = kind.startsWith('add');
      return {
        label: isNew ? `${name.slice(0, at)} ${name.slice(at + 1)}` : name,
        type: 'namespace',
        boost: 99 - Number(sort),
        detail: kind,
        apply: isNew
          ? (view, _completion, from, end) => {
              const insert = name.slice(0, at);
              view.dispatch({ changes: { from, to: end, insert }, selection: { anchor: from + insert.length } });
              store.addPackage(name);
            }
          : name,
      };
    }),
  };
}

function isQuiet({ state, pos }: CompletionContext): boolean {
  const line = state.doc.lineAt(pos);
  const before = line.text.slice(0, pos - line.from);
  return /(^|[^:])\/\/(?!~)/.test(before.replace(/(['"`])(?:\\.|(?!\1).)*\1/g, '')) || /^\s*(\/?\*)/.test(before);
}

async function about(store: Store, offset: number, name: string): Promise<HTMLElement | null> {
  const found = await store.assist(offset, 'detail', name);
  return found?.about ? describe(found.about) : null;
}

/** A type with its documentation, as text. */
export function describe({ type, text }: { type: string; text: string }): HTMLElement {
  const element = document.createElement('div');
  element.className = 'about';
  const first = document.createElement('pre');
  first.textContent = type.length > 400 ? `${type.slice(0, 399)}…` : type;
  element.append(first);
  if (text !== '') {
    const rest = document.createElement('pre');
    rest.className = 'dim';
    rest.textContent = text;
    element.append(rest);
  }
  return element;
}

const showCall = StateEffect.define<{ at: number; call: NonNullable<AssistedMessage['signature']> } | null>();

/** The call around the cursor, from its parenthesis on; Escape hides it. */
function calls(store: Store): Extension {
  let asked = 0;
  const ask = async (view: EditorView): Promise<void> => {
    const number = ++asked;
    const { head } = view.state.selection.main;
    const found = await store.assist(head, 'signature');
    if (number !== asked || view.state.selection.main.head !== head) return;
    const call = found?.signature;
    if (call || view.state.field(field)) view.dispatch({ effects: showCall.of(call ? { at: head, call } : null) });
  };
  const field = StateField.define<{ at: number; call: NonNullable<AssistedMessage['signature']> } | null>({
    create: () => null,
    update(shown, transaction) {
      for (const effect of transaction.effects) if (effect.is(showCall)) return effect.value;
      return shown && transaction.docChanged ? { ...shown, at: transaction.changes.mapPos(shown.at) } : shown;
    },
    provide: (self) =>
      showTooltip.from(self, (shown): Tooltip | null =>
        shown ? { pos: shown.at, above: true, create: () => ({ dom: callCard(shown.call) }) } : null,
      ),
  });
  return [
    field,
    EditorView.updateListener.of((update) => {
      const isOpen = update.state.field(field) !== null;
      let typed = false;
      if (update.docChanged)
        update.changes.iterChanges((_a, _b, _c, _d, inserted) => {
          if (/[(,]/.test(inserted.toString()) && inserted.length < 4) typed = true;
        });
      if (typed || (isOpen && (update.selectionSet || update.docChanged))) void ask(update.view);
    }),
    Prec.high(
      keymap.of([
        {
          key: 'Escape',
          run(view) {
            if (view.state.field(field) === null) return false;
            asked++;
            view.dispatch({ effects: showCall.of(null) });
            return true;
          },
        },
        {
          key: 'Ctrl-Shift-Space',
          run(view) {
            void ask(view);
            return true;
          },
        },
      ]),
    ),
  ];
}

function callCard({ parts, active, text }: NonNullable<AssistedMessage['signature']>): HTMLElement {
  const element = document.createElement('div');
  element.className = 'card hover-card call-card';
  element.setAttribute('role', 'tooltip');
  const line = document.createElement('pre');
  parts.forEach((part, index) => {
    const one = document.createElement(index === active ? 'strong' : 'span');
    one.textContent = part;
    line.append(one);
  });
  element.append(line);
  if (text !== '') {
    const about = document.createElement('p');
    about.className = 'dim';
    about.textContent = text.slice(0, 300);
    element.append(about);
  }
  return element;
}
