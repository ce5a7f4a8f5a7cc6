/** A page pad's frames in browsers: who is there, which of them runs it, and what goes to and fro. */
import { randomBytes } from 'node:crypto';
import { fileURLToPath } from 'node:url';
import { buildSync } from 'esbuild';
import { decode, encode } from '../browser/codec.js';
import type { ToFrame } from '../../wire/frames.js';
import { type FrameListener, type FrameWay, hear } from './frame-way.js';
import { PagePackages } from './packages.js';

/** A window's way to its frame. */
export interface FrameSocket {
  send(text: string): void;
  close(): void;
}

/** Milliseconds between two questions whether it answers. */
const BEAT_MS = 400;
/** Milliseconds that a frame may be gone before its run counts as ended. */
const AWAY_MS = 1_500;
/** Megabytes of a page's heap above which it is ended. */
const MOST_MB = 1_200;

export const OWN_PATHS = '/@usher-anvil/';

export class PageFrame implements FrameWay {
  /** Name of its host: nobody can guess it, and with each another process of the browser begins. */
  name = hostName();
  /** Path of the page on its own host. */
  address = '/';
  readonly packages = new PagePackages(`${OWN_PATHS}packages/`);
  listener: FrameListener | undefined;
  private readonly sockets: FrameSocket[] = [];
  private runs = 0;
  private answeredAt = 0;
  private beat: NodeJS.Timeout | undefined;
  private leaving: NodeJS.Timeout | undefined;

  /** @param hangMs milliseconds without an answer after which it is ended */
  constructor(private readonly hangMs = 2_000) {}

  /** A number for a run that no other run in this frame has. */
  nextRun(): number {
    return ++this.runs;
  }

  /** A frame is there that can be told something. */
  get isThere(): boolean {
    return this.sockets.length > 0;
  }

  /** The frame that was opened last runs the page. */
  attach(socket: FrameSocket): void {
    clearTimeout(this.leaving);
    this.sockets.push(socket);
    this.answeredAt = Date.now();
    socket.send(encode({ type: 'page', address: this.address } satisfies ToFrame));
    this.beat ??= setInterval(() => this.ask(), BEAT_MS);
    this.beat.unref();
    this.listener?.came();
  }

  detach(socket: FrameSocket): void {
    const at = this.sockets.indexOf(socket);
    if (at < 0) return;
    const was = at === this.sockets.length - 1;
    this.sockets.splice(at, 1);
    if (!was) return;
    if (this.isThere) {
      this.listener?.came();
      return;
    }
    clearInterval(this.beat);
    this.beat = undefined;
    this.leaving = setTimeout(() => this.listener?.lost('crashed'), AWAY_MS);
    this.leaving.unref();
  }

  /** @returns false where nobody is there to be told */
  send(message: ToFrame): boolean {
    const socket = this.sockets.at(-1);
    socket?.send(encode(message));
    return socket !== undefined;
  }

  /** A message of a frame; what is none of ours is not believed. */
  receive(socket: FrameSocket, text: string): void {
    if (socket !== this.sockets.at(-1)) return;
    let given: unknown;
    try {
      given = decode(text);
    } catch {
      this.listener?.garbled('text that is no message');
      return;
    }
    const told = hear(given, this.listener);
    // A loop that never ends reports all the while: that is no answer.
    if (told) this.answeredAt = Date.now();
    if (told?.type === 'pong' && (told.megabytes ?? 0) > MOST_MB)
      this.lose('memory', `the page reached ${Math.round(told.megabytes!)} MB`);
  }

  private ask(): void {
    if (!this.isThere) return;
    if (Date.now() - this.answeredAt > this.hangMs) this.lose('not-answering');
    else this.send({ type: 'ping' });
  }

  /** It is given up: the next one has another name, and so another process. */
  private lose(why: 'not-answering' | 'memory', detail?: string): void {
    this.renew();
    this.listener?.lost(why, detail);
  }

  /** Whoever has the old name reaches nothing any more. */
  renew(): void {
    clearInterval(this.beat);
    this.beat = undefined;
    this.name = hostName();
    for (const socket of this.sockets.splice(0)) socket.close();
  }

  close(): void {
    this.listener = undefined;
    clearTimeout(this.leaving);
    this.renew();
  }
}

function hostName(): string {
  return `p${randomBytes(16).toString('hex')}`;
}

let script: string | undefined;

/** The page's side, as one script. */
export function frameScript(): string {
  script ??= buildSync({
    entryPoints: [fileURLToPath(new URL('../browser/frame/index.js', import.meta.url))],
    ...{ bundle: true, write: false, format: 'iife', target: 'es2022', minify: true, charset: 'utf8' },
  }).outputFiles[0]!.text;
  return script;
}
