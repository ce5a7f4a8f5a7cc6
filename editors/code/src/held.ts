/** Calls that wait in live programs, as a view: what failed with its variables, what waits for it, and what can be done. */
import {
  commands,
  type Disposable,
  EventEmitter,
  Position,
  Range,
  Selection,
  ThemeIcon,
  type TreeDataProvider,
  TreeItem,
  TreeItemCollapsibleState,
  type TreeView,
  Uri,
  window,
  workspace,
  WorkspaceEdit,
} from 'vscode';
import type {
  HeldCallParams,
  HeldDone,
  HeldFrame,
  HeldParams,
  HeldProgram,
} from '../../../src/editor/extra-messages.js';
import type { HeldAsked } from '../../../src/editor/extras.js';
import type { Server } from './server.js';

type Row =
  | { is: 'program'; program: HeldProgram }
  | { is: 'call'; program: HeldProgram; call: HeldCallParams }
  | { is: 'standing'; where: string; program: HeldProgram; frames: HeldFrame[] }
  | { is: 'frame'; frame: HeldFrame; id: string }
  | { is: 'variable'; name: string; text: string };

const MODES = [
  { mode: 'off', label: 'Let them fail' },
  { mode: 'on', label: 'Hold them' },
  { mode: 'auto', label: 'Hold them until their function changes' },
] as const;

export class Held implements TreeDataProvider<Row>, Disposable {
  private readonly changed = new EventEmitter<void>();
  readonly onDidChangeTreeData = this.changed.event;
  private programs: HeldProgram[] = [];
  private readonly view: TreeView<Row>;
  private readonly subscriptions: Disposable[];

  constructor(private readonly server: Server) {
    this.view = window.createTreeView('usherAnvil.held', { treeDataProvider: this });
    const on = (name: string, work: (call: CallRow) => Promise<unknown>): Disposable =>
      commands.registerCommand(`usherAnvil.held.${name}`, async (row?: Row) => {
        const call = row?.is === 'call' ? row : await this.pickCall();
        if (call) await work(call);
      });
    this.subscriptions = [
      this.view,
      server.onHeld((params) => this.take(params)),
      on('go', (row) => this.release(row, { do: 'again' })),
      on('give', (row) => this.give(row)),
      on('fail', (row) => this.release(row, { do: 'fail' })),
      on('drop', (row) => this.release(row, { do: 'drop' })),
      on('write', (row) => this.write(row)),
      commands.registerCommand('usherAnvil.hold', (row?: Row) => this.choose(row)),
    ];
  }

  private take({ programs }: HeldParams): void {
    this.programs = programs;
    const waiting = programs.reduce((sum, { calls, standing }) => sum + calls.length + standing.length, 0);
    this.view.badge = waiting > 0 ? { value: waiting, tooltip: `${waiting} waiting` } : undefined;
    void commands.executeCommand('setContext', 'usherAnvil.programs', programs.length > 0);
    this.changed.fire();
  }

  getChildren(row?: Row): Row[] {
    if (!row) return this.programs.map((program): Row => ({ is: 'program', program }));
    switch (row.is) {
      case 'program': {
        const { program } = row;
        return [
          ...program.standing.map(({ where, frames }): Row => ({ is: 'standing', where, program, frames })),
          ...program.calls.map((call): Row => ({ is: 'call', program, call })),
        ];
      }
      case 'call':
        return framesOf(row.call.frames, `${row.program.address} ${row.call.id}`);
      case 'standing':
        return framesOf(row.frames, `${row.program.address} ${row.where}`);
      case 'frame':
        return row.frame.variables.map((one): Row => ({ is: 'variable', ...one }));
      case 'variable':
        return [];
    }
  }

  getTreeItem(row: Row): TreeItem {
    switch (row.is) {
      case 'program':
        return programItem(row.program);
      case 'call':
        return callItem(row);
      case 'standing': {
        const { Expanded } = TreeItemCollapsibleState;
        const item = new TreeItem(`Stands still${row.where === '' ? '' : ` in ${row.where}`}`, Expanded);
        item.id = `${row.program.address} stands ${row.where}`;
        item.iconPath = new ThemeIcon('debug-pause');
        return item;
      }
      case 'frame':
        return frameItem(row);
      case 'variable': {
        const item = new TreeItem(row.name);
        item.description = row.text;
        return item;
      }
    }
  }

  /** A command of the palette: the one call that waits, or the one that is chosen. */
  private async pickCall(): Promise<CallRow | undefined> {
    const rows = this.programs.flatMap((program) =>
      program.calls.map((call): CallRow => ({ is: 'call', program, call })),
    );
    if (rows.length === 0) void window.showInformationMessage('No call is held.');
    if (rows.length <= 1) return rows[0];
    const picked = await window.showQuickPick(
      rows.map((row) => ({ label: row.call.error, description: waitsText(row.call), row })),
      { placeHolder: 'Which held call?' },
    );
    return picked?.row;
  }

