/** The language server: where it lies, which Node runs it, and what it says beside the open protocol. */
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { EventEmitter, type ExtensionContext, type Disposable, Uri, window, workspace } from 'vscode';
import {
  CloseAction,
  ErrorAction,
  LanguageClient,
  type LanguageClientOptions,
  type ServerOptions,
  State,
} from 'vscode-languageclient/node';
import {
  DO_HELD,
  HELD,
  type HeldDone,
  type HeldParams,
  LANE,
  LISTS_HELD,
  type LaneParams,
  PANEL_TOLD,
  type ProgramParams,
  PROGRAMS,
  STATUS,
  type StatusParams,
} from '../../../src/editor/extra-messages.js';
import type { HeldAsked } from '../../../src/editor/extras.js';
import type { ToWindow } from '../../../src/server/protocol.js';

const LANGUAGES = ['javascript', 'javascriptreact', 'typescript', 'typescriptreact', 'vue', 'svelte'];
/** The oldest Node that runs it. */
const OLDEST = [20, 19] as const;
/** Ends of the server, and in how many milliseconds, after which it is not started again by itself. */
const MOST_ENDS = 5;
const ENDS_MS = 180_000;

export class Server implements Disposable {
  client: LanguageClient | undefined;
  private readonly lanes = new EventEmitter<LaneParams>();
  private readonly states = new EventEmitter<StatusParams>();
  private readonly told = new EventEmitter<{ panel: number; message: ToWindow }>();
  private readonly lists = new EventEmitter<ProgramParams>();
  private readonly heldLists = new EventEmitter<HeldParams>();
  readonly onHeld = this.heldLists.event;
  readonly onLane = this.lanes.event;
  readonly onStatus = this.states.event;
  readonly onPanelTold = this.told.event;
  readonly onPrograms = this.lists.event;
  /** Texts without a file that run: a server that begins anew does not know of them. */
  private readonly untitled = new Set<string>();
  private ends: number[] = [];

  constructor(private readonly context: ExtensionContext) {}

  /** Resolves when it answers; says why where it cannot be started. */
  async start(): Promise<void> {
    const node = nodePath();
    const found = this.executable(node);
    if (node === undefined || !found) {
      void window.showErrorMessage(
        node === undefined
          ? `Usher Anvil needs Node ${OLDEST.join('.')} or newer, and the terminal finds none. Name one in the setting usherAnvil.node.`
          : 'The server of Usher Anvil is not where it should be. Install the package usher-anvil in the project, or the extension anew.',
      );
      return;
    }
    const { main, cwd, env } = found;
    const server: ServerOptions = () => Promise.resolve(spawn(node, [main, 'lsp', '--stdio'], { cwd, env }));
    const client = new LanguageClient('usherAnvil', 'Usher Anvil', server, this.options());
    this.client = client;
    client.onNotification(LANE, (given: LaneParams) => this.lanes.fire(given));
    client.onNotification(STATUS, (given: StatusParams) => {
      if (given.uri.startsWith('untitled:'))
        if (given.is === 'pad') this.untitled.add(given.uri);
        else if (given.is === 'off') this.untitled.delete(given.uri);
      this.states.fire(given);
    });
    client.onNotification(PANEL_TOLD, (given: { panel: number; message: ToWindow }) => this.told.fire(given));
    client.onNotification(PROGRAMS, (given: ProgramParams) => this.lists.fire(given));
    client.onNotification(HELD, (given: HeldParams) => this.heldLists.fire(given));
    let began = false;
    client.onDidChangeState(({ newState }) => {
      if (newState !== State.Running) return;
      // What ran goes on: files by what is remembered of them, texts without one by being asked for.
      if (began) for (const uri of this.untitled) void this.command('usher-anvil.run', { uri });
      began = true;
      void client.sendNotification(LISTS_HELD);
    });
    await client.start();
  }

  /** What runs commands of the package; undefined where no Node that is new enough, or no package, is found. */
  executable(node = nodePath()): { node: string; main: string; cwd: string; env: Record<string, string> } | undefined {
    const folder = this.packageFolder();
    if (node === undefined || folder === undefined) return undefined;
    return {
      node,
      main: join(folder, 'dist/bin/main.js'),
      cwd: workspace.workspaceFolders?.[0]?.uri.fsPath ?? folder,
      env: {
        ...(process.env as Record<string, string>),
        ...(node === process.execPath ? { ELECTRON_RUN_AS_NODE: '1' } : {}),
      },
    };
  }

