/** Entry of the relay's thread in a process that runs a pad on its main thread. */
import { Socket } from 'node:net';
import { workerData, type MessagePort } from 'node:worker_threads';
import { Channel } from './channel.js';
import type { ToRelay } from '../../wire/messages.js';
import { Relay, type PadThread } from './relay.js';

const { port, memoryMb, live } = workerData as { port: MessagePort; memoryMb: number; live: boolean };
const thread: PadThread = {
  port: {
    postMessage: (message: unknown) => port.postMessage(message),
    on: (_event, listener) => port.on('message', (message: unknown) => listener(message)),
  },
  // The session ends the whole process.
  end: () => undefined,
  ready: false,
};
let made = false;
const relay: Relay = new Relay(
  () => channel,
  () => {
    if (made) return { ...thread, port: { postMessage: () => undefined, on: () => undefined } };
    made = true;
    return thread;
  },
  () => 1,
  () => memoryMb,
);
const channel: Channel = new Channel(
  new Socket({ fd: 3 }).on('close', () => {
    // A pad is nothing without its session; a live program is its own.
    if (!live) process.kill(process.pid, 'SIGKILL');
  }),
  (message) => {
    const asked = message as ToRelay;
    if (asked.type !== 'configure') relay.receive(asked);
  },
  () => undefined,
);
relay.prepare();
