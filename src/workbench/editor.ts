/** The editor: CodeMirror with our surroundings, joined to the store. */
import { closeBrackets, closeBracketsKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';

import {
  bracketMatching,
  codeFolding,
  foldGutter,
  foldKeymap,
  indentOnInput,
  indentUnit,
  syntaxHighlighting,
} from '@codemirror/language';
import { highlightSelectionMatches, searchKeymap } from '@codemirror/search';
import { EditorState, type Extension, Transaction } from '@codemirror/state';
import {
  drawSelection,
  EditorView,
  highlightActiveLine,
  highlightActiveLineGutter,
  keymap,
  lineNumbers,
  placeholder,
} from '@codemirror/view';
import { assistance } from './assist.js';
import { colours } from './code-colours.js';
import { below, linesBelow, showBelow } from './below.js';
import { selection } from './selection.js';
import { languageOf } from './languages.js';
import { hoverCard } from './hover.js';
import { dimRecord, fitAgain, measureRoom, showBeside, showRecord, surroundings } from './margin-extension.js';
import { breakpointsInRail, showBreakpoints } from './breakpoints-extension.js';
import { toggleBreakpoint } from './held.js';
import { pieceInCode, showPiece } from './piece-extension.js';
import type { EditorPort } from './state.js';
import type { Store } from './store.js';
import { showWalk, walkInCode } from './walk-extension.js';

/** Characters of a text that can be typed in, kept and saved; what runs may be shorter. */
const MOST_TEXT = 8_000_000;

/** The state that the editor begins a file with; `shared` joins its text to the server's. */
function stateOf(store: Store, file: string, text: string, shared: Extension): EditorState {
  const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content ?? '';
  return EditorState.create({
    doc: text,
    extensions: [
      shared,
      EditorState.changeFilter.of((transaction) => {
        if (transaction.newDoc.length <= MOST_TEXT || transaction.newDoc.length <= transaction.startState.doc.length)
          return true;
        store.set({ note: `A text can have ${MOST_TEXT.toLocaleString('en-US')} characters. It was not changed.` });
        return false;
      }),
      EditorView.cspNonce.of(nonce),
      EditorView.updateListener.of(({ view, viewportChanged, docChanged }) => {
        if (viewportChanged && !docChanged) sees(view, store);
      }),
      surroundings((line) => store.inspect(line)),
      walkInCode(),
      pieceInCode(),
      breakpointsInRail((line) => toggleBreakpoint(store, line)),
      below(store),
      assistance(store),
      selection(store),
      placeholder('Type here: an untitled pad. It runs as you type.'),
      hoverCard(store),
      lineNumbers(),
      codeFolding({ placeholderText: '…' }),
      foldGutter({ openText: '⌄', closedText: '›' }),
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
      languageOf(file),
      EditorState.tabSize.of(2),
      keymap.of([
        ...closeBracketsKeymap,
        ...defaultKeymap,
        ...searchKeymap,
        ...historyKeymap,
        ...foldKeymap,
        indentWithTab,
      ]),
      EditorView.contentAttributes.of({
        'aria-label': 'Pad',
        tabindex: '0',
        spellcheck: 'false',
        autocapitalize: 'off',
        autocorrect: 'off',
      }),
    ],
  });
}

/** Lines on the screen: of a long text their values come first. */
function sees({ state, viewport }: EditorView, store: Store): void {
  store.sees(state.doc.lineAt(viewport.from).number - 1, state.doc.lineAt(viewport.to).number);
}

/** Where the cursor is, and what is selected. Lines are zero-based. */
function selections(
  view: EditorView,
): Pick<EditorPort, 'place' | 'selected' | 'selectedLines' | 'selectedRange' | 'currentLine'> {
  return {
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
    selectedLines: () => {
      const { from, to } = view.state.selection.main;
      return { from: view.state.doc.lineAt(from).number - 1, to: view.state.doc.lineAt(to).number - 1 };
    },
    selectedRange: () => {
      const { from, to, empty } = view.state.selection.main;
      const place = (offset: number): { line: number; character: number } => {
        const line = view.state.doc.lineAt(offset);
        return { line: line.number - 1, character: offset - line.from };
      };
      return empty ? undefined : { ...place(from), until: place(to) };
    },
    currentLine: () => view.state.doc.lineAt(view.state.selection.main.head).number - 1,
  };
}

/** Puts an editor into `parent` and joins it to the store. */
export function mountEditor(parent: HTMLElement, store: Store): () => void {
  const view = new EditorView({
    parent,
    // The new text leaves before the editor draws it: the run and the drawing go on side by side.
    dispatchTransactions(transactions, target) {
      const last = transactions[transactions.length - 1];
      if (last && transactions.some((one) => one.docChanged && one.annotation(Transaction.remote) !== true)) {
        port.sending = last.state;
        store.edited();
        port.sending = undefined;
      }
      target.update(transactions);
    },
    // Until the server has said which text it is, nothing can be typed that would belong nowhere.
    state: stateOf(store, '.ts', '', EditorState.readOnly.of(true)),
  });
  const port: EditorPort = {
    view,
    sending: undefined,
    begin(file, text, shared) {
      view.setState(stateOf(store, file, text, shared));
      sees(view, store);
    },
    showBelow(line, values) {
      view.dispatch({ effects: showBelow.of({ line, values }) });
    },
    linesBelow: () => linesBelow(view.state),
    resume(state) {
      view.setState(state);
      sees(view, store);
      view.dispatch({ effects: dimRecord.of(null) });
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
    ...selections(view),
    setWalk(walk, follows = true) {
      const { line, file } = { line: walk?.stop.at.line ?? -1, file: walk?.stop.at.file };
      const here = follows && walk !== null && file === walk.file && line < view.state.doc.lines;
      const scroll = here
        ? [EditorView.scrollIntoView(view.state.doc.line(line + 1).from, { y: 'nearest', yMargin: 60 })]
        : [];
      view.dispatch({ effects: [showWalk.of(walk), ...scroll] });
    },
    host(element) {
      (element ?? parent).append(view.dom);
      measureRoom(view);
      view.requestMeasure();
    },
    setPiece: (lines) => view.dispatch({ effects: showPiece.of(lines) }),
    setBreakpoints: (list) => view.dispatch({ effects: showBreakpoints.of(list) }),
    write(at, text, { line, character }) {
      view.dispatch({ changes: { from: Math.min(at, view.state.doc.length), insert: text } });
      port.reveal(line, character);
    },
    setBeside(line, item) {
      view.dispatch({ effects: showBeside.of({ line, item }) });
    },
  };
  store.joinEditor(port);
  const resized = new ResizeObserver(() => {
    if (measureRoom(view)) view.dispatch({ effects: fitAgain.of(null) });
  });
  resized.observe(view.scrollDOM);
  view.focus();
  return () => {
    resized.disconnect();
    view.destroy();
    store.editor = undefined;
  };
}
