/** Bodies of requests, kept while calls are held, so that a second call reads what the first has read. */
import { channel } from 'node:diagnostics_channel';
import { IncomingMessage } from 'node:http';
import { readBeside } from '../http-messages.js';

/** Bytes of a body that are kept. */
const MOST = 1024 * 1024;

interface Kept {
  chunks: Buffer[];
  size: number;
  /** There was more of it. */
  isLost: boolean;
  /** It has come to its end. */
  isWhole: boolean;
}

const bodies = new WeakMap<IncomingMessage, Kept>();

/** What is kept of a request's body. */
export function keptBody(request: IncomingMessage): Kept | undefined {
  return bodies.get(request);
}

const begun = channel('http.server.request.start');
const keep = (message: unknown): void => keepBody((message as { request: IncomingMessage }).request);

/** Keeps the bodies of requests that begin from now on, or no longer. */
export function keepBodies(on: boolean): void {
  if (on) begun.subscribe(keep);
  else begun.unsubscribe(keep);
}

/** Keeps the body of a request from here on. */
export function keepBody(request: IncomingMessage): void {
  if (bodies.has(request)) return;
  const kept: Kept = { chunks: [], size: 0, isLost: false, isWhole: false };
  bodies.set(request, kept);
  readBeside(request, {
    chunk(chunk) {
      const bytes = chunk as Buffer;
      if (kept.size + bytes.length > MOST) {
        kept.isLost = true;
        kept.chunks = [];
      } else if (!kept.isLost) {
        kept.chunks.push(Buffer.from(bytes));
        kept.size += bytes.length;
      }
    },
    end: () => void (kept.isWhole = true),
  });
}

/** A request like one that was read, with its body to be read anew; undefined where nothing of it has been read. */
export function secondRequest(request: IncomingMessage): IncomingMessage | undefined {
  const kept = bodies.get(request);
  if (!kept || !request.readableDidRead) return undefined;
  const second = new IncomingMessage(request.socket);
  const own = Object.getOwnPropertyDescriptors(request);
  for (const [key, descriptor] of Object.entries(own))
    if (!key.startsWith('_') && !STREAM.has(key)) Object.defineProperty(second, key, descriptor);
  for (const chunk of kept.chunks) second.push(chunk);
  const end = (): void => {
    // One that ends before it is complete takes its connection with it.
    second.complete = true;
    second.push(null);
  };
  if (kept.isWhole) end();
  else request.on('data', (chunk) => second.push(chunk)).on('end', end);
  return second;
}

/** State of the stream, which is not that of the first. */
const STREAM = new Set(['push', 'socket', 'readableEnded', 'complete', 'aborted', 'upgrade', 'on', 'once']);
