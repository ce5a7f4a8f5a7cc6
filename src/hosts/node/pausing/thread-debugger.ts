/**
 * Stops this thread through the engine's own debugger, which is opened for that moment: all frames are complete then,
 * those of plain code too, and steps are the engine's. This one drives itself, for threads that nobody can stop from
 * beside: it cannot begin calls anew.
 */
import type { EngineGoing, PauseEngine, StoppedThread } from '../../../runtime/pausing/engine.js';
import * as own from '../../../runtime/originals.js';
import type { Originals } from '../pad/originals.js';
import { ReturnNet } from './return-net.js';
import { ThreadFrames, type PausedEvent } from './thread-frames.js';

/** The name of the code that stops; no file of ours, for the debugger passes by those. */
export const STOP_NAME = 'usher-anvil:stop';

/** What it needs of its thread. */
export interface StoppingThread extends Pick<Originals, 'builtin' | 'later'> {
  /** Compiles code under a name, and runs it. */
  compile(code: string, name: string): unknown;
  /** Patterns of files that are passed by: steps never end in them. */
  passedBy: readonly string[];
  /** Waits for what the session says, and takes it; absent where nobody could be heard meanwhile. */
  wait?(): void;
}

type Stopped = (thread: StoppedThread) => EngineGoing;

export class ThreadDebugger implements PauseEngine {
  private readonly frames: ThreadFrames;
  private stopped: Stopped | undefined;
  private halt: (() => void) | undefined;
  private atErrors = false;
  private readonly net = new ReturnNet(
    (method, params, done) => {
      const given = this.frames.post(method, params);
      done(given instanceof own.ErrorCopy ? undefined : given);
    },
    (scriptId) => this.frames.isPassedBy(scriptId),
  );
  private stepping = false;
  private isStanding = false;

  readonly canStand: boolean;

  constructor(private readonly thread: StoppingThread) {
    this.canStand = thread.wait !== undefined;
    this.frames = new ThreadFrames(thread.builtin, thread.passedBy, (event) => this.paused(event));
  }

  wait(): void {
    this.thread.wait?.();
  }

  attach(stopped: Stopped): void {
    this.stopped = stopped;
  }

  stopHere(): boolean {
    if (!this.frames.open()) return false;
    this.halt ??= this.thread.compile('(function () { debugger; })', STOP_NAME) as () => void;
    this.halt();
    this.closeUnused();
    return true;
  }

  stopSoon(): boolean {
    if (!this.frames.open()) return false;
    this.stepping = true;
    this.frames.post('Debugger.pause');
    return true;
  }

  stopAtErrors(on: boolean): boolean {
    this.atErrors = on;
    if (!on && !this.frames.isOpen) return true;
    if (!this.frames.open()) return false;
    this.frames.post('Debugger.setPauseOnExceptions', { state: on ? 'all' : 'none' });
    if (!on) this.closeUnused();
    return true;
  }

  private closeUnused(): void {
    if (!this.stepping && !this.atErrors && !this.isStanding) {
      this.frames.close();
      this.net.clear();
    }
  }

  private paused({ callFrames, reason, data }: PausedEvent): void {
    const { frames } = this;
    const isThrown = reason === 'exception' || reason === 'promiseRejection';
    const thrown = isThrown ? { error: data && frames.valueOf(data) } : undefined;
    this.isStanding = true;
    this.net.takeAway();
    const going = this.stopped!(frames.stopped(frames.places(callFrames), () => callFrames, thrown));
    this.isStanding = false;
    this.stepping = going.how !== 'on';
    if (going.how === 'over' || going.how === 'into') {
      const method = going.how === 'over' ? 'Debugger.stepOver' : 'Debugger.stepInto';
      this.net.layOut(callFrames, () => void frames.post(method));
    } else if (going.how === 'out') frames.post('Debugger.stepOut');
    else {
      frames.post('Debugger.resume');
      // It cannot be closed while the engine stands in it.
      this.thread.later(() => this.closeUnused());
    }
  }

  /** A frame can only be left from beside. */
  readonly canBeginAnew = false;
}
