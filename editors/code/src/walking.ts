/**
 * Walking through a run, and stopping in live programs, with the editor's own keys and views: a debug type whose adapter
 * is `usher-anvil dap`.
 */
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
  /** Names of live programs. */
  private programs: string[] = [];

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
        resolveDebugConfiguration: (_folder, given) =>
          given.request === 'attach' ? this.attached(given) : completed(given),
      }),
      server.onPrograms(({ programs }) => (this.programs = programs.map(({ name }) => name))),
      commands.registerCommand('usherAnvil.debug', () =>
        debug.startDebugging(undefined, { type: TYPE, request: 'attach', name: '' }),
      ),
      commands.registerCommand('usherAnvil.walk', (asked?: Asked) => walk(asked)),
      languages.registerInlineValuesProvider(
        [...['javascript', 'javascriptreact', 'typescript', 'typescriptreact'].map((language) => ({ language }))],
        {
          provideInlineValues: (_document, _seen, { frameId }) => variablesBeside(frameId),
        },
      ),
    ];
  }

  /** The adapter takes the name of a program; a configuration has one of its own. */
  private async attached(given: DebugConfiguration): Promise<DebugConfiguration | undefined> {
    const program = typeof given.program === 'string' ? given.program : await this.pickProgram();
    return program === undefined ? undefined : { ...given, type: TYPE, request: 'attach', name: program };
  }

  private async pickProgram(): Promise<string | undefined> {
    const { programs } = this;
    if (programs.length === 0) void window.showInformationMessage('No program is live. usher-anvil live starts one.');
    return programs.length > 1 ? window.showQuickPick(programs, { placeHolder: 'Which program?' }) : programs[0];
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
  // What stands still tells no lines on which its variables were set.
  if (session?.type !== TYPE || session.configuration.request === 'attach' || session.configuration.live === true)
    return [];
  const answer = (await session.customRequest('usherAnvil/beside', { frameId })) as {
    variables: { line: number; name: string; text: string }[];
  };
  return answer.variables.map(({ line, name, text }) => {
    const range = new Range(line - 1, 0, line - 1, 0);
    return new InlineValueText(range, `${name} = ${text}`);
  });
}
