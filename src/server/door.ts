/**
 * The door of a live program: JSON-RPC 2.0 over WebSocket, on a local socket or
 * on a loopback port. It asks for a token, refuses whatever a web page could
 * send, and serves several windows at once. Protocol `usher-anvil/door@1`.
 */
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { chmodSync, rmSync } from 'node:fs';
import { createServer, type IncomingMessage } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { WebSocketServer } from 'ws';
import { AnvilError } from '../syntax/problems.js';
import type { DoorEvent } from './door-methods.js';
import { type DoorOptions, DoorWindows } from './door-windows.js';

export interface Door {
  /** Path of the local socket, or `127.0.0.1:port`. */
  address: string;
  token: string;
  /** Tells all windows how the program ended, and closes. */
  close(ended?: { text: string }): Promise<void>;
}

/**
 * Opens the door.
 *
 * @throws AnvilError `E_PORT` when the port is taken or the socket cannot be made
 */
export async function openDoor(options: DoorOptions): Promise<Door> {
  const { session, at } = options;
  const token = options.token ?? randomBytes(24).toString('base64url');
  const server = createServer((_request, response) => {
    response.writeHead(404, { 'Content-Type': 'text/plain' });
    response.end('This is the door of a live program, for windows of usher-anvil.\n');
  });
  const sockets = new WebSocketServer({ noServer: true, maxPayload: 64 * 1024 * 1024 });
  const windows = new DoorWindows(options);
  const stopEvents = session.onEvent((event) => {
    const told: DoorEvent = {
      kind: event.kind,
      file: event.file,
      text: event.text,
      details: event.details,
      notes: event.plan?.notes ?? [],
      ...(event.typed ? { typed: true } : {}),
    };
    windows.tellAll('event', told);
  });

  const stopHeld = [
    session.held.listen((event) => windows.tellAll('held', event)),
    session.pausing.listen((event) => windows.tellAll('paused', event)),
  ];

  server.on('upgrade', (request, socket, head) => {
    socket.on('error', () => undefined);
    const refusal = refused(request, token, typeof at === 'number');
    if (refusal !== undefined) {
      socket.end(`HTTP/1.1 ${refusal}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`);
      return;
    }
    sockets.handleUpgrade(request, socket as Socket, head, (window) => windows.join(window));
  });

  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        new AnvilError(
          'E_PORT',
          typeof at === 'number'
            ? `port ${at} cannot be used: ${error.message}`
            : `no local socket at ${at}: ${error.message}`,
        ),
      ),
    );
    if (typeof at === 'number') server.listen(at, '127.0.0.1', resolve);
    else {
      // What a process left behind that was killed.
      rmSync(at, { force: true });
      server.listen(at, resolve);
    }
  });
  if (typeof at === 'string') chmodSync(at, 0o600);
  const address = typeof at === 'string' ? at : `127.0.0.1:${(server.address() as AddressInfo).port}`;
  return {
    address,
    token,
    async close(ended) {
      stopEvents();
      for (const stop of stopHeld) stop();
      const gone = windows.close(ended);
      await new Promise<void>((resolve) => server.close(() => resolve()));
      gone();
    },
  };
}

/** Why a connection is refused, as a status line; undefined for one of ours. */
function refused({ headers }: IncomingMessage, token: string, onPort: boolean): string | undefined {
  // Browsers say where a page comes from; no window of ours is a page.
  if (headers.origin !== undefined) return '403 Forbidden';
  if (onPort && !/^(127\.0\.0\.1|localhost|\[::1\])(:\d+)?$/.test(headers.host ?? '')) return '403 Forbidden';
  const given = /^Bearer (.+)$/.exec(headers.authorization ?? '')?.[1] ?? '';
  const a = Buffer.from(given);
  const b = Buffer.from(token);
  return a.length === b.length && timingSafeEqual(a, b) ? undefined : '401 Unauthorized';
}
