/** A request that is made so that its answer and its values are there. */
import type { Answer } from '../../../record/entries/answers.js';
import type { EntryPoint } from '../../../record/entries/book.js';
import { hasParameters } from '../../../record/entries/shapes.js';
import type { EntryBody, HeaderPairs } from '../../../wire/entries.js';

/** What is asked, and where. */
export interface HttpQuestion {
  port: number;
  secure: boolean;
  method: string;
  /** Path with what stands behind `?`. */
  url: string;
  headers: HeaderPairs;
  body?: EntryBody;
}

/**
 * Makes a request of a server of this machine. Never throws: an answer that did not come says why.
 *
 * @param connected called with the port that it comes from, before anything is sent
 */
export type AskHttp = (question: HttpQuestion, connected: (port: number) => Promise<void>) => Promise<Answer>;

/** What only the host of a session can do. */
export interface RequestMaker {
  ask: AskHttp;
  /** Panels of the project, beside files of the program. @param folder that all its files lie in */
  panels(folder: string): readonly string[];
  /** Calls back after so many milliseconds; the result takes it back. */
  after(ms: number, callback: () => void): () => void;
}

/** What a person wants to be other than in the request before. */
export interface AskedOtherwise {
  url?: string;
  headers?: HeaderPairs;
  body?: string;
}

/** Headers that belong to one connection, or to one answer that somebody has already. */
const NOT_AGAIN =
  /^(?:host|connection|keep-alive|proxy-.*|transfer-encoding|content-length|te|trailer|upgrade|expect|if-.*|accept-encoding|range|sec-.*)$/i;

/** Asking changes nothing, as HTTP has it. */
export function isSafe(method: string | undefined): boolean {
  return method === undefined || method === 'GET' || method === 'HEAD' || method === 'OPTIONS' || method === '*';
}

/**
 * The request of an entry once more, as it came last.
 *
 * @returns why there is none, as a sentence, where there is none
 */
export function questionFor(
  { kind, method, shape, last }: EntryPoint,
  { url, headers, body }: AskedOtherwise,
  place: { port: number; secure: boolean } | undefined,
): HttpQuestion | string {
  if (kind !== 'request' || shape === undefined) return 'only requests can be made: this one comes by itself';
  if (!place) return 'no server of the program listens at a port of this machine';
  const asked = url ?? last?.url ?? shape;
  if (url === undefined && last?.url === undefined && hasParameters(shape))
    return `${shape} has parts that nobody has filled in yet: say which, as ${shape.replace(/[:{[<]\w+[}\]>]?/g, '1')}`;
  if (!asked.startsWith('/')) return `a path begins with /, and ${asked} does not`;
  const given = body === undefined ? last?.given?.body : { text: body, size: body.length };
  if (given?.isCut) return 'its body was larger than what is kept of one: give it anew';
  return {
    port: last?.port ?? place.port,
    secure: last ? last.secure === true : place.secure,
    method: method === '*' || method === undefined ? 'GET' : method,
    url: asked,
    headers: headers ?? (last?.given?.headers ?? []).filter(([name]) => !NOT_AGAIN.test(name)),
    ...(given ? { body: given } : {}),
  };
}
