/** Answers that are waited for, each by the number under which was asked. No library here: pages and targets use it. */

export class Replies<Answer> {
  private last = 0;
  private readonly waiting = new Map<number, (answer: Answer) => void>();

  /**
   * Asks, and waits for the answer of that number.
   *
   * @param send false when it could not be sent
   * @param unsent the answer then
   */
  ask(send: (ask: number) => unknown, unsent?: Answer): Promise<Answer> {
    const ask = ++this.last;
    return new Promise((resolve) => {
      this.waiting.set(ask, resolve);
      if (send(ask) !== false || unsent === undefined) return;
      this.waiting.delete(ask);
      resolve(unsent);
    });
  }

  /** Takes an answer; one that nobody waits for is dropped. */
  answer(ask: number, answer: Answer): void {
    const resolve = this.waiting.get(ask);
    this.waiting.delete(ask);
    resolve?.(answer);
  }

  /** Nobody answers any more: all that wait get this. */
  end(answer: Answer): void {
    const waiting = [...this.waiting.values()];
    this.waiting.clear();
    for (const resolve of waiting) resolve(answer);
  }
}