  private async ask(asked: HeldAsked): Promise<HeldDone | undefined> {
    try {
      return await this.server.doHeld(asked);
    } catch (error) {
      void window.showWarningMessage((error as Error).message);
      return undefined;
    }
  }

  private release({ program, call }: CallRow, asked: Pick<HeldAsked, 'do' | 'text'>): Promise<HeldDone | undefined> {
    return this.ask({ program: program.address, id: call.id, ...asked });
  }

  private async give(row: CallRow): Promise<void> {
    const text = await window.showInputBox({
      title: `What ${row.call.name} gives`,
      prompt: 'An expression over the names of the function’s module',
    });
    if (text !== undefined) await this.release(row, { do: 'give', text });
  }

  /** Declares what is missing, with the cursor in its body; saving it changes the program. */
  private async write(row: CallRow): Promise<void> {
    const write = (await this.release(row, { do: 'write' }))?.write;
    if (!write) return;
    const uri = Uri.parse(write.uri);
    const document = await workspace.openTextDocument(uri);
    if (document.isDirty) {
      void window.showWarningMessage('The file has changes that the program does not have. Save it first.');
      return;
    }
    const edit = new WorkspaceEdit();
    edit.insert(uri, new Position(write.line, write.character), write.text);
    await workspace.applyEdit(edit);
    const at = new Position(write.cursor.line, write.cursor.character);
    const editor = await window.showTextDocument(document);
    editor.selection = new Selection(at, at);
    editor.revealRange(new Range(at, at));
  }

  private async choose(row?: Row): Promise<void> {
    const program = row?.is === 'program' ? row.program : await this.pickProgram();
    if (!program) return;
    const picked = await window.showQuickPick(
      MODES.map((one) => ({ ...one, ...(one.mode === program.mode ? { description: 'as it is' } : {}) })),
      { placeHolder: `Calls that fail in ${program.name}` },
    );
    if (picked) await this.ask({ program: program.address, do: picked.mode });
  }

  private async pickProgram(): Promise<HeldProgram | undefined> {
    if (this.programs.length === 0) void window.showInformationMessage('No program is live.');
    if (this.programs.length <= 1) return this.programs[0];
    const picked = await window.showQuickPick(
      this.programs.map((program) => ({ label: program.name, program })),
      { placeHolder: 'Which program?' },
    );
    return picked?.program;
  }

  dispose(): void {
    this.changed.dispose();
    for (const one of this.subscriptions) one.dispose();
  }
}

type CallRow = Extract<Row, { is: 'call' }>;

function framesOf(frames: readonly HeldFrame[], id: string): Row[] {
  return frames.map((frame, number): Row => ({ is: 'frame', frame, id: `${id} ${number}` }));
}

function waitsText({ waits, where }: HeldCallParams): string {
  return [...waits, ...(where === '' ? [] : [`in ${where}`])].join('; ');
}

function programItem({ address, name, mode }: HeldProgram): TreeItem {
  const item = new TreeItem(name, TreeItemCollapsibleState.Expanded);
  item.id = address;
  item.contextValue = 'program';
  item.iconPath = new ThemeIcon('pulse');
  item.description = {
    off: 'calls that fail fail',
    on: 'calls that fail are held',
    auto: 'calls that fail are held until their function changes',
  }[mode];
  return item;
}

function callItem({ program, call }: CallRow): TreeItem {
  const item = new TreeItem(call.error, TreeItemCollapsibleState.Expanded);
  item.id = `${program.address} ${call.id}`;
  item.contextValue = `call${call.isOver === undefined ? ' open' : ''}${call.misses === undefined ? '' : ' misses'}`;
  item.iconPath = new ThemeIcon('watch');
  item.description = waitsText(call);
  const until = call.until === undefined ? '' : `\nfails for good at ${new Date(call.until).toLocaleTimeString()}`;
  const over = call.isOver === undefined ? '' : `\n${call.isOver}`;
  const done = call.done.length === 0 ? '' : `\nmay have been done already:\n  ${call.done.join('\n  ')}`;
  item.tooltip = `${call.name}\nsince ${new Date(call.since).toLocaleTimeString()}${until}${over}${done}`;
  return item;
}

function frameItem({ frame: { name, at, variables }, id }: Extract<Row, { is: 'frame' }>): TreeItem {
  const { Collapsed, None } = TreeItemCollapsibleState;
  const item = new TreeItem(name || '(no name)', variables.length > 0 ? Collapsed : None);
  item.id = id;
  item.iconPath = new ThemeIcon('symbol-function');
  if (!at) return item;
  const uri = Uri.parse(at.uri);
  item.description = `${workspace.asRelativePath(uri)}:${at.line + 1}`;
  const selection = new Range(at.line, 0, at.line, 0);
  item.command = { command: 'vscode.open', title: 'Show Where', arguments: [uri, { selection }] };
  return item;
}
