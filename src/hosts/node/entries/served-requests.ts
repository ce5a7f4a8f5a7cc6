/** Requests that servers of `node:http` and `node:https` of this process get, from their begin to the end of the answer. */
import { channel } from 'node:diagnostics_channel';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { EntryTaker, RequestEnd } from '../../../runtime/entries/engine.js';
import { keepBody, keptBody } from '../holding/bodies.js';
import { GatheredBody, MOST_BODY, pairsOf, toldBody } from './bodies.js';

const LOOPBACK = /^(?:::1|(?:::ffff:)?127\.)/;

/** Watches requests that begin from now on; the result ends it. */
export function servedRequests(taker: EntryTaker): () => void {
  const begun = channel('http.server.request.start');
  const take = (message: unknown): void => {
    const { request, response } = message as { request: IncomingMessage; response: ServerResponse };
    // The program goes on whatever becomes of this.
    try {
      watch(taker, request, response);
    } catch {
      // One that cannot be described is not told.
    }
  };
  begun.subscribe(take);
  return () => void begun.unsubscribe(take);
}

function watch(taker: EntryTaker, request: IncomingMessage, response: ServerResponse): void {
  const { socket } = request;
  const answer = new GatheredBody();
  keepBody(request);
  gather(response, answer);
  const end = taker.request({
    method: request.method ?? 'GET',
    url: request.url ?? '/',
    headers: pairsOf(request.headers),
    port: socket.localPort,
    secure: 'encrypted' in socket,
    from: LOOPBACK.test(socket.remoteAddress ?? '') ? socket.remotePort : undefined,
  });
  response.once('close', () => end(() => ended(request, response, answer)));
}

function ended(request: IncomingMessage, response: ServerResponse, answer: GatheredBody): RequestEnd {
  const headers = pairsOf(response.getHeaders());
  const kept = keptBody(request);
  const body = kept && kept.size > 0 ? Buffer.concat(kept.chunks) : undefined;
  return {
    status: response.headersSent ? response.statusCode : undefined,
    broken: !response.writableFinished,
    given: body && toldBody(body.subarray(0, MOST_BODY), kept!.size, pairsOf(request.headers)),
    answer: response.headersSent ? { headers, body: answer.told(headers) } : undefined,
  };
}

/** What is written to a response is gathered beside it. */
function gather(response: ServerResponse, body: GatheredBody): void {
  const original = { write: response.write, end: response.end };
  let inside = false;
  for (const name of ['write', 'end'] as const)
    Object.defineProperty(response, name, {
      value: function (this: ServerResponse, ...args: unknown[]): unknown {
        if (!inside) body.add(args[0], args[1]);
        const before = inside;
        // The platform may write through itself.
        inside = true;
        try {
          return Reflect.apply(original[name] as (...given: unknown[]) => unknown, this, args);
        } finally {
          inside = before;
        }
      },
      configurable: true,
      writable: true,
      enumerable: false,
    });
}
