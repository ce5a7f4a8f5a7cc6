/** The frames of a pad that has a document: sandboxed ones of this page, each of no origin. */
import { Frames } from '../hosts/browser/frame/frames.js';
import type { FromPageFrame } from '../hosts/alone/index.js';
import { type FrameListener, type FrameWay, hear } from '../hosts/pages/frame-way.js';
import type { ToFrame } from '../wire/frames.js';
import { sandboxed } from './workers.js';

/** Milliseconds between two questions whether it answers, and without an answer after which it is ended. */
const BEAT_MS = 400;
const HANG_MS = 2_000;
/** Messages of one frame in a second beyond which it is ended. */
const MOST_SAID = 2_000;

/** What frames are made of. */
export interface FrameMaterial {
  /** Of the frame, which the policy of the page lets run. */
  script: string;
  thread: string;
  packages: string;
  /** Sandboxed frames of this page have one process: with one that does not answer all of them go, and it ends. */
  alsoLost(): void;
}

export class SandboxedFrames implements FrameWay {
  private static made = 0;
  static material: FrameMaterial;

  /** Another name stands for another frame. */
  name = nameOf(++SandboxedFrames.made);
  listener: FrameListener | undefined;
  /** Packages came along: the frame has them. */
  readonly packages = { bundle: () => Promise.resolve({ packages: {}, broken: {} }) };
  private frames: Frames | undefined;
  private runs = 0;
  private answeredAt = 0;
  private beat: ReturnType<typeof setInterval> | undefined;

  /** A page of no host has no path. */
  get address(): string {
    return '';
  }

  set address(_given: string) {
    // Nothing is loaded from there.
  }

  nextRun(): number {
    return ++this.runs;
  }

  /** They stand in an element of the page from now on. @returns takes them away */
  attach(room: HTMLElement): () => void {
    this.frames?.end();
    const frames: Frames = new Frames({
      room,
      sharesThread: false,
      make: () => this.make(frames),
      send: (message) => this.told(message),
      find: () => Promise.reject(new Error('not asked here')),
    });
    this.frames = frames;
    this.answeredAt = performance.now();
    this.beat ??= setInterval(() => this.ask(), BEAT_MS);
    frames.begin();
    this.listener?.came();
    return () => {
      frames.end();
      if (this.frames === frames) this.frames = undefined;
    };
  }

  private make(frames: Frames): HTMLIFrameElement {
    const { script, thread, packages } = SandboxedFrames.material;
    const { element, port } = sandboxed(script, { is: 'page', thread, packages });
    let [since, count] = [0, 0];
    port.onmessage = ({ data }: MessageEvent<FromPageFrame>) => {
      const inner = element.contentWindow;
      if (!inner) return;
      const now = performance.now();
      if (now - since > 1_000) [since, count] = [now, 0];
      if (++count > MOST_SAID) this.lose('crashed', 'it floods the page with messages');
      else hand(frames, inner, data, (message) => port.postMessage(message));
    };
    return element;
  }

  send(message: ToFrame): boolean {
    this.frames?.receive(message);
    return this.frames !== undefined;
  }

  private told(message: unknown): void {
    if (hear(message, this.listener)) this.answeredAt = performance.now();
  }

  private ask(): void {
    if (!this.frames) return;
    if (performance.now() - this.answeredAt > HANG_MS) this.lose('not-answering');
    else this.send({ type: 'ping' });
  }

  private lose(why: 'not-answering' | 'crashed', detail?: string): void {
    this.renew();
    SandboxedFrames.material.alsoLost();
    this.listener?.lost(why, detail);
  }

  renew(): void {
    clearInterval(this.beat);
    this.beat = undefined;
    this.name = nameOf(++SandboxedFrames.made);
    this.frames?.end();
    this.frames = undefined;
  }

  close(): void {
    this.listener = undefined;
    this.renew();
  }
}

function nameOf(count: number): string {
  return `page-${count}`;
}

/** What a frame says is looked at like what any pad says: nothing of it is believed before. */
function hand(frames: Frames, inner: object, data: FromPageFrame, say: (message: ToFrame) => void): void {
  const { port } = frames;
  switch (data.is) {
    case 'ready':
      port.ready(inner, say);
      break;
    case 'told':
      port.tell(inner, data.message as never);
      break;
    case 'came':
      port.came(inner, data.failed === true);
      break;
    case 'pointed':
      port.pointed(inner, data.pixel as never);
      break;
  }
}
