/** The panel with what was printed, the tape and opened values: the workbench's own page, which speaks over the server. */
import { randomBytes } from 'node:crypto';
import { isAbsolute, join } from 'node:path';
import {
  ColorThemeKind,
  commands,
  type Disposable,
  Position,
  Range,
  Uri,
  type Webview,
  type WebviewView,
  type WebviewViewProvider,
  window,
  workspace,
  WorkspaceEdit,
} from 'vscode';
import { NAME_OF, PANEL, type StatusParams } from '../../../src/editor/extra-messages.js';
import type { ToServer, ToWindow } from '../../../src/server/protocol.js';
import type { BesideMessage, FromBeside, Place } from '../../../src/workbench/beside-store.js';
import { addressOf, type Server } from './server.js';

/** The number of the panel among those of this window. */
const NUMBER = 0;

export class Beside implements WebviewViewProvider, Disposable {
  private view: WebviewView | undefined;
  private ready = false;
  /** The file whose bench the panel looks at. */
  private file: { uri: string; is: StatusParams['is']; of: string } | undefined;
  private readonly states = new Map<string, StatusParams>();
  private readonly subscriptions: Disposable[];
  /** Values of a line that are to be shown once the panel is there. */
  private wanted: { uri: string; line: number } | undefined;

  constructor(
    private readonly server: Server,
    private readonly extension: Uri,
  ) {
    this.subscriptions = [
      server.onPanelTold(({ message }) => this.told(message)),
      server.onStatus((given) => {
        this.states.set(given.uri, given);
        this.follow();
      }),
      window.onDidChangeActiveTextEditor(() => this.follow()),
      window.onDidChangeActiveColorTheme(() => this.tellTheme()),
      window.onDidChangeTextEditorSelection(({ textEditor, selections }) => {
        if (textEditor !== window.activeTextEditor) return;
        const { line, character } = selections[0]!.active;
        this.post({ place: { line, character } });
      }),
    ];
  }

  resolveWebviewView(view: WebviewView): void {
    this.view = view;
    this.ready = false;
    const dist = Uri.joinPath(this.extension, 'dist');
    view.webview.options = { enableScripts: true, localResourceRoots: [dist] };
    view.webview.html = pageOf(view.webview, dist);
    view.webview.onDidReceiveMessage((message: FromBeside) => this.receive(message));
    view.onDidDispose(() => {
      this.view = undefined;
      this.leave();
    });
    view.onDidChangeVisibility(() => {
      if (!view.visible) this.leave();
      this.follow();
    });
  }

  /** All values of a line, in the panel. */
  async showLine(uri: string, line: number): Promise<void> {
    this.wanted = { uri, line };
    await commands.executeCommand('usherAnvil.beside.focus');
    this.inspectWanted();
  }

  dispose(): void {
    for (const one of this.subscriptions) one.dispose();
  }

  private receive(message: FromBeside): void {
    if ('ready' in message) {
      this.ready = true;
      this.file = undefined;
      this.tellTheme();
      this.follow();
    } else if ('say' in message) this.say(message.say);
    else void this.goTo(message.goTo);
  }

  /** The panel shows the file that is open, where something runs it. */
  private follow(): void {
    if (!this.view?.visible || !this.ready) return;
    const editor = window.activeTextEditor;
    const state = editor && this.states.get(addressOf(editor.document.uri));
    if (!state) return;
    const { uri, is, of } = state;
    if (this.file?.uri === uri && this.file.is === is && this.file.of === of) return;
    this.leave();
    this.file = { uri, is, of };
    const isOff = is === 'off';
    this.post({ file: isOff ? '' : uri });
    if (isOff) return;
    this.say({ type: 'show', file: uri, run: false });
    this.inspectWanted();
  }

  private inspectWanted(): void {
    const { wanted, file } = this;
    if (!wanted || !this.ready || file?.uri !== wanted.uri || file.is === 'off') return;
    this.wanted = undefined;
    void this.server.client
      ?.sendRequest<string | null>(NAME_OF, { uri: wanted.uri })
      .then((name) => name !== null && this.post({ inspect: { file: name, line: wanted.line } }));
  }

  private say(message: ToServer | null): void {
    const uri = this.file?.uri;
    if (uri === undefined || !this.server.isRunning) return;
    void this.server.client!.sendNotification(PANEL, { panel: NUMBER, uri, message });
  }

  private leave(): void {
    if (this.file) this.say(null);
    this.file = undefined;
  }

  /** What the panel is told; what is to be done to texts and files is the editor's. */
  private told(message: ToWindow): void {
    if (message.type === 'rewrite') void this.rewrite(message.edits);
    else if (message.type === 'document') void saveDocument(message);
    else this.post({ told: message });
  }

  private async rewrite(edits: readonly { from: number; to: number; insert: string }[]): Promise<void> {
    if (!this.file) return;
    const document = await workspace.openTextDocument(Uri.parse(this.file.uri));
    // Offsets are in the text with one character for each line end.
    const lines = document.getText().split(/\r\n?|\n/);
    const positionAt = (offset: number): Position => {
      let line = 0;
      while (line < lines.length - 1 && offset > lines[line]!.length) offset -= lines[line++]!.length + 1;
      return new Position(line, offset);
    };
    const change = new WorkspaceEdit();
    for (const { from, to, insert } of edits)
      change.replace(document.uri, new Range(positionAt(from), positionAt(to)), insert);
    await workspace.applyEdit(change);
  }

  private post(message: BesideMessage): void {
    if (this.ready) void this.view?.webview.postMessage(message);
  }

  private tellTheme(): void {
    const { kind } = window.activeColorTheme;
    const isDark = kind === ColorThemeKind.Dark || kind === ColorThemeKind.HighContrast;
    this.post({ theme: isDark ? 'dark' : 'light' });
  }

  /** Names of places are relative to the folder of the project, as far as they lie in it. */
  private async goTo({ file, line, character }: Place): Promise<void> {
    const shown = this.file && Uri.parse(this.file.uri);
    const folder = shown && workspace.getWorkspaceFolder(shown)?.uri.fsPath;
    const isShown = shown !== undefined && shown.path.endsWith(`/${file}`);
    const target = isShown ? shown : Uri.file(isAbsolute(file) ? file : join(folder ?? '', file));
    const position = new Position(line, character);
    await window.showTextDocument(target, { selection: new Range(position, position) });
  }
}

async function saveDocument({ name, base64 }: Extract<ToWindow, { type: 'document' }>): Promise<void> {
  const folder = workspace.workspaceFolders?.[0]?.uri;
  const target = await window.showSaveDialog(folder ? { defaultUri: Uri.joinPath(folder, name) } : {});
  if (target) await workspace.fs.writeFile(target, Buffer.from(base64, 'base64'));
}

function pageOf(webview: Webview, dist: Uri): string {
  const nonce = randomBytes(16).toString('base64url');
  const at = (name: string): string => webview.asWebviewUri(Uri.joinPath(dist, name)).toString();
  const policy = `default-src 'none'; img-src data: blob:; font-src ${webview.cspSource}; style-src ${webview.cspSource}; script-src 'nonce-${nonce}'`;
  return `<!doctype html><html lang="en"><head><meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="${policy}">
<link rel="stylesheet" href="${at('beside.css')}"><title>Usher Anvil</title></head>
<body><div id="root"></div><script nonce="${nonce}" src="${at('beside.js')}"></script></body></html>`;
}
