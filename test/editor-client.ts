/** An editor without a screen: the published client of the protocol, over the command as a process. */
import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import {
  type CodeAction,
  type CodeLens,
  createMessageConnection,
  type Diagnostic,
  type DocumentSymbol,
  type Hover,
  type InitializeResult,
  type InlayHint,
  type MessageConnection,
  type Range,
  type SemanticTokens,
  StreamMessageReader,
  StreamMessageWriter,
} from 'vscode-languageserver-protocol/node';
import { TextDocument } from 'vscode-languageserver-textdocument';
import { cliPath, eventually, folder } from './harness.js';

export interface Told {
  method: string;
  params: Record<string, unknown>;
}

export interface ClientOptions {
  /** Folders that are open. */
  roots: string[];
  initializationOptions?: object;
  env?: Record<string, string>;
  /** What a person answers when asked something, by a part of the question. */
  answers?: Record<string, string>;
  /** Of the capabilities that are told by default, these are others. */
  capabilities?: object;
}

const running = new Set<ChildProcess>();
afterAll(() => {
  for (const child of running) child.kill('SIGKILL');
});

export class EditorClient {
  readonly child: ChildProcess;
  readonly connection: MessageConnection;
  /** What the server has told by itself. */
  readonly told: Told[] = [];
  readonly diagnostics = new Map<string, Diagnostic[]>();
  readonly asked: string[] = [];
  readonly state: string;
  private readonly documents = new Map<string, TextDocument>();
  private stderr = '';

  constructor(readonly options: ClientOptions) {
    const { env = {}, roots, answers = {} } = options;
    this.state = env.XDG_STATE_HOME ?? folder();
    this.child = spawn(process.execPath, [cliPath, 'lsp', '--stdio'], {
      cwd: roots[0],
      stdio: ['pipe', 'pipe', 'pipe'],
      env: {
        ...process.env,
        NODE_OPTIONS: '',
        XDG_STATE_HOME: this.state,
        USHER_ANVIL_TARGETS: join(this.state, 'targets'),
        ...env,
      },
    });
    running.add(this.child);
    this.child.stderr!.on('data', (data) => (this.stderr += String(data)));
    this.connection = createMessageConnection(
      new StreamMessageReader(this.child.stdout!),
      new StreamMessageWriter(this.child.stdin!),
    );
    this.connection.onNotification((method: string, params: unknown) => {
      this.told.push({ method, params: params as Record<string, unknown> });
      if (method !== 'textDocument/publishDiagnostics') return;
      const { uri, diagnostics } = params as { uri: string; diagnostics: Diagnostic[] };
      this.diagnostics.set(uri, diagnostics);
    });
    this.connection.onRequest((method: string, params: unknown) => {
      if (method !== 'window/showMessageRequest') return null;
      const { message, actions } = params as { message: string; actions?: { title: string }[] };
      this.asked.push(message);
      const [, title] = Object.entries(answers).find(([part]) => message.includes(part)) ?? [];
      return actions?.find((one) => one.title === title) ?? null;
    });
    this.connection.listen();
  }

  async begin(): Promise<InitializeResult> {
    const { roots, initializationOptions, capabilities } = this.options;
    const result = await this.connection.sendRequest<InitializeResult>('initialize', {
      processId: process.pid,
      rootUri: null,
      workspaceFolders: roots.map((root) => ({ uri: uriOf(root), name: root })),
      initializationOptions,
      capabilities: {
        textDocument: {
          hover: { contentFormat: ['markdown', 'plaintext'] },
          codeAction: { resolveSupport: { properties: ['edit'] } },
        },
        workspace: {
          workspaceFolders: true,
          inlayHint: { refreshSupport: true },
          codeLens: { refreshSupport: true },
          semanticTokens: { refreshSupport: true },
        },
        window: { workDoneProgress: true },
        ...capabilities,
      },
    });
    await this.connection.sendNotification('initialized', {});
    return result;
  }

  /** Opens a file, by its path or address. @returns its address */
  open(file: string, text: string, languageId = 'typescript'): string {
    const uri = file.includes('://') || file.startsWith('untitled:') ? file : uriOf(file);
    this.documents.set(uri, TextDocument.create(uri, languageId, 1, text));
    void this.connection.sendNotification('textDocument/didOpen', {
      textDocument: { uri, languageId, version: 1, text },
    });
    return uri;
  }

  textOf(uri: string): string {
    return this.documents.get(uri)!.getText();
  }

