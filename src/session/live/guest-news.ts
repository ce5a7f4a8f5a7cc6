/** What a guest tells, whichever way it came. */
import type { FromGuest } from '../../wire/guests.js';
import type { LiveSession } from './session.js';

/** @param answered takes the answer to what the guest was asked under that number */
export function takeNews(
  session: LiveSession,
  id: string,
  message: FromGuest,
  answered: (ask: number, answer: unknown) => void,
): void {
  switch (message.type) {
    case 'executed':
      session.executed(id, message.file, message.version);
      if (message.waits) void session.waits(id);
      break;
    case 'batch':
      session.reportedBy(id, message.batch);
      break;
    case 'undone':
      session.stoppedIn(id);
      break;
    case 'holding':
      session.heldIn(id, message.news);
      break;
    case 'pausing':
      session.pausedIn(id, message.news);
      break;
    case 'changed':
    case 'answered':
    case 'hold-answered':
    case 'looked':
      answered(message.ask, message.answer);
      break;
  }
}
