/** What a pad takes from outside comes out of its journal, or goes into it: what Node alone has of that. */
import { syncBuiltinESMExports } from 'node:module';
import type { Journal } from '../../../runtime/outside/journal.js';
import { type Disguise, installClocks, replace } from '../../../runtime/outside/clocks.js';
import { Turns } from '../../../runtime/outside/turns.js';
import type { Target } from '../../../runtime/target.js';
import { type Answer, Taken } from '../../../wire/taken.js';
import { answerFetch } from '../requests.js';
import type { Originals } from './originals.js';

/** Requests whose answer never ends are passed on as they are. */
const STREAMS = /event-stream|ndjson/i;

/** From here on the journal of a target's steps is what its program reads. */
export function installOutside(target: Target, originals: Originals, disguise: Disguise): void {
  const { asked } = target.parts.reporter;
  const teller = asked.steps!;
  const { journal } = teller;
  const global = globalThis as unknown as Record<string, unknown>;
  installClocks(global, journal, disguise);
  installHighResolution(journal, disguise);
  installRandomBytes(journal, originals, disguise);
  const requests = { begins: false };
  const turns = new Turns(journal, {
    steps: () => teller.steps,
    isProgram: () => teller.isActive && !requests.begins,
    now: originals.now,
    later: (callback) => void originals.later(callback),
    every(ms, callback) {
      const timer = originals.timers.setInterval(callback, ms);
      timer.unref();
      return () => originals.timers.clearInterval(timer);
    },
    isOver: (handle) => (handle as { _destroyed?: boolean } | undefined)?._destroyed === true,
  });
  turns.install(global, disguise);
  const timers = originals.builtin('node:timers') as Record<string, unknown>;
  for (const name of ['setTimeout', 'setInterval', 'setImmediate', 'clearImmediate']) timers[name] = global[name];
  installFetch(turns, requests);
  syncBuiltinESMExports();
}

function installHighResolution(journal: Journal, disguise: Disguise): void {
  const { hrtime } = process;
  const read = (): number => journal.take(Taken.Clock, () => Number(hrtime.bigint()));
  replace(
    process,
    'hrtime',
    disguise,
    () =>
      ((since?: [number, number]): [number, number] => {
        const all = read();
        const [seconds, rest] = [Math.floor(all / 1e9), all % 1e9];
        if (since === undefined) return [seconds, rest];
        const ns = (seconds - since[0]) * 1e9 + rest - since[1];
        return [Math.floor(ns / 1e9), ((ns % 1e9) + 1e9) % 1e9];
      }) as never,
  );
  replace(process.hrtime, 'bigint', disguise, () => () => BigInt(read()));
}

function installRandomBytes(journal: Journal, { builtin }: Originals, disguise: Disguise): void {
  const crypto = builtin('node:crypto') as typeof import('node:crypto');
  const { randomBytes } = crypto;
  const bytes = (size: number): Uint8Array => journal.takeBytes(() => new Uint8Array(randomBytes(size)));
  replace(
    crypto,
    'randomBytes',
    disguise,
    (original) =>
      ((size: number, callback?: unknown): unknown =>
        callback === undefined
          ? Buffer.from(bytes(size))
          : Reflect.apply(original as never, crypto, [size, callback] as never)) as never,
  );
  const uuid = (): string => {
    const from = bytes(16);
    from[6] = (from[6]! & 0x0f) | 0x40;
    from[8] = (from[8]! & 0x3f) | 0x80;
    return Buffer.from(from)
      .toString('hex')
      .replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5');
  };
  const fill = (view: ArrayBufferView): ArrayBufferView => {
    new Uint8Array(view.buffer, view.byteOffset, view.byteLength).set(bytes(view.byteLength));
    return view;
  };
  for (const holder of [crypto, crypto.webcrypto, Object.getPrototypeOf(crypto.webcrypto) as object]) {
    replace(holder, 'randomUUID', disguise, () => uuid);
    replace(holder, 'getRandomValues', disguise, () => fill as never);
  }
  replace(
    crypto,
    'randomFillSync',
    disguise,
    (original) =>
      ((view: ArrayBufferView, ...rest: unknown[]): unknown =>
        rest.length === 0 ? fill(view) : Reflect.apply(original as never, crypto, [view, ...rest] as never)) as never,
  );
}

/** @param requests tells that one is begun just now */
function installFetch(turns: Turns, requests: { begins: boolean }): void {
  answerFetch((original) => async (...args) => {
    let passedOn: Response | undefined;
    let failed: { error: unknown } | undefined;
    const begin = (): Promise<unknown> => {
      requests.begins = true;
      try {
        return Reflect.apply(original, globalThis, args);
      } finally {
        requests.begins = false;
      }
    };
    const answer = await turns.request(async () => {
      try {
        const response = (await begin()) as Response;
        if (!STREAMS.test(response.headers.get('content-type') ?? '')) return await answerOf(response);
        passedOn = response;
        return { ...NOTHING, error: 'its answer is a stream, which is not given again' };
      } catch (error) {
        failed = { error };
        const { name, message } = error as Partial<Error>;
        return { ...NOTHING, error: String(message), name: String(name) };
      }
    });
    if (passedOn) return passedOn;
    if (failed) throw failed.error;
    if (answer.error === undefined) return responseOf(answer);
    throw answer.name === 'TypeError' || answer.name === undefined
      ? new TypeError(answer.error)
      : new DOMException(answer.error, answer.name);
  });
}

const NOTHING: Answer = {
  request: 0,
  url: '',
  redirected: false,
  status: 0,
  statusText: '',
  headers: [],
  body: new Uint8Array(),
};

async function answerOf(response: Response): Promise<Answer> {
  const { url, redirected, status, statusText } = response;
  const body = new Uint8Array(await response.arrayBuffer());
  return { ...NOTHING, url, redirected, status, statusText, headers: [...response.headers], body };
}

/** Statuses whose answers have no body. */
const EMPTY = new Set([101, 204, 205, 304]);

function responseOf({ url, redirected, status, statusText, headers, body }: Answer): Response {
  const made = new Response(EMPTY.has(status) ? null : (body as Uint8Array<ArrayBuffer>), {
    status,
    statusText,
    headers,
  });
  Object.defineProperties(made, { url: { value: url }, redirected: { value: redirected }, type: { value: 'basic' } });
  return made;
}
