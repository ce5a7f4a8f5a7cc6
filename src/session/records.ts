/** The records of a session: the newest, the last of a text that ran, and who waits for them. */
import type { PadRecord } from '../record/record.js';

export type Listener = (record: PadRecord) => void;

export class Records {
  /** The newest record, which may still grow. */
  latest: PadRecord | undefined;
  /** The record of the last run whose text could be executed. */
  good: PadRecord | undefined;
  private readonly listeners = new Set<Listener>();
  private readonly waiting = new Set<(record: PadRecord) => void>();

  /** Returns a function that ends it. */
  listen(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  tell(record: PadRecord): void {
    this.latest = record;
    if (record.outcome !== 'syntax' && record.target !== 'none') this.good = record;
    for (const listener of this.listeners) listener(record);
  }

  /** Resolves with the record at the next end of a run. */
  next(): Promise<PadRecord> {
    return new Promise((resolve) => this.waiting.add(resolve));
  }

  /** A run has come to its end. */
  finish(): void {
    if (!this.latest) return;
    for (const resolve of this.waiting) resolve(this.latest);
    this.waiting.clear();
  }
}
