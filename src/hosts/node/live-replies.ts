/** What a live program is asked, and what it tells, by whatever way it is reached. */
import type { LiveSink } from '../../session/live/events.js';
import type { HoldAnswer } from '../../wire/holding.js';
import type { LookAnswer } from '../../wire/looking.js';
import type { FromRelay, LiveAnswer, Resolved } from '../../wire/messages.js';
import type { PauseAnswer } from '../../wire/pausing.js';
import { Replies } from '../../wire/replies.js';
import type { RawError } from '../../wire/reports.js';

export class LiveReplies {
  readonly changes = new Replies<LiveAnswer>();
  readonly looks = new Replies<LookAnswer>();
  readonly pauses = new Replies<PauseAnswer>();
  readonly holds = new Replies<HoldAnswer>();

  /**
   * Hands on what the program tells; how it ends is for whoever knows its way.
   *
   * @param resolved says what a specifier has led to
   */
  take(message: FromRelay, sink: LiveSink, resolved: (ask: number, answer: Resolved) => void): void {
    switch (message.type) {
      case 'batch':
        sink.batch(message.batch);
        break;
      case 'resolve':
        resolved(message.ask, sink.resolve(message.specifier, message.from));
        break;
      case 'changed':
        this.changes.answer(message.ask, message.answer);
        break;
      case 'looked':
        this.looks.answer(message.ask, message.answer);
        break;
      case 'answered':
        this.pauses.answer(message.ask, message.answer);
        break;
      case 'hold-answered':
        this.holds.answer(message.ask, message.answer);
        break;
      case 'holding':
        sink.holding(message.news);
        break;
      case 'pausing':
        sink.pausing(message.news);
        break;
      case 'live':
        sink.news(message.event);
        break;
    }
  }

  /** Nobody answers any more. @param why as `the program has ended` */
  end(why: string): void {
    this.changes.end(endedAnswer(why));
    this.holds.end({ is: 'cannot', why });
    this.pauses.end({ is: 'cannot', why });
    this.looks.end({ is: 'gone', why: `${why[0]!.toUpperCase()}${why.slice(1)}.` });
  }
}

/** The answer to a change of what is there no longer. */
export function endedAnswer(why: string): LiveAnswer {
  const error: RawError = { kind: 'thrown', moment: 0, name: 'Error', message: why, frames: [] };
  return { failed: { step: -1, error }, objects: 0, resumed: [], pauseMs: 0 };
}
