/**
 * HTTP and WebSocket around the workbench's session. A door to a machine that runs code: it
 * listens on 127.0.0.1 only, asks for a token, and refuses requests that a
 * foreign page could make.
 */
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { readFileSync } from 'node:fs';
import type { IncomingMessage } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { fileURLToPath } from 'node:url';
import fastifyStatic from '@fastify/static';
import fastify, { type FastifyInstance } from 'fastify';
import { type WebSocket, WebSocketServer } from 'ws';
import { AnvilError } from '../syntax/problems.js';
import { WorkbenchSession, type WorkbenchConnection, type WorkbenchOptions } from './workbench/session.js';
import type { WorkbenchWindow } from './workbench/viewer.js';
import { serveAnswers } from './answer-pages.js';
import { joinSite, serveSite, siteName, type FindSite } from './page-sites.js';
import { problemOf } from './problem.js';
import { toServer } from './protocol.js';

/** What the pages of a server join: its own session, or one that is reached elsewhere. */
export interface WorkbenchConnector {
  connect(window: WorkbenchWindow): WorkbenchConnection;
  close(): Promise<void>;
  /** Pages that it shows, each on a host name of its own. */
  site?: FindSite;
  /** Tells all windows of an error that nobody thought of. */
  trouble?(error: unknown): void;
}

export interface ServerOptions extends Partial<WorkbenchOptions> {
  /** Instead of a session of its own on `root`. */
  workbench?: WorkbenchConnector;
  /** The workbench on a live program, for a page that names one; without it there is none. */
  program?: (name: string) => Promise<WorkbenchConnector>;
  /** Port on 127.0.0.1; 0 takes a free one. */
  port?: number;
  /** Folder of the built page. */
  assets?: string;
  token?: string;
}

export interface WorkbenchServer {
  /** The address to open, with its token. */
  url: string;
  port: number;
  token: string;
  close(): Promise<void>;
  /** Tells all windows of an error that nobody thought of, and the terminal all of it. */
  trouble(error: unknown): void;
}

/** Bytes that a window has not read yet, above which it is let go. */
const MOST_UNREAD = 64 * 1024 * 1024;

const ASSETS = fileURLToPath(new URL('../workbench', import.meta.url));

/**
 * Starts the workbench.
 *
 * @throws AnvilError `E_PORT` when the port is taken
 */
export async function startServer(options: ServerOptions): Promise<WorkbenchServer> {
  const token = options.token ?? randomBytes(24).toString('base64url');
  const assets = options.assets ?? ASSETS;
  const page = readFileSync(`${assets}/index.html`, 'utf8');
  // Made when the port is ours: a pad runs once, also where the first port is taken.
  let workbench: WorkbenchConnector | undefined = options.workbench;
  const app: FastifyInstance = fastify({ logger: false, bodyLimit: 1024 });
  let port = 0;

  const ownHost = (request: IncomingMessage): boolean => {
    const { host } = request.headers;
    return host === `127.0.0.1:${port}` || host === `localhost:${port}`;
  };
  const ownOrigin = (origin: string | undefined): boolean =>
    origin === `http://127.0.0.1:${port}` || origin === `http://localhost:${port}`;

  app.addHook('onRequest', async (request, reply) => {
    const site = siteName(request.raw.headers.host, port);
    if (site !== undefined) return serveSite(request.raw, reply, workbench?.site?.(site), port);
    if (!ownHost(request.raw)) return reply.code(403).type('text/plain').send('This address is not served here.');
    const { origin } = request.headers;
    if (origin !== undefined && !ownOrigin(origin))
      return reply.code(403).type('text/plain').send('Requests from other pages are refused.');
    void reply.headers({
      'X-Content-Type-Options': 'nosniff',
      'Referrer-Policy': 'no-referrer',
      'Cross-Origin-Resource-Policy': 'same-origin',
      'Cross-Origin-Opener-Policy': 'same-origin',
      'Cache-Control': 'no-store',
    });
    return undefined;
  });
  app.get('/', async (request, reply) => {
    if (!sameToken((request.query as { token?: unknown }).token, token))
      return reply
        .code(401)
        .type('text/plain')
        .send('A token is missing or wrong. Open the address that usher-anvil printed.');
    const nonce = randomBytes(16).toString('base64');
    void reply.header('Content-Security-Policy', policyOf(port, nonce));
    return reply.type('text/html; charset=utf-8').send(page.replaceAll('__NONCE__', nonce));
  });
  serveAnswers(app, (given) => sameToken(given, token));
  await app.register(fastifyStatic, {
    root: `${assets}/assets`,
    prefix: '/assets/',
    decorateReply: true,
    index: false,
  });

  const sockets = new WebSocketServer({ noServer: true, maxPayload: 64 * 1024 * 1024 });
  app.server.on('upgrade', (request: IncomingMessage, socket: Socket, head: Buffer) => {
    socket.on('error', () => undefined);
    const site = siteName(request.headers.host, port);
    const page = site === undefined ? undefined : workbench?.site?.(site);
    if (site !== undefined) {
      if (!page || !joinSite(sockets, request, socket, head, page)) refuse(socket, '403 Forbidden');
      return;
    }
    // A browser always names the page's origin here; what names none is not our page.
    if (!ownHost(request) || !ownOrigin(request.headers.origin)) refuse(socket, '403 Forbidden');
    else if (!sameToken(windowToken(request.url), token)) refuse(socket, '401 Unauthorized');
    else {
      const program = windowProgram(request.url);
      sockets.handleUpgrade(request, socket, head, (connection) => {
        if (program !== null && options.program) void serveProgram(connection, program, options.program);
        else if (workbench) serve(connection, workbench);
        else connection.terminate();
      });
    }
  });

  const closeAll = async (): Promise<void> => {
    for (const client of sockets.clients) client.terminate();
    await Promise.all([app.close(), workbench?.close()]);
  };
  try {
    await app.listen({ host: '127.0.0.1', port: options.port ?? 0 });
    workbench ??= new WorkbenchSession({ ...options, root: options.root ?? '.' });
  } catch (error) {
    await closeAll();
    if ((error as NodeJS.ErrnoException).code === 'EADDRINUSE')
      throw new AnvilError('E_PORT', `Port ${options.port} is taken. Choose another with --port, or leave it out.`, {
        cause: error,
      });
    throw error;
  }
  ({ port } = app.server.address() as AddressInfo);
  return {
    url: `http://127.0.0.1:${port}/?token=${token}`,
    port,
    token,
    close: closeAll,
    trouble(error) {
      if (workbench?.trouble) workbench.trouble(error);
      else problemOf(error);
    },
  };
}

