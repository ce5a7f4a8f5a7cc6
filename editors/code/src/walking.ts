/** Walking through a run with the editor's own keys and views: a debug type whose adapter is `usher-anvil dap`. */
import {
  commands,
  debug,
  DebugAdapterExecutable,
  type DebugConfiguration,
  type Disposable,
  InlineValueText,
  languages,
  Range,
  Uri,
  window,
  workspace,
} from 'vscode';
import type { Server } from './server.js';

const TYPE = 'usher-anvil';
const SCRIPT = /^(?:javascript|typescript)(?:react)?$/;
/** What a lens over a failed test gives. */
interface Asked {
  uri: string;
  path?: string[];
}

export class Walking implements Disposable {
  private readonly subscriptions: Disposable[];

  constructor(server: Server) {
    this.subscriptions = [
      debug.registerDebugAdapterDescriptorFactory(TYPE, {
        createDebugAdapterDescriptor: () => {
          const found = server.executable();
          if (found)
            return new DebugAdapterExecutable(found.node, [found.main, 'dap'], { cwd: found.cwd, env: found.env });
          throw new Error('The server of Usher Anvil is not where it should be.');
        },
      }),
      debug.registerDebugConfigurationProvider(TYPE, {
        resolveDebugConfiguration: (_folder, given) => completed(given),
      }),
      commands.registerCommand('usherAnvil.walk', (asked?: Asked) => walk(asked)),
      languages.registerInlineValuesProvider(
        [...['javascript', 'javascriptreact', 'typescript', 'typescriptreact'].map((language) => ({ language }))],
        {
          provideInlineValues: (_document, _seen, { frameId }) => variablesBeside(frameId),
        },
      ),
    ];
  }

  dispose(): void {
    for (const one of this.subscriptions) one.dispose();
  }
}

/** Fills in what a configuration leaves out: the file that is open, with its unsaved text. */
function completed(given: DebugConfiguration): DebugConfiguration | undefined {
  const document = window.activeTextEditor?.document;
  const program = typeof given.program === 'string' ? given.program : document?.uri.fsPath;
  if (program === undefined || (given.program === undefined && !SCRIPT.test(document!.languageId))) {
    void window.showInformationMessage('Open the script that is to be walked through first.');
    return undefined;
  }
  const open = workspace.textDocuments.find(({ uri }) => uri.fsPath === program);
  return {
    ...given,
    type: TYPE,
    request: 'launch',
    name: given.name || 'Walk through this file',
    program,
    ...(open?.isDirty ? { text: open.getText() } : {}),
    internalConsoleOptions: given.internalConsoleOptions ?? 'neverOpen',
  };
}

/** Begins a walk at a failure: of a test, or of the file that is open. */
async function walk(asked: Asked | undefined): Promise<void> {
  const uri = asked ? Uri.parse(asked.uri) : window.activeTextEditor?.document.uri;
  if (!uri) {
    void window.showInformationMessage('Open a script first.');
    return;
  }
  await debug.startDebugging(workspace.getWorkspaceFolder(uri), {
    type: TYPE,
    request: 'launch',
    name: asked?.path ? `Walk: ${asked.path[asked.path.length - 1]!}` : 'Walk through this file',
    program: uri.fsPath,
    ...(asked?.path ? { test: asked.path.join(' > ') } : {}),
  });
}

/** The variables of a frame, beside the lines on which they got what they hold. */
async function variablesBeside(frameId: number): Promise<InlineValueText[]> {
  const session = debug.activeDebugSession;
  if (session?.type !== TYPE) return [];
  const answer = (await session.customRequest('usherAnvil/beside', { frameId })) as {
    variables: { line: number; name: string; text: string }[];
  };
  return answer.variables.map(({ line, name, text }) => {
    const range = new Range(line - 1, 0, line - 1, 0);
    return new InlineValueText(range, `${name} = ${text}`);
  });
}
