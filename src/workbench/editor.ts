/** The editor: CodeMirror with our surroundings, joined to the store. */
import { closeBrackets, closeBracketsKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { javascript } from '@codemirror/lang-javascript';
import { bracketMatching, HighlightStyle, indentOnInput, indentUnit, syntaxHighlighting } from '@codemirror/language';
import { highlightSelectionMatches, searchKeymap } from '@codemirror/search';
import { Annotation, Compartment, EditorState } from '@codemirror/state';
import {
  drawSelection,
  EditorView,
  highlightActiveLine,
  highlightActiveLineGutter,
  keymap,
  lineNumbers,
} from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { hoverCard } from './hover.js';
import { measureRoom, showBeside, showRecord, surroundings } from './margin-extension.js';
import type { EditorPort } from './state.js';
import type { Store } from './store.js';

/** Marks a change that came from the server: it is not an edit of the person. */
const fromServer = Annotation.define<boolean>();

const colours = HighlightStyle.define([
  {
    tag: [
      tags.keyword,
      tags.modifier,
      tags.operatorKeyword,
      tags.controlKeyword,
      tags.definitionKeyword,
      tags.moduleKeyword,
    ],
    class: 'tok-key',
  },
  { tag: [tags.string, tags.special(tags.string), tags.regexp], class: 'tok-str' },
  { tag: [tags.number, tags.bool, tags.null], class: 'tok-num' },
  { tag: [tags.comment], class: 'tok-com' },
  { tag: [tags.typeName, tags.className], class: 'tok-type' },
]);

/** Puts an editor into `parent` and joins it to the store. */
export function mountEditor(parent: HTMLElement, store: Store): () => void {
  const language = new Compartment();
  const languageOf = (file: string) =>
    javascript({ typescript: /\.[mc]?tsx?$/.test(file), jsx: /x$/.test(file) || /\.[mc]?js$/.test(file) });
  const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content ?? '';
  const view = new EditorView({
    parent,
    // The new text leaves before the editor draws it: the run and the drawing go on side by side.
    dispatchTransactions(transactions, target) {
      const last = transactions[transactions.length - 1];
      if (last && transactions.some((one) => one.docChanged && one.annotation(fromServer) !== true))
        store.edited(last.newDoc.toString());
      target.update(transactions);
    },
    state: EditorState.create({
      doc: '',
      extensions: [
        EditorView.cspNonce.of(nonce),
        surroundings((line) => store.inspect(line)),
        hoverCard(store),
        lineNumbers(),
        history(),
        drawSelection(),
        indentOnInput(),
        indentUnit.of('  '),
        bracketMatching(),
        closeBrackets(),
        highlightActiveLine(),
        highlightActiveLineGutter(),
        highlightSelectionMatches(),
        syntaxHighlighting(colours),
        language.of(languageOf('.ts')),
        EditorState.tabSize.of(2),
        keymap.of([...closeBracketsKeymap, ...defaultKeymap, ...searchKeymap, ...historyKeymap, indentWithTab]),
        EditorView.contentAttributes.of({
          'aria-label': 'Pad',
          spellcheck: 'false',
          autocapitalize: 'off',
          autocorrect: 'off',
        }),
      ],
    }),
  });
  const port: EditorPort = {
    text: () => view.state.doc.toString(),
    setText(file, text) {
      view.dispatch({
        changes: { from: 0, to: view.state.doc.length, insert: text },
        effects: language.reconfigure(languageOf(file)),
        annotations: fromServer.of(true),
        selection: { anchor: Math.min(view.state.selection.main.anchor, text.length) },
      });
    },
    setRecord(record) {
      view.dispatch({ effects: showRecord.of(record) });
    },
    rewrite(edits) {
      view.dispatch({ changes: edits.map(({ from, to, insert }) => ({ from, to, insert })) });
    },
    reveal(line, character) {
      const at = view.state.doc.line(Math.min(line + 1, view.state.doc.lines));
      const anchor = Math.min(at.from + character, at.to);
      view.dispatch({ selection: { anchor }, effects: EditorView.scrollIntoView(anchor, { y: 'center' }) });
      view.focus();
    },
    focus: () => view.focus(),
    place: () => {
      const { head } = view.state.selection.main;
      const line = view.state.doc.lineAt(head);
      return { line: line.number - 1, character: head - line.from };
    },
    selected: () => {
      const { main } = view.state.selection;
      return {
        text: view.state.sliceDoc(main.from, main.to),
        line: view.state.doc.lineAt(main.empty ? main.head : Math.max(main.from, main.to - 1)).number - 1,
      };
    },
    setBeside(line, item) {
      view.dispatch({ effects: showBeside.of({ line, item }) });
    },
    currentLine: () => view.state.doc.lineAt(view.state.selection.main.head).number - 1,
  };
  store.editor = port;
  const resized = new ResizeObserver(() => {
    measureRoom(view);
    // The room behind the lines has changed.
    if (store.state.record) port.setRecord(store.state.record);
  });
  resized.observe(view.scrollDOM);
  view.focus();
  return () => {
    resized.disconnect();
    view.destroy();
    store.editor = undefined;
  };
}
