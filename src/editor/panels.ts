/** Panels of the workbench beside the editor: each looks at one file, through a window of its own. */
import type { Connection } from 'vscode-languageserver';
import { PROTOCOL, type ToServer } from '../server/protocol.js';
import type { WorkbenchConnection } from '../server/workbench/session.js';
import type { Bench } from './bench.js';
import type { Desk } from './desk.js';
import { PANEL_TOLD } from './extra-messages.js';
import type { PanelParams } from './extras.js';

interface Panel {
  bench: Bench;
  window: WorkbenchConnection;
}

/** What a panel may say: the editor has the texts and says when they run. */
const LOOKING: ReadonlySet<ToServer['type']> = new Set<ToServer['type']>([
  ...(['show', 'cursor', 'step', 'inspect', 'look', 'hover', 'follow', 'select', 'assist', 'export'] as const),
  ...(['execute', 'stop', 'drop', 'alone', 'when', 'careful', 'turn', 'dials', 'act', 'data', 'add'] as const),
  ...(['enter', 'complete', 'shut', 'undo', 'again', 'waiting', 'reset'] as const),
]);

export class Panels {
  private readonly open = new Map<number, Panel>();

  constructor(
    private readonly connection: Connection,
    private readonly desk: Desk,
  ) {}

  say({ panel: number, uri, message }: PanelParams): void {
    if (message === null) {
      this.leave(number);
      return;
    }
    const seat = this.desk.seat(uri);
    const { bench } = seat ?? {};
    if (!seat || !bench || !LOOKING.has(message.type)) return;
    let panel = this.open.get(number);
    const isNew = panel?.bench !== bench;
    if (panel === undefined || isNew) {
      this.leave(number);
      const window = bench.connect({
        send: (told) => void this.connection.sendNotification(PANEL_TOLD, { panel: number, message: told }),
      });
      this.open.set(number, (panel = { bench, window }));
    }
    if (message.type !== 'show') panel.window.receive(message);
    else if (isNew) panel.window.receive({ type: 'hello', format: PROTOCOL, show: seat.file });
    else panel.window.receive({ type: 'show', file: seat.file, run: false });
  }

  end(): void {
    for (const number of [...this.open.keys()]) this.leave(number);
  }

  private leave(number: number): void {
    this.open.get(number)?.window.leave();
    this.open.delete(number);
  }
}
