/**
 * The requests a pad makes with `fetch` and `node:http`: noted as they begin,
 * as their head comes, as they end. What the pad gets is what it would get;
 * a copy of the body is taken up to a limit.
 */
import { channel } from 'node:diagnostics_channel';
import { syncBuiltinESMExports } from 'node:module';
import type { ClientRequest, IncomingMessage } from 'node:http';
import type { RawFrame, RawRequest } from '../../wire/reports.js';
import { answerBeside, readBeside } from './http-messages.js';

/** Bytes of a body that are kept. */
const BODY = 256 * 1024;

export interface RequestLog {
  /** A new entry, with its number and moment. */
  begin(entry: Omit<RawRequest, 'id' | 'moment' | 'since' | 'frames'>, frames?: RawFrame[]): RawRequest;
  /** The entry has changed. */
  update(entry: RawRequest): void;
  /** The body, as text and parsed where it is JSON. */
  body(entry: RawRequest, value: unknown): void;
  failed(entry: RawRequest, error: unknown): void;
  now(): number;
  frames(): RawFrame[];
}

/** Watches all requests of this thread from now on; the result ends that. */
export function watchRequests(log: RequestLog, disguise: (made: object, original: object) => void): () => void {
  watchFetch(log, disguise);
  const begun = channel('http.client.request.start');
  const watch = (message: unknown): void => watchClient(log, (message as { request: ClientRequest }).request);
  begun.subscribe(watch);
  return () => void begun.unsubscribe(watch);
}

/**
 * Remembers where requests of `node:http` are written, for programs that
 * import it: the engine tells of a request when it is sent, which is later.
 */
export function placeRequests(
  log: RequestLog,
  builtin: (name: string) => unknown,
  disguise: (made: object, original: object) => void,
): void {
  for (const name of ['node:http', 'node:https']) {
    const module = builtin(name) as typeof import('node:http');
    for (const method of ['request', 'get'] as const) {
      const original = module[method];
      const made = {
        [method](this: unknown, ...args: unknown[]): ClientRequest {
          const request = Reflect.apply(original, this, args) as ClientRequest;
          if (!places.has(request)) places.set(request, log.frames());
          return request;
        },
      }[method]!;
      disguise(made, original);
      module[method] = made as typeof original;
    }
  }
  syncBuiltinESMExports();
}

const places = new WeakMap<ClientRequest, RawFrame[]>();

type Fetch = (this: unknown, ...args: unknown[]) => Promise<unknown>;

/** What gives the answers to `fetch`, which stay watched. */
const beneath: { fetch: Fetch | undefined } = { fetch: undefined };

/** Answers to `fetch` come from here on from elsewhere. @param make given what gives them now */
export function answerFetch(make: (original: Fetch) => Fetch): void {
  if (beneath.fetch) beneath.fetch = make(beneath.fetch);
}

function watchFetch(log: RequestLog, disguise: (made: object, original: object) => void): void {
  const original = globalThis.fetch;
  if (typeof original !== 'function') return;
  beneath.fetch = original as Fetch;
  const made = {
    fetch(this: unknown, input: string | URL | Request, init?: RequestInit): Promise<Response> {
      let entry: RawRequest | undefined;
      try {
        const asked = typeof input === 'object' && 'method' in input ? input : undefined;
        entry = log.begin({
          by: 'fetch',
          method: (init?.method ?? asked?.method ?? 'GET').toUpperCase(),
          url: asked?.url ?? String(input),
          state: 'open',
          sent: pairsOf(init?.headers ? new Headers(init.headers) : asked?.headers),
        });
      } catch {
        // What cannot be described is refused by fetch itself.
      }
      const answer = beneath.fetch!.call(globalThis, input, init) as Promise<Response>;
      if (!entry) return answer;
      const noted = entry;
      const start = log.now();
      return answer.then(
        (response) => {
          Object.assign(noted, {
            status: response.status,
            statusText: response.statusText,
            got: pairsOf(response.headers),
            headMs: log.now() - start,
          });
          log.update(noted);
          void copyOf(response, noted, log, start);
          return response;
        },
        (error: unknown) => {
          noted.state = 'failed';
          noted.tookMs = log.now() - start;
          log.failed(noted, error);
          throw error;
        },
      );
    },
  }.fetch;
  Object.defineProperty(made, 'length', { value: original.length });
  disguise(made, original);
  globalThis.fetch = made as typeof fetch;
}

async function copyOf(response: Response, entry: RawRequest, log: RequestLog, start: number): Promise<void> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  try {
    const reader = response.body === null ? undefined : response.clone().body?.getReader();
    for (;;) {
      const part = await reader?.read();
      if (!part || part.done) break;
      if (size < BODY) chunks.push(part.value);
      size += part.value.byteLength;
      if (size >= BODY * 4) {
        // Long enough: what the pad reads goes on without us.
        entry.bodyCut = true;
        void reader?.cancel();
        break;
      }
    }
    entry.state = 'done';
  } catch {
    // The pad, or the other side, broke it off.
    entry.state = 'failed';
    entry.error ??= 'broken off';
  }
  entry.size = size;
  entry.tookMs = log.now() - start;
  finish(entry, chunks, log);
}

function watchClient(log: RequestLog, request: ClientRequest): void {
  const start = log.now();
  const entry = log.begin(
    {
      by: 'http',
      method: request.method,
      url: `${request.protocol}//${request.getHeader('host') as string}${request.path}`,
      state: 'open',
      sent: Object.entries(request.getHeaders()).map(([name, value]) => [name, String(value)]),
    },
    places.get(request),
  );
  answerBeside(request, {
    answer: (message) => watchMessage(log, entry, message, start),
    failed(error) {
      if (entry.state !== 'open') return;
      entry.state = 'failed';
      entry.tookMs = log.now() - start;
      log.failed(entry, error);
    },
  });
}

function watchMessage(log: RequestLog, entry: RawRequest, message: IncomingMessage, start: number): void {
  const got: [string, string][] = [];
  for (let i = 0; i + 1 < message.rawHeaders.length; i += 2)
    got.push([message.rawHeaders[i]!.toLowerCase(), message.rawHeaders[i + 1]!]);
  Object.assign(entry, {
    status: message.statusCode,
    statusText: message.statusMessage,
    got,
    headMs: log.now() - start,
  });
  log.update(entry);
  const chunks: Uint8Array[] = [];
  let size = 0;
  readBeside(message, {
    chunk(chunk, encoding) {
      const bytes = typeof chunk === 'string' ? Buffer.from(chunk, encoding) : (chunk as Uint8Array);
      if (size < BODY) chunks.push(bytes);
      else entry.bodyCut = true;
      size += bytes.byteLength;
    },
    end() {
      entry.state = 'done';
      entry.size = size;
      entry.tookMs = log.now() - start;
      finish(entry, chunks, log);
    },
  });
}

function finish(entry: RawRequest, chunks: readonly Uint8Array[], log: RequestLog): void {
  const bytes = Buffer.concat(chunks).subarray(0, BODY);
  let value: unknown = bytes;
  const type = entry.got?.find(([name]) => name === 'content-type')?.[1] ?? '';
  if (/text|json|xml|javascript|urlencoded/i.test(type) || type === '') {
    value = bytes.toString('utf8');
    if (/json/i.test(type) && !entry.bodyCut) {
      try {
        value = JSON.parse(value as string);
      } catch {
        // Not what its type says: shown as text.
      }
    }
  }
  log.body(entry, value);
}

function pairsOf(headers: Headers | undefined): [string, string][] {
  return headers ? [...headers.entries()] : [];
}
