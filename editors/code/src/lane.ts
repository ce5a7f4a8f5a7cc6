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
import { type LaneParams, SEES } from '../../../src/editor/extra-messages.js';
import type { SeesParams } from '../../../src/editor/extras.js';
import { block } from '../../../src/editor/markdown.js';
import type { LineMessage, MarginItemMessage } from '../../../src/server/protocol.js';
import { railKey, railType } from './rail.js';
import { addressOf, type Server } from './server.js';

type Kind = 'value' | 'fail' | 'quiet';
const FAILS: ReadonlySet<MarginItemMessage['kind']> = new Set(['error', 'failed', 'bad-request'] as const);
const QUIET: ReadonlySet<MarginItemMessage['kind']> = new Set([
  ...(['passed', 'skipped', 'calls', 'note', 'wait', 'type', 'gate'] as const),
]);

/** Values of a selected expression, to stand behind its line. */
export interface SelectedValues {
  line: number;
  text: string;
}

export class Lane implements Disposable {
  private readonly known = new Map<string, LaneParams>();
  private readonly rails = new Map<string, TextEditorDecorationType>();
  private readonly values: TextEditorDecorationType;
  private readonly unreached: TextEditorDecorationType;
  private readonly chosen: TextEditorDecorationType;
  private readonly subscriptions: Disposable[];

  constructor(private readonly server: Server) {
    this.values = window.createTextEditorDecorationType({});
    this.unreached = window.createTextEditorDecorationType({ opacity: '0.62' });
    this.chosen = window.createTextEditorDecorationType({});
    this.subscriptions = [
      server.onLane((given) => this.take(given)),
      // A file that nothing runs any more shows nothing.
      server.onStatus((given) => {
        if (given.is !== 'off') return;
        this.known.delete(given.uri);
        this.drawAll();
      }),
      window.onDidChangeVisibleTextEditors(() => this.drawAll()),
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

  dispose(): void {
    for (const one of [...this.subscriptions, ...this.rails.values(), this.values, this.unreached, this.chosen])
      one.dispose();
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
    const width = workspace.getConfiguration('usherAnvil').get('width', 140);
    const byRail = new Map<string, Range[]>([...this.rails.keys()].map((key) => [key, []]));
    const texts: DecorationOptions[] = [];
    const unreached: Range[] = [];
    for (const line of given?.lines ?? []) {
      if (line.line >= document.lineCount) continue;
      const key = given!.earlier ? '' : railKey(line);
      if (key !== '') byRail.set(key, [...(byRail.get(key) ?? []), new Range(line.line, 0, line.line, 0)]);
      if (line.state === 'never' && !given!.earlier) unreached.push(document.lineAt(line.line).range);
      const label = labelOf(line, width);
      if (label !== '')
        texts.push({ ...behind(document, line.line, label, kindOf(line, given!.earlier)), hoverMessage: card(line) });
    }
    for (const [key, ranges] of byRail) {
      let type = this.rails.get(key);
      if (!type) this.rails.set(key, (type = railType(key)));
      editor.setDecorations(type, ranges);
    }
    editor.setDecorations(this.values, texts);
    editor.setDecorations(this.unreached, unreached);
  }
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
  if (items.length === 0) return '';
  const whole = items
    .map(({ text, count }) => (count === undefined ? text : `${text} ${count}`))
    .join(' · ')
    .replace(/\s*\n\s*/g, '↵');
  // Blanks of a decoration collapse.
  const text = (whole.length > width ? `${whole.slice(0, width - 1)}…` : whole).replace(/ /g, '\u00a0');
  return `│\u00a0${text}`;
}

/** All of what stands behind a line. What comes from a program stays text. */
function card({ items, title }: LineMessage): MarkdownString {
  const told = [...items.map((item) => item.title || item.text), title].filter((text) => text !== '');
  const card = new MarkdownString(told.map((text) => block(text, 'text')).join('\n\n'));
  card.supportHtml = false;
  card.isTrusted = false;
  return card;
}
