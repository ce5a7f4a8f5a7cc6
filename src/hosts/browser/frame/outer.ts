/** The frame around the runs of a page pad: it has the way to the server. */
import type { ToFrame } from '../../../wire/frames.js';
import { decode, encode } from '../codec.js';
import { Frames } from './frames.js';
import { type FramePort, OWN_PATHS, PORT } from './port.js';

/** Milliseconds between two tries to reach the server. */
const AGAIN_MS = 500;

/** Starts the outer frame. */
export function startOuter(): void {
  new Outer();
}

class Outer {
  private socket: WebSocket | undefined;
  private address = '';
  private readonly frames: Frames;

  constructor() {
    this.frames = new Frames({
      room: document.body,
      make: () => {
        const element = document.createElement('iframe');
        element.src = `${this.address}?usher-anvil=run`;
        return element;
      },
      sharesThread: true,
      send: (message) => this.send(message),
      find: (specifier, from) => find(specifier, from),
    });
    (window as unknown as Record<symbol, FramePort>)[PORT] = this.frames.port;
    this.connect();
  }

  private connect(): void {
    const socket = new WebSocket(`ws://${location.host}${OWN_PATHS}channel`);
    this.socket = socket;
    socket.onopen = () => this.send({ type: 'hello' });
    socket.onmessage = ({ data }) => this.receive(decode(data as string) as ToFrame);
    socket.onclose = () => setTimeout(() => this.connect(), AGAIN_MS);
  }

  private send(message: object): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(encode(message));
  }

  private receive(message: ToFrame): void {
    if (message.type === 'page') {
      this.address = message.address;
      this.frames.begin();
    } else this.frames.receive(message);
  }
}

async function find(specifier: string, from: string): Promise<string> {
  const asked = new URLSearchParams({ specifier, from });
  const answer = (await (await fetch(`${OWN_PATHS}package?${asked.toString()}`)).json()) as {
    address?: string;
    why?: string;
  };
  if (answer.address === undefined) throw new Error(answer.why ?? `${specifier} cannot be loaded`);
  return answer.address;
}
