/**
 * Entry of the script of a sandboxed frame, whose origin is none: pads run in workers that it makes, and so reach
 * nothing of the origin that the page has. It hands on what both sides say.
 */
import type { FromFrameOfWorkers, ToFrameOfWorkers } from './workers.js';

/** Messages of one worker in a second beyond which it is ended: a run tells what it has some sixty times. */
const MOST_SAID = 2_000;

addEventListener(
  'message',
  ({ data, ports: [port] }: MessageEvent<string>) => {
    const address = URL.createObjectURL(new Blob([data], { type: 'text/javascript' }));
    const workers = new Map<number, Worker>();
    const tell = (message: FromFrameOfWorkers): void => port!.postMessage(message);
    port!.onmessage = ({ data: { id, ...asked } }: MessageEvent<ToFrameOfWorkers>) => {
      if (asked.do === 'make') {
        const worker = new Worker(address);
        let [since, count] = [0, 0];
        worker.onmessage = ({ data: said }: MessageEvent<unknown>) => {
          if (workers.get(id) !== worker) return;
          const now = performance.now();
          if (now - since > 1_000) [since, count] = [now, 0];
          if (++count <= MOST_SAID) tell({ id, said });
          else {
            worker.terminate();
            workers.delete(id);
            tell({ id, failed: 'it floods the page with messages' });
          }
        };
        worker.onerror = (event) => {
          event.preventDefault();
          tell({ id, failed: event.message });
        };
        workers.set(id, worker);
      } else if (asked.do === 'say') workers.get(id)?.postMessage(asked.message);
      else {
        workers.get(id)?.terminate();
        workers.delete(id);
      }
    };
  },
  { once: true },
);
