/** Answers that are waited for, each by the number under which was asked. No library here: pages and targets use it. */

interface Waiting {
  resolve(answer: unknown): void;
  /** The answer when nobody answers any more. */
  gone: unknown;
}

/** @typeParam Answer what all answers have in common; a question may ask for one of them */
export class Replies<Answer> {
  private last = 0;
  private readonly waiting = new Map<number, Waiting>();

  /** How many questions have no answer yet. */
  get open(): number {
    return this.waiting.size;
  }

  /** A number that no question has had. */
  number(): number {
    return ++this.last;
  }

  /**
   * Asks, and waits for the answer of that number.
   *
   * @param send gives the question its number; false when it could not be sent
   * @param gone the answer then, and when all questions end without one
   */
  ask<One extends Answer>(send: (ask: number) => unknown, gone?: One): Promise<One> {
    const ask = this.number();
    return new Promise<One>((resolve) => {
      this.waiting.set(ask, { resolve: resolve as (answer: unknown) => void, gone });
      if (send(ask) === false && gone !== undefined) this.answer(ask, gone);
    });
  }

  /** Takes an answer; one that nobody waits for is dropped. */
  answer(ask: number, answer: Answer): void {
    const waiting = this.waiting.get(ask);
    this.waiting.delete(ask);
    waiting?.resolve(answer);
  }

  /**
   * Nobody answers any more.
   *
   * @param answer for those whose question named none of its own
   */
  end(answer?: Answer): void {
    const all = [...this.waiting.values()];
    this.waiting.clear();
    for (const { resolve, gone } of all) resolve(gone ?? answer);
  }
}

/** What a side answers that may refuse. */
export type Reply = { result: unknown } | { error: string };

/**
 * What a reply gives.
 *
 * @throws whatever `refusal` makes of the other side's words
 */
export function given<T>(reply: Reply, refusal: (message: string) => Error): T {
  if ('error' in reply) throw refusal(reply.error);
  return reply.result as T;
}
