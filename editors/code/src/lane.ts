/** Values, results and errors behind the lines, and the rail before them. */
import {
  type DecorationInstanceRenderOptions,
  type DecorationOptions,
  type Disposable,
  MarkdownString,
  Range,
  type TextDocument,
  type TextEditor,
  type TextEditorDecorationType,
  ThemeColor,
  window,
  workspace,
} from 'vscode';
import { type Evaluated, type LaneParams, SEES } from '../../../src/editor/extra-messages.js';
import type { SeesParams } from '../../../src/editor/extras.js';
import { lineText } from '../../../src/editor/line-text.js';
import { block } from '../../../src/editor/markdown.js';
import type { LineMessage, MarginItemMessage } from '../../../src/server/protocol.js';
import { railKey, railType } from './rail.js';
import { addressOf, type Server } from './server.js';

type Kind = 'value' | 'fail' | 'quiet';
const FAILS: ReadonlySet<MarginItemMessage['kind']> = new Set(['error', 'failed', 'bad-request'] as const);
const QUIET: ReadonlySet<MarginItemMessage['kind']> = new Set([
  ...(['passed', 'skipped', 'calls', 'note', 'wait', 'type', 'gate'] as const),
]);

/** Values of so many lines, as a power of two, are one kind of decoration: the others do not travel with them. */
const GROUP_BITS = 3;

/** Values of a selected expression, to stand behind its line. */
export interface SelectedValues {
  line: number;
  text: string;
}

export class Lane implements Disposable {
  private readonly known = new Map<string, LaneParams>();
  /** Kinds of decorations: of the rail, of lines that never ran, and of values, some lines together. */
  private readonly types = new Map<string, TextEditorDecorationType>();
  /** What each editor was told last, by kind. */
  private readonly told = new WeakMap<TextEditor, Map<string, string>>();
  private readonly chosen = window.createTextEditorDecorationType({});
  private readonly entered = window.createTextEditorDecorationType({});
  /** Where what was evaluated stands. */
  private enteredIn: TextEditor | undefined;
  private readonly subscriptions: Disposable[];

  constructor(private readonly server: Server) {
    this.subscriptions = [
      server.onLane((given) => this.take(given)),
      // A file that nothing runs any more shows nothing.
      server.onStatus((given) => {
        if (given.is !== 'off') return;
        this.known.delete(given.uri);
        this.drawAll();
      }),
      window.onDidChangeVisibleTextEditors(() => this.drawAll()),
      workspace.onDidChangeTextDocument(({ document }) => {
        if (this.enteredIn?.document === document) this.enteredIn.setDecorations(this.entered, []);
      }),
      window.onDidChangeTextEditorVisibleRanges(({ textEditor }) => this.tellSeen(textEditor)),
      workspace.onDidCloseTextDocument(({ uri }) => void this.known.delete(addressOf(uri))),
    ];
  }

  /** The lines of a document as they were told last. */
  linesOf(document: TextDocument): readonly LineMessage[] {
    return this.known.get(addressOf(document.uri))?.lines ?? [];
  }

  drawAll(): void {
    for (const editor of window.visibleTextEditors) this.draw(editor);
  }

  /** Shows what a selected expression gave, in place of what it gave before. */
  select(editor: TextEditor, selected: SelectedValues | undefined): void {
    editor.setDecorations(
      this.chosen,
      selected && selected.line < editor.document.lineCount
        ? [behind(editor.document, selected.line, ` ⟨ ${selected.text} ⟩`, 'value')]
        : [],
    );
  }

  /** What was evaluated stands behind its line until something else is, or the text changes. */
  evaluated(editor: TextEditor, { line, text, failed }: Evaluated): void {
    if (line >= editor.document.lineCount) return;
    const words = text.replace(/\s*\n\s*/g, ' ').slice(0, workspace.getConfiguration('usherAnvil').get('width', 140));
    editor.setDecorations(this.entered, [behind(editor.document, line, `⇒ ${words}`, failed ? 'fail' : 'value')]);
    this.enteredIn = editor;
  }

  dispose(): void {
    for (const one of [...this.subscriptions, ...this.types.values(), this.chosen, this.entered]) one.dispose();
  }

