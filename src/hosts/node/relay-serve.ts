/** Between session and pads: what the process that holds workers for pads does. */
import { isBuiltin } from 'node:module';
import { Socket } from 'node:net';
import type { Worker } from 'node:worker_threads';
import { Channel } from './channel.js';
import { killGroup } from './group.js';
import type { PadData, ToRelay } from '../../wire/messages.js';
import type { PadThread } from './pad-thread.js';
import { Relay } from './relay.js';
import { startWorker } from './relay-worker.js';

/** A worker that was started before this was loaded, with what it has said meanwhile. */
export interface Begun {
  worker: Worker;
  said: unknown[];
  memoryMb: number;
  careful: boolean;
}

/** Serves the session on file descriptor 3. */
export function serveRelay(begun: Begun | undefined): void {
  let memoryMb = begun?.memoryMb ?? 512;
  let warm: PadData['warm'] = [];
  let rehearsal: PadData['rehearsal'] = [];
  let first = true;
  let once = begun !== undefined;
  let careful = begun?.careful ?? false;
  let spare = begun;

  const relay: Relay = new Relay(
    () => channel,
    () => {
      // One that is over already is of no use.
      const taken = spare?.worker.threadId === -1 ? undefined : spare;
      spare = undefined;
      const worker =
        taken?.worker ?? startWorker({ warm, rehearsal, careful, keeps: !once && relay.mayKeep }, memoryMb);
      worker.removeAllListeners('message').removeAllListeners('error');
      const thread: PadThread = {
        port: {
          postMessage: (message: unknown) => worker.postMessage(message),
          on: (_event, listener) => {
            worker.on('message', (message: unknown) => listener(message));
            for (const message of taken?.said.splice(0) ?? []) setImmediate(listener, message);
          },
        },
        worker,
        end: () => {
          void worker.terminate();
        },
        ready: false,
        hasPackages: warm.some(({ specifier }) => !isBuiltin(specifier)),
      };
      return thread;
    },
    { keep: () => (once ? 1 : 2), memoryMb: () => memoryMb },
  );

  const channel: Channel = new Channel(
    // The session is gone. An orderly exit would wait for threads, and one of them may never end.
    new Socket({ fd: 3 }).on('close', () => {
      killGroup(process.pid);
      process.kill(process.pid, 'SIGKILL');
    }),
    (message) => {
      const asked = message as ToRelay;
      if (asked.type === 'configure') {
        memoryMb = asked.memoryMb;
        const isNew = JSON.stringify(asked.warm) !== JSON.stringify(warm);
        warm = asked.warm;
        rehearsal = asked.rehearsal;
        once = asked.once;
        careful = asked.careful;
        if (first) relay.begin();
        else if (isNew) relay.warm(warm);
        first = false;
      } else relay.receive(asked);
    },
    () => process.exit(3),
  );

  // What is started for one run has its worker on the way before it is told anything.
  if (once) {
    relay.prepare();
    first = false;
  }
}
