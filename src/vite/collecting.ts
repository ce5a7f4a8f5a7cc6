/** Messages to a guest that waits: they are its answer, and are not sent. */
import type { ToGuest } from '../wire/guests.js';

export class Collecting {
  private messages: ToGuest[] | undefined;

  /** What is told meanwhile. */
  during(work: () => void): ToGuest[] {
    const told: ToGuest[] = [];
    this.messages = told;
    try {
      work();
    } finally {
      this.messages = undefined;
    }
    return told;
  }

  /** @returns false where nothing is collected, and the message is to be sent */
  take(message: ToGuest): boolean {
    this.messages?.push(message);
    return this.messages !== undefined;
  }
}
