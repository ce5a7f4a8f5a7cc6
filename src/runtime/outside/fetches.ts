/** Requests by `fetch`: their answers go into the journal, or come out of it. */
import type { Answer } from '../../wire/taken.js';
import type { Turns } from './turns.js';

/** Requests whose answer never ends are passed on as they are. */
const STREAMS = /event-stream|ndjson/i;

interface AnswerLike {
  url: string;
  redirected: boolean;
  status: number;
  statusText: string;
  headers: Iterable<[string, string]> & { get(name: string): string | null };
  arrayBuffer(): Promise<ArrayBuffer>;
}

/** The platform's own, before a program has changed it. */
const { Response: Made, DOMException: Failure } = globalThis as unknown as {
  Response: new (body: Uint8Array | null, options: object) => AnswerLike;
  DOMException: new (message: string, name: string) => Error;
};

const NOTHING: Answer = {
  request: 0,
  url: '',
  redirected: false,
  status: 0,
  statusText: '',
  headers: [],
  body: new Uint8Array(),
};

/** @param begins called around the platform's own call: what that starts is no turn of the program */
export function givenFetch(
  turns: Turns,
  begins: (call: () => unknown) => unknown,
): (original: (...args: never[]) => unknown) => (...args: never[]) => Promise<unknown> {
  return (original) =>
    async (...args) => {
      let passedOn: AnswerLike | undefined;
      let failed: { error: unknown } | undefined;
      const answer = await turns.request(async () => {
        try {
          const response = (await begins(() => Reflect.apply(original, globalThis, args))) as AnswerLike;
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
        : new Failure(answer.error, answer.name);
    };
}

async function answerOf(response: AnswerLike): Promise<Answer> {
  const { url, redirected, status, statusText } = response;
  const body = new Uint8Array(await response.arrayBuffer());
  return { ...NOTHING, url, redirected, status, statusText, headers: [...response.headers], body };
}

/** Statuses whose answers have no body. */
const EMPTY = new Set([101, 204, 205, 304]);

function responseOf({ url, redirected, status, statusText, headers, body }: Answer): AnswerLike {
  const made = new Made(EMPTY.has(status) ? null : body, { status, statusText, headers });
  Object.defineProperties(made, { url: { value: url }, redirected: { value: redirected }, type: { value: 'basic' } });
  return made;
}
