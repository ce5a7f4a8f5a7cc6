/** The commands of the palette: what is about the file that is open. */
import { commands, type ExtensionContext, type QuickPickItem, type TextEditor, window, workspace } from 'vscode';
import {
  type Evaluated,
  NEW_PAD,
  type NewPad,
  type StatusParams,
  TEMPLATES,
} from '../../../src/editor/extra-messages.js';
import type { Beside } from './beside.js';
import type { Lane } from './lane.js';
import { addressOf, type Server } from './server.js';
import type { Status } from './status.js';

export function registerCommands(
  context: ExtensionContext,
  server: Server,
  { status, beside, lane }: { status: Status; beside: Beside; lane: Lane },
): void {
  /** For the file that is open, as the server knows it. */
  const onFile = (work: (uri: string, editor: TextEditor) => unknown) => (): unknown => {
    const editor = window.activeTextEditor;
    if (editor) return work(addressOf(editor.document.uri), editor);
    return window.showInformationMessage('Open a script first.');
  };
  const plain = (name: string): (() => unknown) => onFile((uri) => server.command(name, { uri }));
  const place = (
    uri: string,
    { selection: { active } }: TextEditor,
  ): { uri: string; line: number; character: number } => ({
    uri,
    line: active.line,
    character: active.character,
  });
  const table: Record<string, () => unknown> = {
    'usherAnvil.run': plain('usher-anvil.run'),
    'usherAnvil.rest': plain('usher-anvil.rest'),
    'usherAnvil.stop': plain('usher-anvil.stop'),
    'usherAnvil.drop': plain('usher-anvil.drop'),
    'usherAnvil.apply': plain('usher-anvil.apply'),
    'usherAnvil.undo': plain('usher-anvil.undo'),
    'usherAnvil.sizes': plain('usher-anvil.sizes'),
    'usherAnvil.look': onFile((uri, { selection }) =>
      server.command('usher-anvil.look', { uri, line: selection.active.line }),
    ),
    'usherAnvil.values': onFile((uri, { selection }) => beside.showLine(uri, selection.active.line)),
    'usherAnvil.evaluate': onFile((uri, editor) => evaluate(server, lane, uri, editor)),
    'usherAnvil.try': onFile((uri, editor) => openTried(server, place(uri, editor))),
    'usherAnvil.when': onFile((uri) => chooseWhen(server, uri, status.current)),
    'usherAnvil.careful': onFile((uri) => chooseCareful(server, uri)),
    'usherAnvil.newPad': () => newPad(server),
    'usherAnvil.restart': () => server.restart(),
    'usherAnvil.menu': () => menu(status.current),
  };
  for (const [name, work] of Object.entries(table)) context.subscriptions.push(commands.registerCommand(name, work));
}

/** What is selected, or the statement at the cursor, is evaluated inside the live program. */
async function evaluate(server: Server, lane: Lane, uri: string, editor: TextEditor): Promise<void> {
  const { document, selection } = editor;
  const text = selection.isEmpty ? {} : { text: document.getText(selection) };
  const line = selection.isEmpty ? selection.active.line : selection.end.line;
  const answer = (await server.command('usher-anvil.evaluate', { uri, line, ...text })) as Evaluated | undefined;
  if (answer) lane.evaluated(editor, answer);
}

async function openPad(server: Server, pad: NewPad | undefined): Promise<void> {
  if (!pad) return;
  const document = await workspace.openTextDocument({ language: pad.languageId, content: pad.text });
  await window.showTextDocument(document);
  await server.command('usher-anvil.run', { uri: addressOf(document.uri) });
}

async function openTried(server: Server, at: object): Promise<void> {
  await openPad(server, (await server.command('usher-anvil.try', at)) as NewPad | undefined);
}

/** A text without a file, from a template, which runs at once. */
async function newPad(server: Server): Promise<void> {
  const templates = await server.client?.sendRequest<{ name: string; sentence: string }[]>(TEMPLATES, {});
  const chosen = await window.showQuickPick(
    (templates ?? []).map(({ name, sentence }) => ({ label: name, detail: sentence })),
    { placeHolder: 'What does the pad begin with?' },
  );
  if (!chosen) return;
  await openPad(server, await server.client?.sendRequest<NewPad>(NEW_PAD, { name: chosen.label }));
}

async function chooseWhen(server: Server, uri: string, state: StatusParams | undefined): Promise<void> {
  const items: (QuickPickItem & { when: StatusParams['when'] })[] = [
    { label: 'At each edit', when: 'edit' },
    { label: 'When it is saved', when: 'save' },
    { label: 'When I say so', when: 'command' },
  ];
  for (const item of items) if (state?.is === 'pad' && item.when === state.when) item.description = 'as it is now';
  const chosen = await window.showQuickPick(items, { placeHolder: 'When does this file run?' });
  if (!chosen) return;
  if (state?.is !== 'pad') await server.command('usher-anvil.run', { uri });
  await server.command('usher-anvil.when', { uri, when: chosen.when });
}

async function chooseCareful(server: Server, uri: string): Promise<void> {
  const items = [
    {
      label: 'Hold it',
      detail: 'Writes, connections, requests and processes wait until they are let through.',
      on: true,
    },
    { label: 'Let it', detail: 'The file does what it does.', on: false },
  ];
  const chosen = await window.showQuickPick(items, { placeHolder: 'What changes something outside of this file:' });
  if (chosen) await server.command('usher-anvil.careful', { uri, on: chosen.on });
}

async function menu(state: StatusParams | undefined): Promise<void> {
  const items: (QuickPickItem & { command: string })[] =
    state?.is === 'live'
      ? [
          { label: 'Look inside the function at the cursor', command: 'usherAnvil.look' },
          { label: 'Evaluate what is selected, or the statement here', command: 'usherAnvil.evaluate' },
          { label: 'Apply to the live program without saving', command: 'usherAnvil.apply' },
          { label: 'Take its last change back', command: 'usherAnvil.undo' },
        ]
      : state?.is === 'pad'
        ? [
            { label: 'Run it now', command: 'usherAnvil.run' },
            { label: 'When it runs…', command: 'usherAnvil.when' },
            { label: 'Hold what changes something outside, or let it…', command: 'usherAnvil.careful' },
            { label: 'Stop the run', command: 'usherAnvil.stop' },
            { label: 'Run it no more', command: 'usherAnvil.rest' },
          ]
        : [{ label: 'Run it here, at each edit', command: 'usherAnvil.run' }];
  items.push(
    { label: 'All values of this line', command: 'usherAnvil.values' },
    { label: 'What imported packages cost', command: 'usherAnvil.sizes' },
    { label: 'New pad…', command: 'usherAnvil.newPad' },
  );
  const chosen = await window.showQuickPick(items, { placeHolder: 'Usher Anvil' });
  if (chosen) await commands.executeCommand(chosen.command);
}
