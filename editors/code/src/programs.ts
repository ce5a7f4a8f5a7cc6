/** The live programs of the person, as a list: picking one opens its first file. */
import { type Disposable, EventEmitter, type TreeDataProvider, TreeItem, ThemeIcon, Uri, window } from 'vscode';
import { basename } from 'node:path';
import type { ProgramParams } from '../../../src/editor/extra-messages.js';
import type { Server } from './server.js';

type Program = ProgramParams['programs'][number];

export class Programs implements TreeDataProvider<Program>, Disposable {
  private readonly changed = new EventEmitter<void>();
  readonly onDidChangeTreeData = this.changed.event;
  private programs: Program[] = [];
  private readonly subscriptions: Disposable[];

  constructor(server: Server) {
    this.subscriptions = [
      window.registerTreeDataProvider('usherAnvil.programs', this),
      server.onPrograms(({ programs }) => {
        this.programs = programs;
        this.changed.fire();
      }),
    ];
  }

  getChildren(): Program[] {
    return this.programs;
  }

  getTreeItem({ name, pid, entry, since, files }: Program): TreeItem {
    const item = new TreeItem(name);
    item.description = `process ${pid}, ${files.length} ${files.length === 1 ? 'file' : 'files'}`;
    item.tooltip = `${entry}\nsince ${new Date(since).toLocaleString()}`;
    item.iconPath = new ThemeIcon('pulse');
    item.command = { command: 'vscode.open', title: `Open ${basename(entry)}`, arguments: [Uri.file(entry)] };
    return item;
  }

  dispose(): void {
    this.changed.dispose();
    for (const one of this.subscriptions) one.dispose();
  }
}
