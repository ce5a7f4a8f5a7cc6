/** Hooks of the engine's module loader, in its own thread: local modules of a participant come from the session. */
import { connect } from 'node:net';
import type { MessagePort } from 'node:worker_threads';
import type { LoadHook, ResolveHook } from 'node:module';
import { Channel } from './channel.js';
import type { ToLoader } from '../../wire/guests.js';
import { Replies } from '../../wire/replies.js';

const replies = new Replies<ToLoader | undefined>();
let channel: Channel | undefined;
let hold: () => void = () => undefined;
let release: () => void = () => undefined;

/** What the loader of scripts, in the thread itself, asks for and waits. */
export interface ScriptAsk {
  url: string;
  /** Set when the answer is there. */
  wake: Int32Array;
}

export function initialize({
  path,
  token,
  id,
  port,
}: {
  path: string;
  token: string;
  id: string;
  port: MessagePort;
}): void {
  const socket = connect(path).unref();
  hold = () => void socket.ref();
  release = () => void socket.unref();
  channel = new Channel(socket, (data) => {
    const message = data as ToLoader;
    replies.answer(message.ask, message);
  });
  socket.on('close', () => {
    channel = undefined;
    replies.end();
  });
  channel.send({ type: 'join', token, id, label: '', role: 'loader' });
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
  const to = channel;
  if (!to) return Promise.resolve(undefined);
  hold();
  return replies
    .ask((number) => to.send({ ...message, ask: number }))
    .finally(() => {
      if (replies.open === 0) release();
    });
}

const LOCAL = /^file:(?!.*\/node_modules\/).*\.[cm]?[jt]sx?$/;

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

export const load: LoadHook = async (url, context, next) => {
  // Scripts are left to the engine's own loader, which asks for their code itself.
  if (context.format === 'commonjs' || !LOCAL.test(url)) return next(url, context);
  const answer = await ask({ type: 'code', url });
  if (answer?.type !== 'code' || !answer.served) return next(url, context);
  const { code, format } = answer.served;
  return format === 'commonjs'
    ? { format, source: undefined, shortCircuit: true }
    : { format, source: code, shortCircuit: true };
};
