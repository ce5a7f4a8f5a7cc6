/** A program that reports every step makes more than is read: it waits for its reader, so that nothing piles up. */
import type { Originals } from './originals.js';

/** Reports that are on their way at most. */
const MOST = 24;
/** Milliseconds after which it goes on all the same. */
const LONGEST_MS = 2_000;

export class Pace {
  /** Counts reports that were handed on; the relay adds to it. */
  readonly taken = new Int32Array(new SharedArrayBuffer(4));
  private sent = 0;

  constructor(private readonly originals: Pick<Originals, 'wait' | 'load'>) {}

  /** Waits until one more report may go. */
  beforeSending(): void {
    const { wait, load } = this.originals;
    for (let taken = load(this.taken, 0); this.sent - taken >= MOST; taken = load(this.taken, 0))
      if (wait(this.taken, 0, taken, LONGEST_MS) === 'timed-out') break;
    this.sent++;
  }
}