  private take(given: LaneParams): void {
    const before = this.known.get(given.uri);
    // Of a long text the lines on the screen come first: what was told of the others stands until they come.
    const { part } = given;
    const others = part ? (before?.lines ?? []).filter(({ line }) => line < part.from || line >= part.to) : [];
    this.known.set(given.uri, { ...given, lines: [...others, ...given.lines] });
    for (const editor of window.visibleTextEditors) if (addressOf(editor.document.uri) === given.uri) this.draw(editor);
  }

  private tellSeen({ document, visibleRanges }: TextEditor): void {
    const [first] = visibleRanges;
    const last = visibleRanges.at(-1);
    const uri = addressOf(document.uri);
    if (!first || !last || !this.server.isRunning || !this.known.has(uri)) return;
    void this.server.client!.sendNotification(SEES, {
      uri,
      from: first.start.line,
      to: last.end.line + 1,
    } satisfies SeesParams);
  }

  private draw(editor: TextEditor): void {
    const { document } = editor;
    const given = this.known.get(addressOf(document.uri));
    // What was told of an older text waits for what is told of this one: the editor moves what stands meanwhile.
    if (given && given.version !== document.version) return;
    const earlier = given?.earlier === true;
    const width = workspace.getConfiguration('usherAnvil').get('width', 140);
    const drawn = new Map<string, DecorationOptions[]>();
    const add = (key: string, one: DecorationOptions): void => {
      const list = drawn.get(key);
      if (list) list.push(one);
      else drawn.set(key, [one]);
    };
    for (const line of given?.lines ?? []) {
      if (line.line >= document.lineCount) continue;
      const rail = earlier ? '' : railKey(line);
      if (rail !== '') add(`rail ${rail}`, { range: new Range(line.line, 0, line.line, 0) });
      if (line.state === 'never' && !earlier) add('unreached', { range: document.lineAt(line.line).range });
      const label = labelOf(line, width);
      if (label === '') continue;
      const text = behind(document, line.line, label, kindOf(line, earlier));
      add(`values ${line.line >> GROUP_BITS}`, { ...text, hoverMessage: card(line) });
    }
    this.put(editor, drawn);
  }

  /** Tells the editor what is new: each kind that it is told travels, and is laid out anew. */
  private put(editor: TextEditor, drawn: ReadonlyMap<string, DecorationOptions[]>): void {
    let told = this.told.get(editor);
    if (!told) this.told.set(editor, (told = new Map<string, string>()));
    for (const key of new Set([...told.keys(), ...drawn.keys()])) {
      const list = drawn.get(key) ?? [];
      const text = list.length === 0 ? '' : JSON.stringify(list);
      if (told.get(key) === text) continue;
      if (text === '') told.delete(key);
      else told.set(key, text);
      editor.setDecorations(this.typeOf(key), list);
    }
  }

  private typeOf(key: string): TextEditorDecorationType {
    let type = this.types.get(key);
    if (!type) this.types.set(key, (type = made(key)));
    return type;
  }
}

function made(key: string): TextEditorDecorationType {
  if (key.startsWith('rail ')) return railType(key.slice('rail '.length));
  return window.createTextEditorDecorationType(key === 'unreached' ? { opacity: '0.62' } : {});
}

/** Text after the end of a line. */
function behind(document: TextDocument, line: number, text: string, kind: Kind): DecorationOptions {
  const { end } = document.lineAt(line).range;
  const after: DecorationInstanceRenderOptions['after'] = {
    contentText: text,
    color: new ThemeColor(`usherAnvil.${kind}`),
    margin: '0 0 0 1.5em',
  };
  return { range: new Range(end, end), renderOptions: { after } };
}

function kindOf({ items }: LineMessage, earlier: boolean): Kind {
  if (items.some(({ kind }) => FAILS.has(kind))) return 'fail';
  return earlier || items.every(({ kind }) => QUIET.has(kind)) ? 'quiet' : 'value';
}

function labelOf({ items }: LineMessage, width: number): string {
  // Blanks of a decoration collapse.
  return items.length === 0 ? '' : `│ ${lineText(items, width)}`.replace(/ /g, '\u00a0');
}

/** All of what stands behind a line. What comes from a program stays text. */
function card({ items, title }: LineMessage): MarkdownString {
  const told = [...items.map((item) => item.title || item.text), title].filter((text) => text !== '');
  const card = new MarkdownString(told.map((text) => block(text, 'text')).join('\n\n'));
  card.supportHtml = false;
  card.isTrusted = false;
  return card;
}
