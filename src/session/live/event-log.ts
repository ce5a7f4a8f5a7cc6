/** Tells what happens to a live program, one event at a time. */
import type { LiveEvent } from './events.js';

/** Milliseconds between two reports of an error that comes again and again. */
const REPEAT_MS = 1_000;

interface Repeated {
  key: string;
  event: LiveEvent;
  times: number;
  at: number;
}

export class EventLog {
  private readonly listeners = new Set<(event: LiveEvent) => void>();
  private repeated: Repeated | undefined;
  /** An edit that is being typed is answered. */
  typed = false;

  /** Returns a function that ends it. */
  listen(listener: (event: LiveEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  say(event: LiveEvent): void {
    this.sayRepeated();
    const told: LiveEvent = this.typed ? { ...event, typed: true } : event;
    for (const listener of this.listeners) listener(told);
  }

  /** Says an error. One that comes again and again is said at once, and then at most once a second, with how often. */
  sayError(event: LiveEvent): void {
    const key = `${event.file} ${event.text}`;
    const now = Date.now();
    if (this.repeated?.key !== key) {
      this.sayRepeated();
      this.say(event);
      this.repeated = { key, event, times: 0, at: now };
      return;
    }
    this.repeated.times++;
    if (now - this.repeated.at < REPEAT_MS) return;
    this.sayRepeated();
    this.repeated = { key, event, times: 0, at: now };
  }

  /** Says how often the last error came again, if it did. */
  sayRepeated(): void {
    const { repeated } = this;
    this.repeated = undefined;
    if (repeated && repeated.times > 0)
      this.say({ ...repeated.event, text: `${repeated.event.text} · ${repeated.times} times more`, details: [] });
  }
}
