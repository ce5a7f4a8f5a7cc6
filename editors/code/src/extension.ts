/** The extension: starts the server, and draws what the protocol has no words for. */
import { commands, type ExtensionContext, window, workspace } from 'vscode';
import { Server } from './server.js';
import { Lane } from './lane.js';
import { Beside } from './beside.js';
import { registerCommands } from './commands.js';
import { Held } from './held.js';
import { Programs } from './programs.js';
import { Selection } from './selection.js';
import { Status } from './status.js';
import { Walking } from './walking.js';

let server: Server | undefined;

/** What tests of the extension may ask. */
export interface Exported {
  ready: Promise<void>;
}

export function activate(context: ExtensionContext): Exported {
  const started = new Server(context);
  server = started;
  const lane = new Lane(started);
  const status = new Status(started);
  const beside = new Beside(started, context.extensionUri);
  context.subscriptions.push(
    started,
    lane,
    status,
    beside,
    new Programs(started),
    new Held(started),
    new Selection(started, lane),
    new Walking(started),
    window.registerWebviewViewProvider('usherAnvil.beside', beside, {
      webviewOptions: { retainContextWhenHidden: true },
    }),
    workspace.onDidChangeConfiguration((event) => {
      if (event.affectsConfiguration('usherAnvil.width')) lane.drawAll();
      if (event.affectsConfiguration('usherAnvil.node') || event.affectsConfiguration('usherAnvil.server'))
        void commands.executeCommand('usherAnvil.restart');
    }),
  );
  registerCommands(context, started, { status, beside, lane });
  return { ready: started.start() };
}

export async function deactivate(): Promise<void> {
  await server?.stop();
}
