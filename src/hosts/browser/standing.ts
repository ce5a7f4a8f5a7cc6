/**
 * A page that stands still: its script waits in requests to its server, one after the other. What it tells goes with
 * them, and what it is told are their answers.
 */
import type { FromGuest, ToGuest } from '../../wire/guests.js';
import { decode, encode } from './codec.js';

export interface StandingWays {
  /** The way of a page that runs. */
  send(message: string): void;
  /** Asks the server, and waits; undefined where that does not answer. */
  ask(data: { sent: number; messages: string[] }): string[] | undefined;
  handle(message: ToGuest): void;
}

export class StandingPage {
  private isStanding = false;
  /** Messages that went the way of a page that runs. */
  private sent = 0;
  private readonly unsent: string[] = [];
  /** What was asked again because the page stood still: it comes by the other way as well. */
  private readonly answered = new Set<number>();

  constructor(private readonly ways: StandingWays) {}

  send(message: FromGuest): void {
    if (message.type === 'pausing' && message.news.is === 'paused') this.isStanding = true;
    const text = encode(message);
    if (this.isStanding) this.unsent.push(text);
    else this.sendNow(text);
    if (message.type !== 'pausing' || message.news.is !== 'went-on') return;
    this.isStanding = false;
    for (const one of this.unsent.splice(0)) this.sendNow(one);
  }

  private sendNow(text: string): void {
    this.sent++;
    this.ways.send(text);
  }

  /** A message that came by the way of a page that runs. */
  receive(text: string): void {
    const message = decode(text) as ToGuest;
    if ('ask' in message && this.answered.delete(message.ask)) return;
    this.ways.handle(message);
  }

  /** Waits once for what the server says, and takes it. Without a server the page goes on. */
  wait(): void {
    const { ask, handle } = this.ways;
    const told = ask({ sent: this.sent, messages: this.unsent.splice(0) });
    if (!told) {
      handle({ type: 'pause', ask: 0, request: { do: 'go', going: { how: 'on' } } });
      return;
    }
    for (const text of told) {
      const message = decode(text) as ToGuest;
      if ('ask' in message) this.answered.add(message.ask);
      handle(message);
    }
  }
}
