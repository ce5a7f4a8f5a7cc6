/** A window of the workbench without a page: the protocol over a real socket, with the text joined to the server's. */
import { EditorState, type Transaction } from '@codemirror/state';
import WebSocket from 'ws';
import { JoinedText } from '#dist/sharing/joined-text.js';
import { textOf } from '#dist/sharing/changes.js';
import type { ToWindow } from '#dist/server/protocol.js';
import { eventually } from './harness.js';

export type Message<T extends ToWindow['type']> = Extract<ToWindow, { type: T }>;

let windows = 0;

export class Window {
  readonly messages: ToWindow[] = [];
  readonly socket: WebSocket;
  file = '';
  state = EditorState.create();
  closed = false;
  private joined: JoinedText | undefined;
  private readonly client = `window-${process.pid}-${++windows}`;

  constructor(server: { port: number; token: string }, show?: string) {
    this.socket = new WebSocket(`ws://127.0.0.1:${server.port}/window?token=${server.token}`, {
      origin: `http://127.0.0.1:${server.port}`,
    });
    this.socket.on('error', () => undefined);
    this.socket.on('close', () => (this.closed = true));
    this.socket.on('message', (data: Buffer) => this.take(JSON.parse(data.toString()) as ToWindow));
    this.socket.on('open', () =>
      this.send({ type: 'hello', format: 'usher-anvil/window@2', ...(show === undefined ? {} : { show }) }),
    );
  }

  /** Of the text here, once the server has all of it. */
  get version(): number {
    return this.joined?.version(this.state) ?? 0;
  }

  get text(): string {
    return this.state.doc.toString();
  }

  dispatch(transaction: Transaction): void {
    this.state = transaction.state;
  }

  private take(message: ToWindow): void {
    this.messages.push(message);
    if (message.type === 'text') {
      if (this.joined && message.file === this.file) this.joined.meet(this, message);
      else {
        this.file = message.file;
        this.joined = new JoinedText(message, this.client);
        this.state = EditorState.create({ doc: textOf(message.text), extensions: [this.joined.extension] });
      }
    } else if (message.type === 'accepted' && message.file === this.file) this.joined!.accepted(this, message);
    else return;
    this.flush();
  }

  private flush(): void {
    const edits = this.joined?.edits(this.state);
    if (edits) this.send({ type: 'edit', file: this.file, ...edits });
  }

  /** Types: text in place of another range, by default in place of everything. */
  type(insert: string, from = 0, to = this.state.doc.length): void {
    this.dispatch(this.state.update({ changes: { from, to, insert } }));
    this.flush();
  }

  send(message: unknown): void {
    if (this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }

  until<T extends ToWindow['type']>(
    type: T,
    accept: (message: Message<T>) => boolean = () => true,
  ): Promise<Message<T>> {
    return eventually(() =>
      this.messages.find((message): message is Message<T> => message.type === type && accept(message as Message<T>)),
    );
  }

  /** The next record of a run that has ended, with a value beside a line that satisfies. */
  shows(text: string, line = 0): Promise<Message<'record'>> {
    return this.until('record', (message) => message.ended && message.lines[line]?.items[0]?.text === text);
  }
}
