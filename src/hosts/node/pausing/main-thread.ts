/** The main thread of a process, as the thread beside it stops it: see `beside.ts`. */
import type { EngineGoing, PauseEngine, StoppedThread } from '../../../runtime/pausing/engine.js';
import * as own from '../../../runtime/originals.js';
import type { Originals } from '../pad/originals.js';
import { STAND, type BesideRequest, type Stood, type StoodAnswer } from './beside.js';
import { ThreadFrames, type CallFrame } from './thread-frames.js';

/** Milliseconds in which the other thread has to answer. */
const PATIENCE_MS = 5_000;

export interface StoppedFromBeside extends Pick<Originals, 'builtin' | 'later' | 'load' | 'now'> {
  ask(request: BesideRequest): void;
  /** Patterns of files that are passed by: steps never end in them. */
  passedBy: readonly string[];
  /** Waits for what the session says, and takes it. */
  wait(): void;
}

type Stopped = (thread: StoppedThread) => EngineGoing;

export class MainThreadDebugger implements PauseEngine {
  private readonly frames: ThreadFrames;
  private callFrames: readonly CallFrame[] = [];
  private stopped: Stopped | undefined;
  /** What the thread beside this one calls, and where it puts what is thrown. */
  private readonly called = { stand: (stood: Stood): StoodAnswer => this.stand(stood), thrown: undefined as unknown };
  private isUsed = false;
  private isStanding = false;
  private errors = false;
  readonly canBeginAnew = true;
  readonly canStand = true;

  constructor(private readonly thread: StoppedFromBeside) {
    this.frames = new ThreadFrames(thread.builtin, thread.passedBy, ({ callFrames }) => (this.callFrames = callFrames));
  }

  wait(): void {
    this.thread.wait();
  }

  attach(stopped: Stopped): void {
    this.stopped = stopped;
    own.defineProperty(globalThis, Symbol.for(STAND), { value: this.called, configurable: true });
  }

  stopHere(): boolean {
    return this.ask((flag) => ({ do: 'stop', flag }));
  }

  /** The thread beside this one does it by itself: this one may be busy. */
  stopSoon(): boolean {
    return false;
  }

  stopAtErrors(on: boolean): boolean {
    if (!on && !this.isUsed) return true;
    this.errors = on;
    // The debugger listens to nobody while this thread stands in it.
    if (this.isStanding) return true;
    return this.ask((flag) => ({ do: 'errors', on, flag }));
  }

  /** The process ends. */
  end(): void {
    if (this.isUsed) this.ask((flag) => ({ do: 'close', flag }));
  }

  private ask(request: (flag: SharedArrayBuffer) => BesideRequest): boolean {
    const { thread } = this;
    const flag = new SharedArrayBuffer(4);
    const cells = new Int32Array(flag);
    this.isUsed = true;
    thread.ask(request(flag));
    const until = thread.now() + PATIENCE_MS;
    // It goes round, and does not wait: a thread that is stopped while it waits cannot wait once more in some engines.
    while (thread.load(cells, 0) === 0 && thread.now() < until);
    return thread.load(cells, 0) === 1;
  }

  private stand({ places, isThrown }: Stood): StoodAnswer {
    const { frames } = this;
    const thrown = isThrown ? { error: this.called.thrown } : undefined;
    this.called.thrown = undefined;
    const read = (): readonly CallFrame[] => {
      // What it opens tells where the thread stands at once; one that is open has been told.
      frames.open();
      return this.callFrames;
    };
    this.isStanding = true;
    const going = this.stopped!(frames.stopped(places, read, thrown));
    this.isStanding = false;
    // It cannot be closed while the engine stands in it.
    if (going.how === 'on' && frames.isOpen) this.thread.later(() => this.closeFrames());
    return { ...going, errors: this.errors };
  }

  private closeFrames(): void {
    this.callFrames = [];
    this.frames.close();
  }
}
