/** Stops patched code that holds the thread for too long. */
import * as own from '../originals.js';

export interface WatchdogClock {
  /** Milliseconds. */
  now(): number;
  /** Calls back in a job of its own. */
  later(callback: () => void): void;
}

export class Watchdog {
  /** Counts loops of patched code; each asks {@link due} now and then. */
  readonly ticks = new Int32Array(1);
  /** Milliseconds that patched code may hold the thread before it is stopped. */
  patience = 3_000;
  private jobStart = 0;
  private jobOpen = false;
  private clock: WatchdogClock = { now: () => 0, later: () => undefined };

  /** @param onStop takes the last change back; false where there is none */
  constructor(private readonly onStop: () => boolean) {}

  setClock(clock: WatchdogClock): void {
    this.clock = clock;
  }

  get now(): number {
    return this.clock.now();
  }

  /**
   * Patched code runs.
   *
   * @throws Error `E_ENDLESS` when it has held the thread for too long
   */
  due(): void {
    const { now } = this;
    if (!this.jobOpen) {
      this.jobOpen = true;
      this.jobStart = now;
      this.clock.later(() => {
        this.jobOpen = false;
      });
      return;
    }
    if (now - this.jobStart < this.patience) return;
    this.jobOpen = false;
    const undone = this.onStop() ? '; the last change is undone' : '';
    const error = new own.ErrorCopy(
      `ran for more than ${this.patience / 1000} s without an end, and was stopped${undone}`,
    );
    (error as { code?: string }).code = 'E_ENDLESS';
    throw error;
  }
}
