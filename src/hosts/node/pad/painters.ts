/** Threads that paint pictures beside the pad. */
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { BandAnswer, HelpersEngine } from '../../../runtime/painting-helpers.js';
import { entryUrl } from '../entries.js';
import type { Originals } from './originals.js';

/** More of them are no faster: what they give has to be put together. */
const MOST = 8;

/** Before a pad, or what watches it, has changed it. */
const OwnWorker = Worker;

export function painters({ timers }: Pick<Originals, 'timers'>): HelpersEngine {
  return {
    count: Math.min(MOST, availableParallelism()),
    after(ms, callback) {
      const timer = timers.setTimeout(callback, ms);
      timer.unref();
      return () => timers.clearTimeout(timer);
    },
    start() {
      const worker = new OwnWorker(entryUrl('painter-main'), { execArgv: [], env: {}, stdout: true, stderr: true });
      const thread: ReturnType<HelpersEngine['start']> = {
        say(message) {
          worker.postMessage(message);
          // A picture that is on its way keeps the program from its end.
          if (!('code' in message)) worker.ref();
        },
        end: () => void worker.terminate(),
      };
      worker.unref();
      worker.on('message', (answer: BandAnswer) => {
        worker.unref();
        thread.onpainted?.(answer);
      });
      worker.on('error', () => thread.onpainted?.(undefined));
      return thread;
    },
  };
}
