/** Entry of the relay's thread in a process that runs a pad on its main thread. */
import { Socket } from 'node:net';
import { workerData, type MessagePort } from 'node:worker_threads';
import { Channel } from './channel.js';
import type { ToRelay } from '../../wire/messages.js';
import { OWN_FILES } from './own-files.js';
import { BesideDebugger } from './pausing/beside.js';
import { passedBy } from './pausing/passed-by.js';
import { killGroup } from './group.js';
import type { PadThread } from './pad-thread.js';
import { Relay } from './relay.js';

/** Milliseconds that a program has for its end. */
const PATIENCE_MS = 10_000;

const { port, memoryMb, live, keepStarted } = workerData as {
  port: MessagePort;
  memoryMb: number;
  live: boolean;
  keepStarted: boolean;
};
const thread: PadThread = {
  port: {
    postMessage: (message: unknown) => port.postMessage(message),
    on: (_event, listener) => port.on('message', (message: unknown) => listener(message)),
  },
  // The session ends the whole process.
  end: () => undefined,
  ready: false,
  hasPackages: false,
};
let made = false;
const relay: Relay = new Relay(
  () => channel,
  () => {
    if (made) return { ...thread, port: { postMessage: () => undefined, on: () => undefined } };
    made = true;
    return thread;
  },
  { keep: () => 1, memoryMb: () => memoryMb },
  new BesideDebugger(passedBy(OWN_FILES)),
);
const channel: Channel = new Channel(
  new Socket({ fd: 3 }).on('close', () => {
    if (live) endProgram();
    else endPad();
  }),
  (message) => {
    const asked = message as ToRelay;
    if (asked.type !== 'configure') relay.receive(asked);
  },
  () => undefined,
);
relay.prepare();

/** A pad is nothing without its session, and neither is what it started. */
function endPad(): void {
  if (!keepStarted) {
    for (const pid of relay.started) killGroup(pid);
    killGroup(process.pid);
  }
  process.kill(process.pid, 'SIGKILL');
}

/** The command that started the program was killed: the program is asked to end as by any supervisor. */
function endProgram(): void {
  relay.letGo();
  process.kill(process.pid, 'SIGTERM');
  setTimeout(() => process.kill(process.pid, 'SIGKILL'), PATIENCE_MS).unref();
}
