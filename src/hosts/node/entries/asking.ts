/** Requests of our own to servers of this machine. */
import { existsSync, readdirSync } from 'node:fs';
import http from 'node:http';
import https from 'node:https';
import { connect as connectPlain, type Socket } from 'node:net';
import { dirname, join } from 'node:path';
import { connect as connectSecure } from 'node:tls';
import type { Answer } from '../../../record/entries/answers.js';
import type { AskHttp, HttpQuestion, RequestMaker } from '../../../session/live/entries/asking.js';
import { pairsOf, toldBody } from './bodies.js';

/** Milliseconds that an answer is waited for, and bytes of it that are read. */
const PATIENCE_MS = 30_000;
const MOST_ANSWER = 4 * 1024 * 1024;

export const requestMaker: RequestMaker = {
  ask,
  panels,
  after(ms, callback) {
    const timer = setTimeout(callback, ms);
    timer.unref();
    return () => clearTimeout(timer);
  },
};

/** Files in a folder `panels` of the program's folder, or of one around it up to the project's. */
function panels(folder: string): string[] {
  for (let at = folder; ; at = dirname(at)) {
    const here = join(at, 'panels');
    try {
      const names = readdirSync(here).filter((name) => /\.(?:mjs|js|cjs)$/.test(name));
      if (names.length > 0) return names.sort().map((name) => join(here, name));
    } catch {
      // There is none.
    }
    if (existsSync(join(at, 'package.json')) || dirname(at) === at) return [];
  }
}

const failed = (why: string): Answer => ({ status: undefined, headers: [], ms: 0, failed: why });

async function ask(question: HttpQuestion, connected: Parameters<AskHttp>[1]): Promise<Answer> {
  let socket: Socket;
  try {
    socket = await opened(question);
  } catch (error) {
    return failed(`nothing answers at port ${question.port}: ${(error as Error).message}`);
  }
  await connected(socket.localPort ?? 0);
  return answered(question, socket);
}

async function opened({ port, secure }: HttpQuestion): Promise<Socket> {
  let last: unknown;
  // A server may listen at one of the two alone.
  for (const host of ['127.0.0.1', '::1']) {
    try {
      return await new Promise<Socket>((resolve, reject) => {
        const socket = secure
          ? // It is this machine, and its certificate most often one of its own.
            connectSecure({ port, host, rejectUnauthorized: false, ALPNProtocols: ['http/1.1'] })
          : connectPlain({ port, host });
        socket.once(secure ? 'secureConnect' : 'connect', () => resolve(socket));
        socket.once('error', reject);
      });
    } catch (error) {
      last = error;
    }
  }
  throw last;
}

function answered({ port, secure, method, url, headers, body }: HttpQuestion, socket: Socket): Promise<Answer> {
  return new Promise((resolve) => {
    const begin = performance.now();
    const bytes = body && Buffer.from(body.text, body.base64 ? 'base64' : 'utf8');
    const end = (answer: Answer): void => {
      socket.destroy();
      resolve(answer);
    };
    const sent = {
      host: `localhost:${port}`,
      ...Object.fromEntries(headers),
      ...(bytes ? { 'content-length': String(bytes.length) } : {}),
    };
    let request: http.ClientRequest;
    try {
      request = (secure ? https : http).request({
        ...{ method, path: url, headers: sent, port, host: 'localhost' },
        createConnection: () => socket,
      });
    } catch (error) {
      end(failed(`it cannot be sent: ${(error as Error).message}`));
      return;
    }
    request.setTimeout(PATIENCE_MS, () => {
      request.destroy(new Error(`no answer within ${PATIENCE_MS / 1_000} seconds`));
    });
    request.on('error', (error) => end(failed(error.message)));
    request.on('response', (response) => {
      const chunks: Buffer[] = [];
      let size = 0;
      const done = (): void => {
        const pairs = pairsOf(response.headers);
        const all = Buffer.concat(chunks);
        end({
          status: response.statusCode,
          headers: pairs,
          ...(size > 0 ? { body: toldBody(all, size, pairs) } : {}),
          ms: performance.now() - begin,
        });
      };
      response.on('data', (chunk: Buffer) => {
        if (size < MOST_ANSWER) chunks.push(chunk);
        size += chunk.length;
        // A stream that never ends is read as far as this.
        if (size >= MOST_ANSWER) done();
      });
      response.on('end', done);
      response.on('error', done);
    });
    request.end(bytes);
  });
}
