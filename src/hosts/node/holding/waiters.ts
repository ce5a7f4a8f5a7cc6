/** Clients that wait for the answer of a call which is held: requests of HTTP, as `node:http` and `node:http2` have them. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { types } from 'node:util';
import type { Waiter } from '../../../runtime/holding/engine.js';
import { keptBody, secondRequest } from './bodies.js';

/** Responses among what a call was given, and in the objects that frameworks hand on. */
export function waitersOf(args: readonly unknown[], self: unknown): Waiter[] {
  const found = new Set<ServerResponse>();
  for (const one of [...args, self]) {
    const response = responseIn(one);
    if (response) found.add(response);
  }
  return [...found].map((response) => waiterOf(response));
}

function responseIn(value: unknown): ServerResponse | undefined {
  if (isResponse(value)) return value;
  if (typeof value !== 'object' || value === null || types.isProxy(value)) return undefined;
  // A framework's own object often has the platform's under one of these names.
  for (const name of ['res', 'response', 'raw']) {
    const inner = dataProperty(value, name);
    if (isResponse(inner)) return inner;
    const deeper = typeof inner === 'object' && inner !== null ? dataProperty(inner, 'raw') : undefined;
    if (isResponse(deeper)) return deeper;
  }
  return undefined;
}

/** Getters are not run. */
function dataProperty(value: object, name: string): unknown {
  for (let at: object | null = value; at !== null; at = Object.getPrototypeOf(at) as object | null) {
    const descriptor = Object.getOwnPropertyDescriptor(at, name);
    if (descriptor) return descriptor.value;
  }
  return undefined;
}

function isResponse(value: unknown): value is ServerResponse {
  if (typeof value !== 'object' || value === null || types.isProxy(value)) return false;
  return (
    typeof dataProperty(value, 'writeHead') === 'function' &&
    typeof dataProperty(value, 'end') === 'function' &&
    typeof dataProperty(value, 'setHeader') === 'function'
  );
}

function waiterOf(response: ServerResponse): Waiter {
  const request = requestOf(response);
  const who = /Mozilla\//.test(String(request?.headers['user-agent'] ?? '')) ? 'a browser' : 'a client';
  const what = request ? `${request.method ?? 'GET'} ${request.url ?? '/'}` : 'a request';
  return {
    text: `${what}, ${who} is waiting`,
    get isOver() {
      if (response.headersSent) return 'its answer has begun to go out: it can only fail, or be dropped';
      if (request && keptBody(request)?.isLost === true)
        return 'its body was larger than what is kept of one: it can only fail, or be dropped';
      return undefined;
    },
    renewed(args) {
      if (!request) return args;
      const second = secondRequest(request);
      return second ? args.map((one) => (one === request ? second : one)) : args;
    },
    onGone(callback) {
      response.once('close', () => {
        // One that was answered is closed as well.
        if (!response.writableFinished) callback();
      });
    },
  };
}

function requestOf(response: ServerResponse): IncomingMessage | undefined {
  const request = dataProperty(response, 'req');
  return typeof request === 'object' && request !== null ? (request as IncomingMessage) : undefined;
}
