/** Requests that the program sends while a call from outside is on its way: with `node:http`, and with `fetch`. */
import { channel } from 'node:diagnostics_channel';
import type { ClientRequest, IncomingMessage } from 'node:http';
import type { EntryTaker, ExchangeNote } from '../../../runtime/entries/engine.js';
import { answerBeside, readBeside } from '../http-messages.js';
import { GatheredBody, isTextType } from './bodies.js';

/** As the platform's own client of HTTP tells of it. */
interface FetchedRequest {
  origin?: string | URL;
  path: string;
  method: string;
}

export function sentRequests(taker: EntryTaker): () => void {
  const ends: (() => void)[] = [];
  const listen = (name: string, take: (message: never) => void): void => {
    const safely = (message: unknown): void => {
      try {
        take(message as never);
      } catch {
        // One that cannot be described is not told.
      }
    };
    channel(name).subscribe(safely);
    ends.push(() => void channel(name).unsubscribe(safely));
  };
  listen('http.client.request.start', ({ request }: { request: ClientRequest }) => {
    const host = String(request.getHeader('host') ?? request.host);
    const note = taker.exchange('request', `${request.method} ${request.protocol}//${host}${request.path}`);
    if (note) watchClient(request, note);
  });
  const open = new WeakMap<object, { note: ExchangeNote; status: number | undefined }>();
  listen('undici:request:create', ({ request }: { request: FetchedRequest }) => {
    const note = taker.exchange('request', `${request.method} ${String(request.origin ?? '')}${request.path}`);
    if (note) open.set(request, { note, status: undefined });
  });
  listen('undici:request:headers', (told: { request: object; response: { statusCode: number } }) => {
    const one = open.get(told.request);
    if (one) one.status = told.response.statusCode;
  });
  listen('undici:request:trailers', ({ request }: { request: object }) => {
    const one = open.get(request);
    one?.note.end({ failed: false, ...(one.status === undefined ? {} : { status: one.status }) });
  });
  listen('undici:request:error', ({ request, error }: { request: object; error: Error }) =>
    open.get(request)?.note.end({ failed: true, answer: error.message }),
  );
  return () => {
    for (const end of ends) end();
  };
}

function watchClient(request: ClientRequest, note: ExchangeNote): void {
  answerBeside(request, {
    answer: (message) => watchAnswer(message, note),
    failed: (error) => note.end({ failed: true, answer: (error as Error).message }),
  });
}

function watchAnswer(message: IncomingMessage, note: ExchangeNote): void {
  const body = new GatheredBody();
  readBeside(message, {
    chunk: (chunk, encoding) => body.add(chunk, encoding),
    end() {
      const type = message.headers['content-type'] ?? '';
      const told = isTextType(type) ? body.told([['content-type', type]]) : undefined;
      note.end({
        failed: false,
        ...(message.statusCode === undefined ? {} : { status: message.statusCode }),
        ...(told ? { answer: told.text, ...(told.isCut ? { isCut: true } : {}) } : {}),
      });
    },
  });
}