  /** Replaces the first place where `from` stands, as one incremental edit. */
  edit(uri: string, from: string, to: string): void {
    const document = this.documents.get(uri)!;
    const at = document.getText().indexOf(from);
    if (at < 0) throw new Error(`${from} does not stand in the text`);
    const range = { start: document.positionAt(at), end: document.positionAt(at + from.length) };
    const contentChanges = [{ range, text: to }];
    const next = TextDocument.update(document, contentChanges, document.version + 1);
    this.documents.set(uri, next);
    void this.connection.sendNotification('textDocument/didChange', {
      textDocument: { uri, version: next.version },
      contentChanges,
    });
  }

  save(uri: string): void {
    void this.connection.sendNotification('textDocument/didSave', { textDocument: { uri } });
  }

  close(uri: string): void {
    this.documents.delete(uri);
    void this.connection.sendNotification('textDocument/didClose', { textDocument: { uri } });
  }

  ask<T>(method: string, params: object): Promise<T> {
    return this.connection.sendRequest<T>(method, params);
  }

  command(command: string, argument: object): Promise<unknown> {
    return this.ask('workspace/executeCommand', { command, arguments: [argument] });
  }

  hints(uri: string): Promise<InlayHint[]> {
    const range = { start: { line: 0, character: 0 }, end: { line: 100_000, character: 0 } };
    return this.ask('textDocument/inlayHint', { textDocument: { uri }, range });
  }

  /** What stands behind the line in which a text stands first; empty for nothing. */
  async behind(uri: string, text: string): Promise<string> {
    const line = this.lineOf(uri, text);
    const found = (await this.hints(uri)).find(({ position }) => position.line === line);
    return found ? (found.label as string) : '';
  }

  /** The same, of a line behind which something is to stand: on a busy machine it may come later. */
  shown(uri: string, text: string): Promise<string> {
    return eventually(async () => (await this.behind(uri, text)) || undefined);
  }

  lineOf(uri: string, text: string): number {
    const lines = this.textOf(uri).split(/\r?\n/);
    return lines.findIndex((line) => line.includes(text));
  }

  /** Where a text stands first. */
  rangeOf(uri: string, text: string): Range {
    const document = this.documents.get(uri)!;
    const at = document.getText().indexOf(text);
    return { start: document.positionAt(at), end: document.positionAt(at + text.length) };
  }

  async hover(uri: string, text: string): Promise<string> {
    const { start } = this.rangeOf(uri, text);
    const found = await this.ask<Hover | null>('textDocument/hover', { textDocument: { uri }, position: start });
    return found ? (found.contents as { value: string }).value : '';
  }

  async lenses(uri: string): Promise<{ line: number; title: string; command: string; argument: object }[]> {
    const all = await this.ask<CodeLens[]>('textDocument/codeLens', { textDocument: { uri } });
    return all.map(({ range, command }) => ({
      line: range.start.line,
      title: command!.title,
      command: command!.command,
      argument: command!.arguments![0] as object,
    }));
  }

  /** Does what a lens says; its title contains `text`. */
  async press(uri: string, text: string): Promise<unknown> {
    const found = (await this.lenses(uri)).find(({ title }) => title.includes(text));
    if (!found) throw new Error(`no lens says ${text}`);
    return this.command(found.command, found.argument);
  }

  actions(uri: string, text: string, diagnostics: Diagnostic[] = []): Promise<CodeAction[]> {
    const range = this.rangeOf(uri, text);
    return this.ask('textDocument/codeAction', { textDocument: { uri }, range, context: { diagnostics } });
  }

  symbols(uri: string): Promise<DocumentSymbol[]> {
    return this.ask('textDocument/documentSymbol', { textDocument: { uri } });
  }

  tokens(uri: string): Promise<SemanticTokens> {
    return this.ask('textDocument/semanticTokens/full', { textDocument: { uri } });
  }

  /** Waits until the problems of a file are as they should be. */
  async problems(uri: string, fits: (list: Diagnostic[]) => boolean): Promise<Diagnostic[]> {
    await eventually(() => fits(this.diagnostics.get(uri) ?? []));
    return this.diagnostics.get(uri) ?? [];
  }

  /** Ends as the protocol says. @returns its exit code */
  async end(): Promise<number | null> {
    await this.connection.sendRequest('shutdown');
    const exited = new Promise<void>((resolve) => this.child.once('exit', () => resolve()));
    await this.connection.sendNotification('exit');
    await exited;
    running.delete(this.child);
    if (this.stderr !== '') throw new Error(`the server printed: ${this.stderr}`);
    return this.child.exitCode;
  }
}

export function uriOf(path: string): string {
  return pathToFileURL(path).href;
}

/** A client that has begun, on a folder with these files. */
export async function editorOn(
  files: Record<string, string>,
  options: Partial<ClientOptions> = {},
): Promise<{ editor: EditorClient; dir: string }> {
  const dir = folder(files);
  const editor = new EditorClient({ roots: [dir], ...options });
  await editor.begin();
  return { editor, dir };
}
