/** What holding calls needs of the engine around a target. */

/** Somebody who waits for what a held call does: a client of a server. */
export interface Waiter {
  /** `GET /tolls, a browser is waiting`. */
  text: string;
  /** Why the call cannot be made again: an answer has begun to go out. */
  readonly isOver: string | undefined;
  /** The arguments for a second call: what was read of them the first time can be read again. */
  renewed(args: unknown[]): unknown[];
  /** Calls back once, when nobody waits any more. */
  onGone(callback: () => void): void;
}

export interface HoldEngine {
  /** Holding is switched on or off. */
  switched(on: boolean): void;
  waiters(args: readonly unknown[], self: unknown): Waiter[];
  /** Calls back after so many milliseconds, and keeps the program from its end until then; the result takes it back. */
  after(ms: number, callback: () => void): () => void;
  /** An error that nobody caught. */
  uncaught(error: unknown): void;
}
