/** Work on a running program is done one piece after the other. */
import type { EventLog } from './event-log.js';

export class Turns {
  private queue: Promise<void> = Promise.resolve();

  constructor(private readonly log: EventLog) {}

  /** Does a work once all before it are done. What it throws is said of `file`. */
  then(file: string, work: () => Promise<void>): Promise<void> {
    this.queue = this.queue.then(work).catch((error: unknown) => {
      const text = `could not be applied: ${(error as Error).message}`;
      this.log.say({ kind: 'failed', file, text, details: [] });
    });
    return this.queue;
  }
}
