/**
 * The door of a live program: JSON-RPC 2.0 over WebSocket, on a local socket or
 * on a loopback port. It asks for a token, refuses whatever a web page could
 * send, and serves several windows at once. Protocol `usher-anvil/door@1`.
 */
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { chmodSync, rmSync } from 'node:fs';
import { createServer, type IncomingMessage } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { WebSocketServer, type WebSocket } from 'ws';
import { z } from 'zod';
import type { Entered, LiveEvent } from '../session/live/events.js';
import type { LiveSession } from '../session/live/session.js';
import { lookRequest, type LookAnswer, type NameFound } from '../wire/looking.js';
import { AnvilError } from '../syntax/problems.js';
import { WorkbenchSession, type WorkbenchConnection } from './workbench/session.js';
import { toServer, type ToWindow } from './protocol.js';

/** A change as it is told to windows. */
export interface DoorEvent extends Pick<LiveEvent, 'kind' | 'file' | 'text' | 'details' | 'typed'> {
  notes: NonNullable<LiveEvent['plan']>['notes'];
}

export interface Described {
  protocol: 'usher-anvil/door@1';
  name: string;
  pid: number;
  entry: string;
  files: string[];
  since: string;
  /** Threads, processes and pages that take part, with the files that each has. */
  places: { label: string; files: string[] }[];
  /** Statements that wait, by file. */
  waiting: { file: string; line: number; text: string }[];
}

const file = z.string().max(4_096);
/** What a window asks, by method. */
export const methods = {
  describe: z.object({}),
  /** `where`: the label of a place. */
  evaluate: z.object({
    file: file.optional(),
    text: z.string().max(1024 * 1024),
    where: z.string().max(100).optional(),
  }),
  complete: z.object({ file: file.optional(), text: z.string().max(100_000), where: z.string().max(100).optional() }),
  look: z.object({ request: lookRequest }),
  listen: z.object({ on: z.boolean() }),
  undo: z.object({}),
  run: z.object({ file: file.optional(), line: z.int().min(0).optional() }),
  reset: z.object({ file: file.optional(), name: z.string().max(1_000) }),
  /** What a page of the workbench says; its answers come as notifications of that name. */
  window: z.object({ message: toServer }),
};

export type Method = keyof typeof methods;

export interface Answers {
  describe: Described;
  evaluate: Entered;
  complete: { from: number; names: NameFound[] };
  look: LookAnswer;
  listen: null;
  undo: { done: boolean };
  run: { ran: number };
  reset: { done: boolean };
  window: null;
}

const message = z.object({
  jsonrpc: z.literal('2.0'),
  id: z.union([z.number(), z.string()]),
  method: z.string(),
  params: z.unknown().optional(),
});

/** Output that a window has not taken yet; more is left out, and counted. */
const MOST_WAITING = 4 * 1024 * 1024;

