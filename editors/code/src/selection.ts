/** A selected expression shows its values, and goes on to while it is selected. */
import { type Disposable, type TextEditor, window, workspace } from 'vscode';
import { SELECT } from '../../../src/editor/extra-messages.js';
import type { SelectedMessage } from '../../../src/server/protocol-files.js';
import type { Lane } from './lane.js';
import { addressOf, type Server } from './server.js';

/** Milliseconds for which a selection rests before it is asked about. */
const RESTS_MS = 150;
/** Values that are shown. */
const MOST = 5;

export class Selection implements Disposable {
  private timer: NodeJS.Timeout | undefined;
  private shown: TextEditor | undefined;
  private readonly subscriptions: Disposable[];

  constructor(
    private readonly server: Server,
    private readonly lane: Lane,
  ) {
    this.subscriptions = [
      window.onDidChangeTextEditorSelection(({ textEditor }) => this.soon(textEditor)),
      // What is selected follows the run.
      server.onLane(({ uri }) => {
        const editor = window.activeTextEditor;
        if (editor && addressOf(editor.document.uri) === uri && !editor.selection.isEmpty) this.soon(editor);
      }),
    ];
  }

  dispose(): void {
    clearTimeout(this.timer);
    for (const one of this.subscriptions) one.dispose();
  }

  private soon(editor: TextEditor): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.ask(editor), RESTS_MS);
  }

  private async ask(editor: TextEditor): Promise<void> {
    const { document, selection } = editor;
    const isOn = workspace.getConfiguration('usherAnvil').get('selection', true);
    if (selection.isEmpty || !isOn || !this.server.isRunning || this.lane.linesOf(document).length === 0) {
      if (this.shown) this.lane.select(this.shown, undefined);
      this.shown = undefined;
      return;
    }
    const text = document.getText();
    const before = (offset: number): number => text.slice(0, offset).replace(/\r\n/g, '\n').length;
    const { version } = document;
    const answer: SelectedMessage | null = await this.server
      .client!.sendRequest<SelectedMessage | null>(SELECT, {
        uri: addressOf(document.uri),
        start: before(document.offsetAt(selection.start)),
        end: before(document.offsetAt(selection.end)),
        version,
      })
      .catch(() => null);
    if (document.version !== version || editor.selection.isEmpty) return;
    const shown = answer ? wordsOf(answer) : '';
    this.shown = shown === '' ? undefined : editor;
    this.lane.select(editor, shown === '' ? undefined : { line: selection.end.line, text: shown });
  }
}

function wordsOf({ is, why, history }: SelectedMessage): string {
  if (is !== 'values' || !history) return is === 'soon' ? why : '';
  const { samples, total } = history;
  const last = samples.slice(-MOST).map(({ text }) => text.replace(/\s*\n\s*/g, ' ').slice(0, 60));
  return `${total > last.length ? '… ' : ''}${last.join(' · ')}${total > 1 ? ` ×${total.toLocaleString('en-US')}` : ''}`;
}
