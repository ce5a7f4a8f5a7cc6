/** What the relay passes on from a pad's thread to the session as it is: what is in it, the session looks at. */
import type { HoldAnswer, HoldNews } from '../../wire/holding.js';
import type { LookAnswer } from '../../wire/looking.js';
import type { FromPad, FromRelay, LiveAnswer, ToPad, ToRelay } from '../../wire/messages.js';
import type { PauseAnswer } from '../../wire/pausing.js';

/** @returns undefined for a message that the relay itself has to do with */
export function passedOn(id: number, message: FromPad): FromRelay | undefined {
  switch (message.type) {
    case 'result':
      return { type: 'result', id, result: message.result };
    case 'needs-process':
      return { type: 'needs-process', id, what: message.what };
    case 'changed':
      return { type: 'changed', id, ask: message.ask, answer: message.answer as LiveAnswer };
    case 'live':
      return { type: 'live', id, event: message.event };
    case 'looked':
      return { type: 'looked', id, ask: message.ask, answer: message.answer as LookAnswer };
    case 'answered':
      return { type: 'answered', id, ask: message.ask, answer: message.answer as PauseAnswer };
    case 'hold-answered':
      return { type: 'hold-answered', id, ask: message.ask, answer: message.answer as HoldAnswer };
    case 'holding':
      return { type: 'holding', id, news: message.news as HoldNews };
    default:
      return undefined;
  }
}

/** The same from the session to the thread. */
export function askedOf(message: ToRelay): ToPad | undefined {
  switch (message.type) {
    case 'change':
      return { type: 'change', ask: message.ask, change: message.change };
    case 'look':
      return { type: 'look', ask: message.ask, request: message.request };
    case 'pause':
      return { type: 'pause', ask: message.ask, request: message.request };
    case 'hold':
      return { type: 'hold', ask: message.ask, request: message.request };
    default:
      return undefined;
  }
}
