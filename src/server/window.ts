/** A window on a live program: the other side of its door. */
import { WebSocket } from 'ws';
import type { HoldEvent } from '../session/live/holding/holding.js';
import type { PauseEvent } from '../session/live/pausing/pausing.js';
import type { LiveOutput } from '../session/live/events.js';
import { AnvilError } from '../syntax/problems.js';
import { given, Replies, type Reply } from '../wire/replies.js';
import type { Answers, DoorEvent, Method, methods } from './door-methods.js';
import type { ToWindow } from './protocol.js';
import type { z } from 'zod';

export interface WindowListeners {
  event?(event: DoorEvent): void;
  output?(output: LiveOutput): void;
  /** What the workbench on the program says to a page. */
  page?(message: ToWindow): void;
  /** What is held, or held no longer. */
  held?(event: HoldEvent): void;
  /** What stands still, or goes on; breakpoints that are others, or print. */
  paused?(event: PauseEvent): void;
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
  const replies = new Replies<Reply>();
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
    else if (message.method === 'held') listeners.held?.(message.params as HoldEvent);
    else if (message.method === 'paused') listeners.paused?.(message.params as PauseEvent);
    else if (message.method === 'output') listeners.output?.(message.params as LiveOutput);
    else if (message.method === 'window') listeners.page?.(message.params as ToWindow);
    else if (message.method === 'ended') farewell = (message.params as { text: string }).text;
    else if (message.id !== undefined)
      replies.answer(message.id, message.error ? { error: message.error.message } : { result: message.result });
  });
  socket.on('close', () => {
    replies.end({ error: farewell });
    if (!closed) listeners.ended?.(farewell);
    closed = true;
  });
  return {
    async ask(method, params) {
      const refusal = (message: string): AnvilError => new AnvilError('E_TARGET', message);
      if (closed) throw refusal(farewell);
      return given(
        await replies.ask((id) => socket.send(JSON.stringify({ jsonrpc: '2.0', id, method, params }))),
        refusal,
      );
    },
    close() {
      closed = true;
      socket.close(1000);
    },
  };
}
