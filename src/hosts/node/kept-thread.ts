/** The thread of the last run, with its packages, where nothing else has changed in it. */
import type { PadThread } from './pad-thread.js';

/** Milliseconds of loading packages from which on it stops the flow of a person who types. */
const SLOW_MS = 60;
/** Milliseconds for which a thread is kept that nobody needs. */
const KEPT_MS = 15_000;

export class KeptThread {
  /** Loading packages takes long here; undefined before it is known. */
  isWorth: boolean | undefined;
  private kept: { thread: PadThread; end: NodeJS.Timeout } | undefined;

  /** @param ms in which a thread has loaded the packages of a pad */
  measure(ms: number): void {
    this.isWorth = ms > SLOW_MS;
  }

  put(thread: PadThread): void {
    this.take()?.end();
    this.kept = { thread, end: setTimeout(() => this.take()?.end(), KEPT_MS) };
  }

  take(): PadThread | undefined {
    const { kept } = this;
    this.kept = undefined;
    clearTimeout(kept?.end);
    return kept?.thread;
  }

  drop(thread: PadThread): void {
    if (this.kept?.thread === thread) this.take();
  }
}
