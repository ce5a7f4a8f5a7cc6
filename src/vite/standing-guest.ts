/** A page that stands still does not hear its socket: what it is told are answers to requests in which it waits. */
import type { ToGuest } from '../wire/guests.js';

/** Milliseconds until a request in which nothing is told is answered: the page asks again. */
const PATIENCE_MS = 20_000;
/** Milliseconds until what went by the socket is given up. */
const LATE_MS = 500;

export class StandingGuest {
  private isStanding = false;
  private readonly untold: ToGuest[] = [];
  /** What it has not answered: it may be on its way by the socket. */
  private readonly asks = new Map<number, ToGuest>();
  private answer: ((messages: ToGuest[]) => void) | undefined;
  private timer: NodeJS.Timeout | undefined;
  private count = 0;
  private caughtUp: (() => void) | undefined;
  private upTo = 0;

  /** It is asked something. */
  asked(ask: number, message: ToGuest): void {
    this.asks.set(ask, message);
  }

  answered(ask: number): void {
    this.asks.delete(ask);
  }

  /** A message came by the socket. */
  received(): void {
    if (++this.count >= this.upTo) this.caughtUp?.();
  }

  /** It stands still. @returns when all is here that it had sent by the socket before */
  async begin(sent: number): Promise<void> {
    // That it went on from where it stood before may be among them.
    if (this.count < sent) await this.until(sent);
    if (this.isStanding) return;
    this.isStanding = true;
    // What is on its way by the socket would wait there.
    this.untold.push(...this.asks.values());
  }

  private until(sent: number): Promise<void> {
    this.upTo = sent;
    return new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, LATE_MS);
      this.caughtUp = () => {
        clearTimeout(timer);
        this.caughtUp = undefined;
        resolve();
      };
    });
  }

  /** It waits to be told something. */
  wait(answer: (messages: ToGuest[]) => void): void {
    this.close();
    this.answer = answer;
    if (this.untold.length > 0) this.tell();
    else this.timer = setTimeout(() => this.tell(), PATIENCE_MS).unref();
  }

  /** @returns false where it hears its socket, and the message is to go there */
  take(message: ToGuest): boolean {
    if (!this.isStanding) return false;
    this.untold.push(message);
    if (this.answer) this.tell();
    return true;
  }

  private tell(): void {
    const { answer } = this;
    this.close();
    answer?.(this.untold.splice(0));
  }

  /** A request has been closed: it may have asked again since. */
  closed(answer: (messages: ToGuest[]) => void): void {
    if (this.answer === answer) this.close();
  }

  private close(): void {
    clearTimeout(this.timer);
    this.answer = undefined;
  }

  /** It is nobody's any more: nothing is told. */
  leave(): void {
    this.untold.length = 0;
    this.tell();
  }

  /** It has gone on. @returns what it was not told */
  end(): ToGuest[] {
    this.close();
    this.isStanding = false;
    return this.untold.splice(0);
  }
}
