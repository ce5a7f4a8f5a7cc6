/** Panels of the workbench beside the editor: each looks at one file, through a window of its own. */
import type { Connection } from 'vscode-languageserver';
import type { ToServer } from '../server/protocol.js';
import type { WorkbenchConnection } from '../server/workbench/session.js';
import type { Bench } from './bench.js';
import type { Desk } from './desk.js';
import { panelTold } from './extras.js';

interface Panel {
  bench: Bench;
  window: WorkbenchConnection;
}

/** What a panel may say: the editor has the texts and says when they run. */
const LOOKING: ReadonlySet<ToServer['type']> = new Set<ToServer['type']>([
  ...(['show', 'cursor', 'step', 'inspect', 'look', 'hover', 'follow', 'select', 'assist'] as const),
  ...(['turn', 'dials', 'act', 'execute', 'stop', 'drop', 'alone', 'data', 'enter', 'complete', 'export'] as const),
]);

export class Panels {
  private readonly open = new Map<number, Panel>();

  constructor(
    private readonly connection: Connection,
    private readonly desk: Desk,
  ) {}

  say({ panel: number, uri, message }: { panel: number; uri: string; message: ToServer | null }): void {
    if (message === null) {
      this.leave(number);
      return;
    }
    const bench = this.desk.seat(uri)?.bench;
    if (!bench || !LOOKING.has(message.type)) return;
    let panel = this.open.get(number);
    if (panel?.bench !== bench) {
      this.leave(number);
      const window = bench.connect({
        send: (told) => void this.connection.sendNotification(panelTold, { panel: number, message: told }),
      });
      this.open.set(number, (panel = { bench, window }));
    }
    panel.window.receive(message.type === 'show' ? { ...message, run: false } : message);
  }

  end(): void {
    for (const number of [...this.open.keys()]) this.leave(number);
  }

  private leave(number: number): void {
    this.open.get(number)?.window.leave();
    this.open.delete(number);
  }
}