export interface DoorOptions {
  session: LiveSession;
  /** Folder that names of files in the workbench are relative to. */
  root: string;
  /** What is told of the target. */
  describe(): Omit<Described, 'protocol' | 'waiting' | 'files' | 'entry' | 'places'>;
  /** Path of a local socket, or a port on 127.0.0.1 (0 takes a free one). */
  at: string | number;
  token?: string;
}

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
  const sockets = new WebSocketServer({ noServer: true, maxPayload: 16 * 1024 * 1024 });
  const windows = new Set<WebSocket>();
  const listening = new Map<WebSocket, () => void>();
  /** The workbench on the program, while pages look at it. */
  let workbench: WorkbenchSession | undefined;
  const pages = new Map<WebSocket, WorkbenchConnection>();
  const leavePage = (window: WebSocket): void => {
    pages.get(window)?.leave();
    pages.delete(window);
    if (pages.size > 0) return;
    void workbench?.close();
    workbench = undefined;
  };

  const tell = (window: WebSocket, method: string, params: unknown): boolean => {
    if (window.readyState !== window.OPEN || window.bufferedAmount > MOST_WAITING) return false;
    window.send(JSON.stringify({ jsonrpc: '2.0', method, params }));
    return true;
  };
  const stopEvents = session.onEvent((event) => {
    const told: DoorEvent = {
      kind: event.kind,
      file: event.file,
      text: event.text,
      details: event.details,
      notes: event.plan?.notes ?? [],
      ...(event.typed ? { typed: true } : {}),
    };
    for (const window of windows) tell(window, 'event', told);
  });

  server.on('upgrade', (request, socket, head) => {
    socket.on('error', () => undefined);
    const refusal = refused(request, token, typeof at === 'number');
    if (refusal !== undefined) {
      socket.end(`HTTP/1.1 ${refusal}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`);
      return;
    }
    sockets.handleUpgrade(request, socket as Socket, head, (window) => {
      windows.add(window);
      window.on('error', () => undefined);
      window.on('close', () => {
        windows.delete(window);
        listening.get(window)?.();
        listening.delete(window);
        leavePage(window);
      });
      window.on('message', (data) => void receive(window, String(data)));
    });
  });

  async function receive(window: WebSocket, text: string): Promise<void> {
    let id: string | number | null = null;
    const fail = (code: number, why: string): void =>
      window.send(JSON.stringify({ jsonrpc: '2.0', id, error: { code, message: why } }));
    let asked: z.infer<typeof message>;
    try {
      asked = message.parse(JSON.parse(text));
    } catch {
      fail(-32600, 'not a request of JSON-RPC 2.0');
      return;
    }
    ({ id } = asked);
    const schema = Object.hasOwn(methods, asked.method) ? methods[asked.method as Method] : undefined;
    if (!schema) {
      fail(-32601, `there is no method ${asked.method}; there are ${Object.keys(methods).join(', ')}`);
      return;
    }
    const params = schema.safeParse(asked.params ?? {});
    if (!params.success) {
      fail(-32602, params.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; '));
      return;
    }
    try {
      const result = await answer(window, asked.method as Method, params.data as never);
      if (window.readyState === window.OPEN) window.send(JSON.stringify({ jsonrpc: '2.0', id, result }));
    } catch (error) {
      fail(-32000, (error as Error).message);
    }
  }

  const answers: {
    [M in Method]: (params: z.infer<(typeof methods)[M]>, window: WebSocket) => Promise<Answers[M]> | Answers[M];
  } = {
    describe: () => ({
      protocol: 'usher-anvil/door@1',
      ...options.describe(),
      entry: session.file,
      files: session.files,
      places: session.guests,
      waiting: [...session.waitingStatements].flatMap(([name, list]) =>
        list.map(({ line, text }) => ({ file: name, line, text })),
      ),
    }),
    evaluate: ({ file: name = session.file, text, where }) => session.evaluate(name, text, where),
    complete: ({ file: name = session.file, text, where }) => session.complete(name, text, where),
    look: ({ request }) => session.look(request),
    listen: ({ on }, window) => {
      listening.get(window)?.();
      listening.delete(window);
      let left = 0;
      if (on)
        listening.set(
          window,
          session.onOutput((output) => {
            const omitted = output.omitted + left;
            left = tell(window, 'output', { ...output, omitted }) ? 0 : omitted + output.text.length;
          }),
        );
      return null;
    },
    undo: async () => ({ done: await session.undo() }),
    run: async ({ file: name = session.file, line }) => {
      const before = session.waitingStatements.get(name)?.length ?? 0;
      await session.runWaiting(name, line);
      return { ran: before - (session.waitingStatements.get(name)?.length ?? 0) };
    },
    reset: async ({ file: name = session.file, name: what }) => ({ done: await session.reset(name, what) }),
    window: ({ message: said }, window) => {
      let page = pages.get(window);
      if (!page) {
        // Behind a port may be a small device: types are checked where there is room.
        workbench ??= new WorkbenchSession({
          root: options.root,
          types: typeof at !== 'number',
          live: { session, describe: options.describe },
        });
        page = workbench.connect({ send: (told: ToWindow) => void tell(window, 'window', told) });
        pages.set(window, page);
      }
      page.receive(said);
      return null;
    },
  };

  function answer<M extends Method>(
    window: WebSocket,
    method: M,
    params: z.infer<(typeof methods)[M]>,
  ): Promise<Answers[M]> | Answers[M] {
    return answers[method](params, window);
  }

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
      void workbench?.close();
      for (const window of windows) {
        if (ended) tell(window, 'ended', ended);
        window.close(1000);
      }
      const patience = setTimeout(() => {
        for (const window of windows) window.terminate();
      }, 300);
      await new Promise<void>((resolve) => server.close(() => resolve()));
      clearTimeout(patience);
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
