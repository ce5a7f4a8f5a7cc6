/**
 * The frame around the runs of a page pad: it has the way to the server, keeps a fresh inner frame ready, and shows a
 * run in place of the one before as soon as it has something to show.
 */
import type { ToFrame } from '../../../wire/frames.js';
import { decode, encode } from '../codec.js';
import { type FramePort, OWN_PATHS, PORT, type RunMessage } from './port.js';

interface Inner {
  element: HTMLIFrameElement;
  handle: ((message: ToFrame) => void) | undefined;
  run: RunMessage | undefined;
  /** The document that has said it is there. */
  document: Document | null | undefined;
}

/** Milliseconds between two tries to reach the server. */
const AGAIN_MS = 500;
/** Frames that are made anew before that is given up. */
const MOST_REMADE = 5;
/** Milliseconds in which another run follows one that was cancelled, where one does. */
const STOP_MS = 400;

/** Starts the outer frame. */
export function startOuter(): void {
  new Outer();
}

class Outer {
  private socket: WebSocket | undefined;
  private address = '';
  /** What is seen. */
  private shown: Inner | undefined;
  /** What runs, and is seen as soon as it has come so far. */
  private next: Inner | undefined;
  private spare: Inner | undefined;
  /** Frames that were made anew since one was there. */
  private remade = 0;
  private ending: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    const port: FramePort = {
      ready: (inner, handle) => this.ready(inner, handle),
      tell: (inner, message) => {
        const one = this.of(inner);
        // What was shown before goes on, and is told of no more.
        if (one?.run && one.run.id === (this.next ?? this.shown)?.run?.id) this.send(message);
      },
      came: (inner, failed) => this.came(inner, failed),
      pointed: (inner, pixel) => {
        if (this.of(inner) === this.shown) this.send({ type: 'pointed', ...(pixel ? { pixel } : {}) });
      },
      find: (specifier, from) => find(specifier, from),
    };
    (window as unknown as Record<symbol, FramePort>)[PORT] = port;
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
    switch (message.type) {
      case 'page':
        this.address = message.address;
        this.makeSpare();
        break;
      case 'run':
        this.run(message);
        break;
      case 'cancel':
        // Where another run follows, what is shown stays until that is.
        clearTimeout(this.ending);
        this.ending = setTimeout(() => this.end(message.id), STOP_MS);
        break;
      case 'ping': {
        const { memory } = performance as { memory?: { usedJSHeapSize: number } };
        this.send({ type: 'pong', ...(memory ? { megabytes: memory.usedJSHeapSize / 1024 / 1024 } : {}) });
        (this.next ?? this.shown)?.handle?.(message);
        break;
      }
      case 'styles':
        for (const one of [this.shown, this.next]) one?.handle?.(message);
        break;
      default:
        for (const one of [this.shown, this.next]) if (one?.run?.id === message.id) one.handle?.(message);
    }
  }

  private makeSpare(): Inner {
    const element = document.createElement('iframe');
    element.className = 'spare';
    element.title = 'page';
    element.src = `${this.address}?usher-anvil=run`;
    const spare: Inner = { element, handle: undefined, run: undefined, document: undefined };
    element.addEventListener('load', () => this.loaded(spare));
    document.body.append(element);
    this.spare = spare;
    return spare;
  }

  /** A run that was stopped leaves an empty page. */
  private end(id: number): void {
    for (const which of ['shown', 'next'] as const)
      if (this[which]?.run?.id === id) {
        this[which].element.remove();
        this[which] = undefined;
      }
  }

  private run(message: RunMessage): void {
    clearTimeout(this.ending);
    this.send({ type: 'took', id: message.id });
    // One that has not come so far is not waited for.
    this.next?.element.remove();
    const inner = this.spare ?? this.makeSpare();
    this.spare = undefined;
    this.next = inner;
    inner.run = message;
    inner.handle?.(message);
  }

  private ready(inner: object, handle: (message: ToFrame) => void): void {
    const one = this.of(inner);
    if (!one) return;
    this.remade = 0;
    one.handle = handle;
    one.document = one.element.contentDocument;
    if (one.run) handle(one.run);
  }

  /** A page may go through the history of all frames: one that waits for its run and is another now is made anew. */
  private loaded(one: Inner): void {
    if (one.element.contentDocument === one.document || ++this.remade > MOST_REMADE) return;
    if (one === this.spare) {
      one.element.remove();
      this.makeSpare();
    } else if (one === this.next && one.run) {
      this.spare?.element.remove();
      this.makeSpare();
      this.run(one.run);
    }
  }

  /** Shows a run. One that failed before it was shown leaves what was there; where nothing was, it is shown. */
  private came(inner: object, failed: boolean): void {
    const one = this.of(inner);
    if (!one?.run || one !== this.next) return;
    const isShown = !failed || !this.shown;
    if (isShown) {
      this.shown?.element.remove();
      one.element.className = 'shown';
      this.shown = one;
      this.next = undefined;
    }
    this.send({ type: 'painted', id: one.run.id, shown: isShown });
    if (!this.spare) this.makeSpare();
  }

  private of(inner: object): Inner | undefined {
    return [this.shown, this.next, this.spare].find((one) => one?.element.contentWindow === inner);
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
