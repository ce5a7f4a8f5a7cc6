/** The WebSocket to the server: comes back by itself, and brings the unsaved text with it. */
import type { ToServer, ToWindow } from '../server/protocol.js';

/** How a page reaches what serves it. */
export interface Link {
  /** @returns false where it could not be sent */
  send(message: ToServer): boolean;
}

/** Connects a page: what it is told goes to the first listener; see {@link Connection}. */
export type Connect = (...listeners: ConstructorParameters<typeof Connection>) => Link;

export class Connection implements Link {
  private socket: WebSocket | undefined;
  private retry = 250;

  constructor(
    private readonly onMessage: (message: ToWindow) => void,
    private readonly onState: (connected: boolean) => void,
    /** The file that is shown, to be shown again after an interruption. */
    private readonly showing: () => string,
  ) {
    this.open();
  }

  send(message: ToServer): boolean {
    if (this.socket?.readyState !== WebSocket.OPEN) return false;
    this.socket.send(JSON.stringify(message));
    return true;
  }

  private open(): void {
    const given = new URLSearchParams(location.search);
    const asked = new URLSearchParams({ token: given.get('token') ?? '' });
    // A live program in place of the folder.
    const program = given.get('program');
    if (program !== null) asked.set('program', program);
    const socket = new WebSocket(`ws://${location.host}/window?${asked.toString()}`);
    this.socket = socket;
    socket.onopen = () => {
      this.retry = 250;
      const show = this.showing();
      this.send({ type: 'hello', format: 'usher-anvil/window@2', ...(show === '' ? {} : { show }) });
      this.onState(true);
    };
    socket.onmessage = (event: MessageEvent<string>) => this.onMessage(JSON.parse(event.data) as ToWindow);
    socket.onclose = () => {
      this.onState(false);
      setTimeout(() => this.open(), this.retry);
      this.retry = Math.min(4000, this.retry * 2);
    };
  }
}
