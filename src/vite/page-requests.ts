/** What pages ask their server while they wait: which files are looked at, and what is asked of a module that begins. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { ASKED } from '../hosts/browser/page.js';
import type { LiveSession } from '../session/live/session.js';
import type { Pages } from './pages.js';

/** Characters of a request: of a page that begins a module, and of one that stands still and shows what it holds. */
const MOST = 10_000;
const MOST_SHOWN = 50_000_000;

/** Answers the requests of {@link ASKED}, and leaves all others to the server. */
export function pageRequests(
  pages: Pages,
  session: LiveSession,
): (request: IncomingMessage, response: ServerResponse, next: () => void) => void {
  return (request, response, next) => {
    const path = request.url?.split('?')[0] ?? '';
    const answer = (value: unknown): void => {
      response.setHeader('content-type', 'application/json');
      response.setHeader('cache-control', 'no-store');
      response.end(JSON.stringify(value));
    };
    const isLooked = path.endsWith(ASKED.looked);
    const isWaiting = path.endsWith(ASKED.waits);
    if (!isLooked && !isWaiting && !path.endsWith(ASKED.begun)) {
      next();
      return;
    }
    // Pages of other sites cannot send this header without being let, and nobody lets them.
    if (request.headers[ASKED.header] === undefined || !isOwnOrigin(request)) {
      response.statusCode = 403;
      response.end();
      return;
    }
    if (isLooked) {
      answer(session.looked);
      return;
    }
    let text = '';
    request.setEncoding('utf8');
    request.on('data', (part: string) => {
      text += part;
      if (text.length > (isWaiting ? MOST_SHOWN : MOST)) request.destroy();
    });
    request.on('end', () => {
      if (!isWaiting) {
        answer(pages.begun(text));
        return;
      }
      // One that is not understood is to go on: it gets no list.
      const closed = pages.waits(text, (messages) => answer(messages ?? null));
      response.on('close', closed);
    });
  };
}

function isOwnOrigin({ headers: { origin, host } }: IncomingMessage): boolean {
  if (origin === undefined) return true;
  try {
    return new URL(origin).host === host;
  } catch {
    return false;
  }
}
