/** One line of state for the file that is open: what runs it, and what came of it. */
import { type Disposable, StatusBarAlignment, ThemeColor, window, workspace } from 'vscode';
import type { StatusParams } from '../../../src/editor/extra-messages.js';
import { addressOf, type Server } from './server.js';

export class Status implements Disposable {
  private readonly item = window.createStatusBarItem('usherAnvil.state', StatusBarAlignment.Right, 120);
  private readonly known = new Map<string, StatusParams>();
  private readonly subscriptions: Disposable[];

  constructor(server: Server) {
    this.item.name = 'Usher Anvil';
    this.item.command = 'usherAnvil.menu';
    this.subscriptions = [
      server.onStatus((given) => {
        this.known.set(given.uri, given);
        this.draw();
      }),
      window.onDidChangeActiveTextEditor(() => this.draw()),
      workspace.onDidCloseTextDocument(({ uri }) => void this.known.delete(addressOf(uri))),
    ];
  }

  /** How the file that is open stands. */
  get current(): StatusParams | undefined {
    const editor = window.activeTextEditor;
    return editor && this.known.get(addressOf(editor.document.uri));
  }

  dispose(): void {
    this.item.dispose();
    for (const one of this.subscriptions) one.dispose();
  }

  private draw(): void {
    const { current } = this;
    if (!current) {
      this.item.hide();
      return;
    }
    const { is, of, behind, running, text } = current;
    const told = [text.trouble, text.tests, text.run].filter((one) => one !== '');
    const words = {
      off: 'Anvil: not running',
      pad: `Anvil: ${behind ? 'not run since the last edit' : (told[0] ?? 'running…')}`,
      module: `Anvil: in ${of}`,
      live: `Anvil: live in ${of}`,
    };
    this.item.text = `${running ? '$(sync~spin)' : text.trouble === '' ? '$(flame)' : '$(error)'} ${words[is]}`;
    this.item.tooltip = ['Usher Anvil', ...told].join('\n');
    this.item.color = text.trouble === '' ? undefined : new ThemeColor('usherAnvil.fail');
    this.item.show();
  }
}
