/**
 * Entry of a process that runs one pad, or one live program, on its main thread; the relay sits in a thread beside it.
 */
import { Worker } from 'node:worker_threads';
import { MessageChannel } from 'node:worker_threads';
import { INVITATION } from '../../wire/constants.js';
import type { PadData } from '../../wire/messages.js';
import { startPad } from './pad/pad.js';
import { withNodeOption } from './node-options.js';
import { entryUrl } from './entries.js';

const data = JSON.parse(process.argv[2] ?? '{}') as PadData & { memoryMb: number };
const { port1, port2 } = new MessageChannel();
const relay = new Worker(entryUrl('process-relay'), {
  workerData: { port: port2, memoryMb: data.memoryMb, live: data.live, keepStarted: data.keepStarted ?? false },
  transferList: [port2],
  stdout: false,
  execArgv: [],
});
// Neither the relay nor the port keeps the program alive.
relay.unref();
if (data.live && process.env[INVITATION] !== undefined) {
  // Processes that the program starts take part too; threads have it from the flags of this process.
  const flag = process.execArgv.find((one) => one.startsWith('--require='));
  if (flag !== undefined) process.env.NODE_OPTIONS = withNodeOption(process.env.NODE_OPTIONS, flag);
}
// The program was started by its name alone, as far as it can tell; what it starts inherits the flags all the same.
process.execArgv.length = 0;
startPad(port1, data);
