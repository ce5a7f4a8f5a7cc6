/** What benches say that a person has to see: problems, notes, and whether a file may do what it is held from. */
import type { Connection } from 'vscode-languageserver';
import type { ToWindow } from '../server/protocol.js';
import type { Desk } from './desk.js';
import type { OpenFile } from './open-files.js';

/** Milliseconds in which the same words are told once. */
const AGAIN_MS = 2_000;

export class Asking {
  /** Files about which a person is asked, or was. */
  private readonly asked = new Set<string>();
  private last = { text: '', at: 0 };

  constructor(
    private readonly connection: Connection,
    private readonly desk: Desk,
  ) {}

  told(message: ToWindow): void {
    const { window } = this.connection;
    // That a program has ended is news, and nothing that went wrong here.
    if (message.type === 'problem' && message.code === 'E_TARGET')
      this.once(message.message, (text) => window.showInformationMessage(text));
    else if (message.type === 'problem')
      this.once(`${message.message} (${message.code})`, (text) => window.showErrorMessage(text));
    else if (message.type === 'note') this.once(message.text, (text) => window.showInformationMessage(text));
    else if (message.type === 'runs' && message.held !== undefined)
      this.once(message.held, (text) => window.showWarningMessage(text));
  }

  /** Several files of one pad are told the same. */
  private once(text: string, show: (text: string) => void): void {
    const now = Date.now();
    if (this.last.text === text && now - this.last.at < AGAIN_MS) return;
    this.last = { text, at: now };
    show(text);
  }

  /** A record came: what it is held from is asked about once. */
  async record(file: OpenFile): Promise<void> {
    const seat = this.desk.seat(file.uri);
    const held = seat?.record?.gates.find((gate) => gate.held && gate.state === 'closed');
    if (!seat || !held || seat.runs?.careful !== 'asks' || this.asked.has(file.path)) return;
    this.asked.add(file.path);
    const always = { title: 'Let it, always' };
    const once = { title: 'Let it this time' };
    const never = { title: 'Hold such things' };
    const chosen = await this.connection.window.showWarningMessage(
      `${seat.bench.name} is about to do something outside of itself: ${held.name}.`,
      ...[always, once, never],
    );
    const now = this.desk.seat(file.uri);
    if (chosen?.title === always.title) now?.send({ type: 'careful', on: false });
    else if (chosen?.title === never.title) now?.send({ type: 'careful', on: true });
    else if (chosen?.title === once.title) now?.send({ type: 'act', action: { do: 'open-gate', id: held.id } });
  }
}
