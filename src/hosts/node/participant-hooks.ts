/** Hooks of the engine's module loader, in its own thread: local modules of a participant come from the session. */
import { connect } from 'node:net';
import type { LoadHook, ResolveHook } from 'node:module';
import { Channel } from './channel.js';
import type { ToLoader } from './participants.js';

let asks = 0;
const waiting = new Map<number, (message: ToLoader | undefined) => void>();
let channel: Channel | undefined;
let hold: () => void = () => undefined;
let release: () => void = () => undefined;

export function initialize({ path, token, id }: { path: string; token: string; id: string }): void {
  const socket = connect(path).unref();
  hold = () => void socket.ref();
  release = () => void socket.unref();
  channel = new Channel(socket, (data) => {
    const message = data as ToLoader;
    waiting.get(message.ask)?.(message);
  });
  socket.on('close', () => {
    channel = undefined;
    for (const answer of waiting.values()) answer(undefined);
  });
  channel.send({ type: 'join', token, id, label: '', role: 'loader' });
}

function ask(message: { type: 'code'; url: string } | { type: 'resolve'; specifier: string; from: string }): Promise<ToLoader | undefined> {
  if (!channel) return Promise.resolve(undefined);
  const number = ++asks;
  hold();
  return new Promise<ToLoader | undefined>((resolve) => {
    waiting.set(number, resolve);
    channel!.send({ ...message, ask: number });
  }).finally(() => {
    waiting.delete(number);
    if (waiting.size === 0) release();
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
  const answer = LOCAL.test(url) ? await ask({ type: 'code', url }) : undefined;
  if (answer?.type === 'code' && answer.served) return { format: answer.served.format, source: answer.served.code, shortCircuit: true };
  return next(url, context);
};
