/** Starts a worker thread that waits for one pad. */
import { Worker } from 'node:worker_threads';
import type { PadData } from '../../wire/messages.js';
import { entryUrl } from './entries.js';

export function startWorker(
  { warm, rehearsal, careful, keeps }: Pick<PadData, 'warm' | 'rehearsal' | 'careful' | 'keeps'>,
  memoryMb: number,
): Worker {
  return new Worker(entryUrl('pad-worker'), {
    workerData: { warm, rehearsal, place: 'worker', live: false, careful, keeps } satisfies PadData,
    resourceLimits: { maxOldGenerationSizeMb: memoryMb, stackSizeMb: 4 },
    stdin: false,
    trackUnmanagedFds: true,
    execArgv: [],
  });
}
