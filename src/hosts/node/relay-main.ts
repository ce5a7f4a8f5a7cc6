/** Entry of the process that holds workers for pads. */
import { Socket } from 'node:net';
import { Worker } from 'node:worker_threads';
import { Channel } from './channel.js';
import { killGroup } from './group.js';
import type { PadData, ToRelay } from '../../wire/messages.js';
import { Relay, type PadThread } from './relay.js';
import { entryUrl } from './entries.js';

let memoryMb = 512;
let warm: PadData['warm'] = [];
let rehearsal: PadData['rehearsal'] = [];
let first = true;
let once = false;
let careful = false;

const relay: Relay = new Relay(
  () => channel,
  () => {
    const worker = new Worker(entryUrl('pad-worker'), {
      workerData: { warm, rehearsal, place: 'worker', live: false, careful } satisfies PadData,
      resourceLimits: { maxOldGenerationSizeMb: memoryMb, stackSizeMb: 4 },
      stdin: false,
      trackUnmanagedFds: true,
      execArgv: [],
    });
    const thread: PadThread = {
      port: {
        postMessage: (message: unknown) => worker.postMessage(message),
        on: (_event, listener) => worker.on('message', (message: unknown) => listener(message)),
      },
      worker,
      end: () => {
        void worker.terminate();
      },
      ready: false,
    };
    return thread;
  },
  () => (once ? 1 : 2),
  () => memoryMb,
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
      warm = asked.warm;
      rehearsal = asked.rehearsal;
      once = asked.once;
      careful = asked.careful;
      if (first) relay.prepare();
      first = false;
    } else relay.receive(asked);
  },
  () => process.exit(3),
);
