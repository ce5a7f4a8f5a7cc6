/** Entry of a worker thread that waits for one pad. */
import { parentPort, workerData } from 'node:worker_threads';
import type { PadData } from '../../wire/messages.js';
import { startPad } from './pad/pad.js';

startPad(parentPort!, workerData as PadData);