  /** Asks the server for one of its commands; what it refuses is told. @returns undefined then */
  async command(command: string, argument: object): Promise<unknown> {
    try {
      return await this.client?.sendRequest('workspace/executeCommand', { command, arguments: [argument] });
    } catch (error) {
      void window.showWarningMessage((error as Error).message);
      return undefined;
    }
  }

  /** Does something with a held call. Rejects with the words of the server where it cannot be done. */
  async doHeld(asked: HeldAsked): Promise<HeldDone | undefined> {
    return this.client?.sendRequest(DO_HELD, asked);
  }

  get isRunning(): boolean {
    return this.client?.state === State.Running;
  }

  async restart(): Promise<void> {
    await this.stop();
    await this.start();
  }

  async stop(): Promise<void> {
    const { client } = this;
    this.client = undefined;
    if (client?.needsStop()) await client.stop();
    await client?.dispose();
  }

  dispose(): void {
    for (const one of [this.lanes, this.states, this.told, this.lists, this.heldLists]) one.dispose();
  }

  private options(): LanguageClientOptions {
    const { lenses, patch } = workspace.getConfiguration('usherAnvil');
    return {
      documentSelector: LANGUAGES.flatMap((language) => [
        { language, scheme: 'file' },
        { language, scheme: 'untitled' },
      ]),
      initializationOptions: { lane: true, walks: true, lenses: lenses as boolean, patch: patch as 'save' | 'edit' },
      synchronize: { configurationSection: 'usherAnvil' },
      errorHandler: {
        error: () => ({ action: ErrorAction.Continue }),
        closed: () => this.ended(),
      },
    };
  }

  private ended(): { action: CloseAction; message?: string } {
    const now = Date.now();
    this.ends = [...this.ends.filter((at) => now - at < ENDS_MS), now];
    if (this.ends.length < MOST_ENDS) return { action: CloseAction.Restart };
    return {
      action: CloseAction.DoNotRestart,
      message: 'The server of Usher Anvil has ended several times. The command “Start the Server Again” starts it.',
    };
  }

  /** The package that the project has installed, else the one that came along. */
  private packageFolder(): string | undefined {
    const chosen = workspace.getConfiguration('usherAnvil').get('server', '');
    const roots = (workspace.workspaceFolders ?? []).map(({ uri }) => uri.fsPath);
    const installed = roots.flatMap((root) => upward(root).map((at) => join(at, 'node_modules/usher-anvil')));
    // Where it is worked on, it is a link into the repository.
    const own = realpathSync(this.context.extensionUri.fsPath);
    const came = [join(own, 'server/node_modules/usher-anvil'), join(own, '../..')];
    return [...(chosen === '' ? [] : [chosen]), ...installed, ...came].find(
      (folder) => existsSync(join(folder, 'dist/bin/main.js')) && servesEditors(folder),
    );
  }
}

/** An older one that a project has installed may serve no editor yet. */
const servesEditors = (folder: string): boolean => existsSync(join(folder, 'dist/editor/server.js'));

function upward(folder: string): string[] {
  const parent = dirname(folder);
  return parent === folder ? [folder] : [folder, ...upward(parent)];
}

/**
 * Path of the Node that is chosen, else of that of the terminal, else of the editor's own; undefined where all are too
 * old.
 */
function nodePath(): string | undefined {
  const chosen = workspace.getConfiguration('usherAnvil').get('node', '');
  if (chosen !== '') return newNode(chosen);
  return newNode('node') ?? newNode(process.execPath);
}

function newNode(command: string): string | undefined {
  const env = { ...process.env, ELECTRON_RUN_AS_NODE: '1' };
  const ask = ['-p', 'process.version + " " + process.execPath'];
  const { stdout } = spawnSync(command, ask, { encoding: 'utf8', timeout: 5_000, env });
  const [, major, minor, path] = /^v(\d+)\.(\d+)\S* (.+)/.exec(stdout ?? '') ?? [];
  const isNew = Number(major) > OLDEST[0] || (Number(major) === OLDEST[0] && Number(minor) >= OLDEST[1]);
  return isNew ? path : undefined;
}

/** The address of a document as the server knows it. */
export const addressOf = (uri: Uri): string => uri.toString();
