/** Questions about values that a target holds, each answered in time or not at all. */
import type { LookAnswer } from '../wire/looking.js';
import { Replies } from '../wire/replies.js';
import type { Clock } from './host.js';
import { seconds } from './stop.js';

/** Milliseconds that a question about a value may take. */
const LOOK_MS = 3_000;

export class Looks {
  private readonly replies = new Replies<LookAnswer>();

  constructor(private readonly clock: Clock) {}

  /** @param send asks the target */
  async ask(send: (ask: number) => void): Promise<LookAnswer> {
    let late: (() => void) | undefined;
    const answer = await this.replies.ask((ask) => {
      late = this.clock.after(LOOK_MS, () => {
        const why =
          `The program did not answer within ${seconds(LOOK_MS)}: it is ` +
          'busy, or a getter does not come to an end.';
        this.replies.answer(ask, { is: 'gone', why });
      });
      send(ask);
    });
    late?.();
    return answer;
  }

  answer(ask: number, answer: LookAnswer): void {
    this.replies.answer(ask, answer);
  }

  /** Nobody answers any more. */
  end(why: string): void {
    this.replies.end({ is: 'gone', why });
  }
}
