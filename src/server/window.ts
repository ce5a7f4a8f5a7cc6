/** A window on a live program: the other side of its door. */
import { WebSocket } from 'ws';
import type { LiveOutput } from '../session/live/events.js';
import { AnvilError } from '../syntax/problems.js';
import type { Answers, DoorEvent, Method, methods } from './door-methods.js';
import type { ToWindow } from './protocol.js';
import type { z } from 'zod';

export interface WindowListeners {
  event?(event: DoorEvent): void;
  output?(output: LiveOutput): void;
  /** What the workbench on the program says to a page. */
  page?(message: ToWindow): void;
  /** The program has ended, or its door has closed. */
  ended?(text: string): void;
}

export interface Window {
  /** Asks; rejects with the target's words, or when it ends before it has answered. */
  ask<M extends Method>(method: M, params: z.input<(typeof methods)[M]>): Promise<Answers[M]>;
  close(): void;
}

/**
 * Joins a live program.
 *
 * @param address path of a local socket, or `host:port`
 * @throws AnvilError `E_TARGET` when nobody answers there or the token is wrong
 */
export async function joinTarget(address: string, token: string, listeners: WindowListeners): Promise<Window> {
  const url = address.startsWith('/') ? `ws+unix:${address}:/` : `ws://${address}/`;
  const socket = new WebSocket(url, {
    headers: { authorization: `Bearer ${token}` },
    maxPayload: 64 * 1024 * 1024,
    handshakeTimeout: 5_000,
  });
  const asked = new Map<number, { resolve(value: unknown): void; reject(error: Error): void }>();
  let last = 0;
  let closed = false;
  let farewell = 'the connection to the program is gone';
  await new Promise<void>((resolve, reject) => {
    socket.once('open', resolve);
    socket.once('unexpected-response', (_request, response) =>
      reject(
        new AnvilError(
          'E_TARGET',
          response.statusCode === 401
            ? `${address} asks for another token`
            : `${address} is no door of a live program (${response.statusCode})`,
        ),
      ),
    );
    socket.once('error', (error) =>
      reject(new AnvilError('E_TARGET', `nobody answers at ${address}: ${error.message}`)),
    );
  });
  socket.on('error', () => undefined);
  socket.on('message', (data) => {
    const message = JSON.parse(String(data)) as {
      id?: number;
      method?: string;
      params?: unknown;
      result?: unknown;
      error?: { message: string };
    };
    if (message.method === 'event') listeners.event?.(message.params as DoorEvent);
    else if (message.method === 'output') listeners.output?.(message.params as LiveOutput);
    else if (message.method === 'window') listeners.page?.(message.params as ToWindow);
    else if (message.method === 'ended') farewell = (message.params as { text: string }).text;
    else if (message.id !== undefined) {
      const waiter = asked.get(message.id);
      asked.delete(message.id);
      if (message.error) waiter?.reject(new AnvilError('E_TARGET', message.error.message));
      else waiter?.resolve(message.result);
    }
  });
  socket.on('close', () => {
    for (const waiter of asked.values()) waiter.reject(new AnvilError('E_TARGET', farewell));
    asked.clear();
    if (!closed) listeners.ended?.(farewell);
    closed = true;
  });
  return {
    ask: (method, params) =>
      new Promise((resolve, reject) => {
        if (closed) {
          reject(new AnvilError('E_TARGET', farewell));
          return;
        }
        const id = ++last;
        asked.set(id, { resolve: resolve as (value: unknown) => void, reject });
        socket.send(JSON.stringify({ jsonrpc: '2.0', id, method, params }));
      }),
    close() {
      closed = true;
      socket.close(1000);
    },
  };
}
