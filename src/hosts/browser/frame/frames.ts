/**
 * The frames in which a page pad runs: one for each run. A fresh one is kept ready, and a run is shown in place of the
 * one before as soon as it has something to show.
 */
import type { ToFrame } from '../../../wire/frames.js';
import type { FramePort, RunMessage } from './port.js';

interface Inner {
  element: HTMLIFrameElement;
  handle: ((message: ToFrame) => void) | undefined;
  run: RunMessage | undefined;
  /** The document that has said it is there. */
  document: Document | null | undefined;
  /** How often it has loaded, where its document is nobody's. */
  loads: number;
}

/** The answer of a frame that it is alive. */
export function pong(): object {
  const { memory } = performance as { memory?: { usedJSHeapSize: number } };
  return { type: 'pong', ...(memory ? { megabytes: memory.usedJSHeapSize / 1024 / 1024 } : {}) };
}

/** Frames that are made anew before that is given up. */
const MOST_REMADE = 5;
/** Milliseconds in which another run follows one that was cancelled, where one does. */
const STOP_MS = 400;

export interface FramesParts {
  /** Where they stand in the document. */
  room: HTMLElement;
  /** A frame that joins by {@link Frames.port} when it has loaded. */
  make(): HTMLIFrameElement;
  /** They have this thread, so that an answer of it is one of theirs. */
  sharesThread: boolean;
  send(message: object): void;
  find(specifier: string, from: string): Promise<string>;
}

/** The frames of one page pad. */
export class Frames {
  readonly port: FramePort;
  /** What is seen. */
  private shown: Inner | undefined;
  /** What runs, and is seen as soon as it has come so far. */
  private next: Inner | undefined;
  private spare: Inner | undefined;
  /** Frames that were made anew since one was there. */
  private remade = 0;
  private ending: ReturnType<typeof setTimeout> | undefined;

  constructor(private readonly parts: FramesParts) {
    this.port = {
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
      hasKeys: () => document.hasFocus(),
      find: (specifier, from) => parts.find(specifier, from),
    };
  }

  private send(message: object): void {
    this.parts.send(message);
  }

  /** A frame waits for the first run. */
  begin(): void {
    this.makeSpare();
  }

  receive(message: ToFrame): void {
    switch (message.type) {
      case 'page':
        break;
      case 'run':
        this.run(message);
        break;
      case 'cancel':
        // Where another run follows, what is shown stays until that is.
        clearTimeout(this.ending);
        this.ending = setTimeout(() => this.endRun(message.id), STOP_MS);
        break;
      case 'ping': {
        const asked = this.next ?? this.shown;
        // One that has not come yet is waited for as long as any.
        if (this.parts.sharesThread || !asked) this.send(pong());
        asked?.handle?.(message);
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
    const element = this.parts.make();
    element.className = 'spare';
    element.title = 'page';
    const spare: Inner = { element, handle: undefined, run: undefined, document: undefined, loads: 0 };
    element.addEventListener('load', () => this.loaded(spare));
    this.parts.room.append(element);
    this.spare = spare;
    return spare;
  }

  /** A run that was stopped leaves an empty page. */
  private endRun(id: number): void {
    for (const which of ['shown', 'next'] as const)
      if (this[which]?.run?.id === id) {
        this[which].element.remove();
        this[which] = undefined;
      }
  }

  private run(message: RunMessage): void {
    clearTimeout(this.ending);
    if (this.parts.sharesThread) this.send({ type: 'took', id: message.id });
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
    const isKnown = this.parts.sharesThread ? one.element.contentDocument === one.document : ++one.loads === 1;
    if (isKnown || ++this.remade > MOST_REMADE) return;
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

  /** All of them are taken away. */
  end(): void {
    clearTimeout(this.ending);
    for (const one of [this.shown, this.next, this.spare]) one?.element.remove();
    this.shown = this.next = this.spare = undefined;
  }

  private of(inner: object): Inner | undefined {
    return [this.shown, this.next, this.spare].find((one) => one?.element.contentWindow === inner);
  }
}