/** What the workbench's page may load, connect to and frame. */
function policyOf(port: number, nonce: string): string {
  return (
    `default-src 'none'; script-src 'self'; style-src 'self' 'nonce-${nonce}'; img-src 'self' data:; font-src ` +
    `'self'; connect-src 'self' ws://127.0.0.1:${port} ws://localhost:${port}; base-uri ` +
    `'none'; form-action 'none'; frame-src 'self' http://*.localhost:${port} http://localhost:* http://127.0.0.1:*; frame-ancestors 'self'`
  );
}

function refuse(socket: Socket, status: string): void {
  socket.end(`HTTP/1.1 ${status}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`);
}

/** The token with which a window asks to join; undefined for an address that is none of ours. */
function windowToken(address: string | undefined): string | undefined {
  const [path, query] = (address ?? '').split('?', 2);
  return path === '/window' ? (new URLSearchParams(query).get('token') ?? undefined) : undefined;
}

/** The live program that a window looks at; null where it shows the workbench's own. */
function windowProgram(address: string | undefined): string | null {
  return new URLSearchParams((address ?? '').split('?', 2)[1]).get('program');
}

/** The same on a live program, for as long as the window stays. */
async function serveProgram(
  connection: WebSocket,
  name: string,
  program: (name: string) => Promise<WorkbenchConnector>,
): Promise<void> {
  connection.on('error', () => undefined);
  // What the window says first waits until the program has answered.
  connection.pause();
  try {
    const workbench = await program(name);
    serve(connection, workbench);
    connection.on('close', () => void workbench.close());
  } catch (error) {
    if (connection.readyState === connection.OPEN) connection.send(JSON.stringify(problemOf(error)));
  }
  connection.resume();
}

/** Hands on what a window says and what it is told, for as long as it stays. */
function serve(connection: WebSocket, workbench: WorkbenchConnector): void {
  const window = workbench.connect({
    send: (message) => {
      if (connection.readyState !== connection.OPEN) return;
      // A window that does not read what it is told comes back when it does, and is told how things are then.
      if (connection.bufferedAmount > MOST_UNREAD) connection.terminate();
      else connection.send(JSON.stringify(message));
    },
  });
  // A frame that is none, text that is no UTF-8, a message above the limit: the connection ends, and nothing else.
  connection.on('error', () => undefined);
  connection.on('message', (data) => {
    let message: unknown;
    try {
      message = JSON.parse((data as Buffer).toString('utf8'));
    } catch {
      connection.close(1003, 'not JSON');
      return;
    }
    const parsed = toServer.safeParse(message);
    if (parsed.success) window.receive(parsed.data);
    else
      connection.send(
        JSON.stringify({
          type: 'problem',
          code: 'E_MESSAGE',
          message: 'The page sent a message this server does not know. Reload the page.',
        }),
      );
  });
  connection.on('close', () => window.leave());
}

function sameToken(given: unknown, token: string): boolean {
  if (typeof given !== 'string') return false;
  const a = Buffer.from(given);
  const b = Buffer.from(token);
  return a.length === b.length && timingSafeEqual(a, b);
}
