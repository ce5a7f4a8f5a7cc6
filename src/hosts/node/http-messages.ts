/** Messages of `node:http`, read beside the program: it gets what it would get. */
import type { ClientRequest, IncomingMessage } from 'node:http';

/** Reads what comes of a message, whoever reads it and however: what the parser of HTTP gives goes through one method. */
export function readBeside(
  message: IncomingMessage,
  took: { chunk(chunk: unknown, encoding: BufferEncoding | undefined): void; end(): void },
): void {
  const { push } = message;
  Object.defineProperty(message, 'push', {
    value(this: IncomingMessage, chunk: unknown, encoding?: BufferEncoding): boolean {
      if (chunk === null) took.end();
      else took.chunk(chunk, encoding);
      return Reflect.apply(push, this, [chunk, encoding]) as boolean;
    },
    configurable: true,
    writable: true,
    enumerable: false,
  });
}

/** Tells the answer to a request as it begins, or why there is none. */
export function answerBeside(
  request: ClientRequest,
  told: { answer(message: IncomingMessage): void; failed(error: unknown): void },
): void {
  const { emit } = request;
  request.emit = function (this: ClientRequest, name: string | symbol, ...args: unknown[]): boolean {
    if (name === 'response') told.answer(args[0] as IncomingMessage);
    else if (name === 'error') told.failed(args[0]);
    return Reflect.apply(emit, this, [name, ...args]) as boolean;
  } as typeof emit;
}
