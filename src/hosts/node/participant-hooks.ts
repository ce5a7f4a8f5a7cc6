/** Hooks of the engine's module loader, in its own thread: local modules of a participant come from the session. */
import { connect, type Socket } from 'node:net';
import type { MessagePort } from 'node:worker_threads';
import type { LoadHook, ResolveHook } from 'node:module';
import { Channel } from './channel.js';
import type { ToGuest, ToLoader } from '../../wire/guests.js';
import { Replies } from '../../wire/replies.js';
import { GuestBeside } from './pausing/guest-beside.js';

const replies = new Replies<ToLoader | undefined>();
let way: { channel: Channel; socket: Socket } | undefined;

/** What the loader of scripts, in the thread itself, asks for and waits. */
export interface ScriptAsk {
  url: string;
  /** Set when the answer is there. */
  wake: Int32Array;
}

/** What a thread gives the thread of its hooks. */
export interface HooksData {
  path: string;
  token: string;
  id: string;
  label: string;
  /** Asks for code of scripts, and waits for it. */
  port: MessagePort;
  /** Tells of its pauses, and hears while it stands. */
  pauses: MessagePort;
  isMain: boolean;
  /** Set when something is asked of modules before they run. */
  asks: SharedArrayBuffer;
}

export function initialize({ path, token, id, label, port, pauses, isMain, asks }: HooksData): void {
  const socket = connect(path).unref();
  const channel = new Channel(socket, (data) => {
    const message = data as ToLoader | ToGuest;
    if (message.type === 'code' || message.type === 'resolved') {
      if (message.type === 'code' && message.served?.waits) Atomics.store(new Int32Array(asks), 0, 1);
      replies.answer(message.ask, message);
    } else beside.take(message);
  });
  const beside = new GuestBeside(pauses, isMain, (message) => channel.send(message));
  way = { channel, socket };
  socket.on('close', () => {
    way = undefined;
    beside.letGo();
    replies.end();
  });
  channel.send({ type: 'join', token, id, label, role: 'loader' });
  port.on('message', ({ url, wake }: ScriptAsk) => {
    void ask({ type: 'code', url }).then((answer) => {
      port.postMessage(answer?.type === 'code' ? answer.served?.code : undefined);
      Atomics.store(wake, 0, 1);
      Atomics.notify(wake, 0);
    });
  });
  port.unref();
}

function ask(
  message: { type: 'code'; url: string } | { type: 'resolve'; specifier: string; from: string },
): Promise<ToLoader | undefined> {
  if (!way) return Promise.resolve(undefined);
  const { channel, socket } = way;
  socket.ref();
  return replies
    .ask((number) => channel.send({ ...message, ask: number }))
    .finally(() => {
      if (replies.open === 0) socket.unref();
    });
}

/** A module of the person; what stands behind a question mark makes another one of the same file. */
const LOCAL = /^file:(?!.*\/node_modules\/)[^?#]*\.[cm]?[jt]sx?(?:[?#].*)?$/;

export const resolve: ResolveHook = async (specifier, context, next) => {
  try {
    return await next(specifier, context);
  } catch (error) {
    // TypeScript is imported under the name it will have.
    const answer = context.parentURL ? await ask({ type: 'resolve', specifier, from: context.parentURL }) : undefined;
    if (answer?.type === 'resolved' && answer.url !== undefined) return { url: answer.url, shortCircuit: true };
    throw error;
  }
};

/** Where a development server reads its configuration, in its own code. */
const SERVER = /\/node_modules\/(?:vite|rolldown-vite)\/dist\/node\/.*\.js$/;
const READS = /async function resolveConfig\((\w+), (\w+)[^)]*\) \{/;

/** Its plugins are joined by ours; see `joinServers`. */
async function serverCode(...[url, context, next]: Parameters<LoadHook>): Promise<ReturnType<LoadHook>> {
  const loaded = await next(url, context);
  const source =
    typeof loaded.source === 'string' ? loaded.source : Buffer.from(loaded.source as Uint8Array).toString('utf8');
  const joined = source.replace(
    READS,
    (head, config: string, command: string) =>
      `${head}${config}=await globalThis[Symbol.for("usher-anvil/vite@1")]?.(${config},${command})??${config};`,
  );
  return joined === source ? loaded : { ...loaded, source: joined };
}

export const load: LoadHook = async (url, context, next) => {
  if (SERVER.test(url)) return serverCode(url, context, next);
  // Scripts are left to the engine's own loader, which asks for their code itself.
  if (context.format === 'commonjs' || !LOCAL.test(url)) return next(url, context);
  const answer = await ask({ type: 'code', url });
  if (answer?.type !== 'code' || !answer.served) return next(url, context);
  const { code, format } = answer.served;
  return format === 'commonjs'
    ? { format, source: undefined, shortCircuit: true }
    : { format, source: code, shortCircuit: true };
};
