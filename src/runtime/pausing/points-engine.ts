/**
 * Pausing where the engine's debugger cannot be had, as in a page: versions of functions ask before their statements,
 * and hand over what evaluates code there. The thread waits in the call itself.
 */
import type { Callable } from '../patches/modules.js';
import type { Stacks } from '../stacks.js';
import type { EngineGoing, PauseEngine, SteppingFunction, StoppedThread, There, Threw } from './engine.js';
import { KnownCalls } from './known-calls.js';
import { scopesAt } from './there.js';

/** What waiting needs of the host. */
export interface PointsHost {
  /** Waits for what the session says, and takes it. */
  wait(): void;
  /** Calls back in a job of its own. */
  later(callback: () => void): void;
  isOwnFile(file: string): boolean;
  /** Milliseconds. */
  now(): number;
}

/** Frames that are read. */
const FRAMES = 200;

export class PointsEngine implements PauseEngine {
  readonly canStand = true;
  readonly canBeginAnew = false;
  readonly whyNoErrors = 'a page does not stop where something is thrown: calls that fail there can be held';
  private stopped: ((thread: StoppedThread) => EngineGoing) | undefined;
  private readonly calls: KnownCalls;
  private isStanding = false;
  /** The next point stops: of any function, or of the one of that number. `soon`: whatever it is, however late. */
  private armed: 'no' | 'any' | 'soon' | number = 'no';
  /** Counts how often it was armed. */
  private times = 0;
  /** The function that asked last. */
  private last = -1;

  constructor(
    private readonly host: PointsHost,
    private readonly stacks: Stacks,
  ) {
    this.calls = new KnownCalls(stacks, host);
  }

  attach(stopped: (thread: StoppedThread) => EngineGoing): void {
    this.stopped = stopped;
  }

  stopHere(there?: There): boolean {
    this.stop(there);
    return true;
  }

  stopSoon(): boolean {
    this.times++;
    this.arm('soon');
    return true;
  }

  stopAtErrors(): boolean {
    return false;
  }

  wait(): void {
    this.host.wait();
  }

  point(of: number, evaluate: There['evaluate'], names: string, isInner: boolean): void {
    this.calls.at(of, evaluate, names, isInner);
    this.last = of;
    const { armed } = this;
    if (armed === 'no' || (typeof armed === 'number' && armed !== of)) return;
    this.stop({ evaluate, names });
  }

  known(made: Callable, fn: SteppingFunction, threw?: Threw): Callable {
    return this.calls.of(made, fn, threw);
  }

  asking(unit: number, functions: number): Uint8Array {
    return this.calls.asking(unit, functions);
  }

  forget(unit: number): void {
    this.calls.forget(unit);
  }

  private stop(there: There | undefined): void {
    if (this.isStanding || !this.stopped) return;
    const of = this.last;
    this.armed = 'no';
    this.isStanding = true;
    let going: EngineGoing;
    try {
      going = this.stopped(this.thread(there));
    } finally {
      this.isStanding = false;
    }
    if (going.how === 'on' || going.how === 'again') {
      this.calls.ask(false);
      return;
    }
    this.arm('any');
    const times = ++this.times;
    // A step that has left the stack ends nowhere; one in a function that waits ends when that goes on.
    this.host.later(() => {
      if (times !== this.times || this.armed !== 'any') return;
      this.arm(going.how !== 'out' && this.calls.isAsync(of) ? of : 'no');
    });
  }

  private arm(next: PointsEngine['armed']): void {
    this.armed = next;
    this.calls.ask(next !== 'no');
  }

  private thread(there: There | undefined): StoppedThread {
    const places = this.stacks.places(FRAMES);
    const found = (frame: number): There | undefined => (frame === 0 && there) || this.calls.standingAt(places, frame);
    return {
      places,
      scopes(frame) {
        const at = found(frame);
        return at ? scopesAt(at) : { why: PLAIN };
      },
      evaluate(frame, code) {
        const at = found(frame);
        if (!at) return { why: PLAIN };
        try {
          return { value: at.evaluate(code) };
        } catch (thrown) {
          return { thrown };
        }
      },
    };
  }
}

const PLAIN =
  'its variables cannot be reached in a page: the call runs what the page began with, or stands inside another function’s expression';
