/**
 * Entry of the script of a sandboxed frame, whose origin is none: what runs in it reaches nothing of the origin that
 * the page has. Pads run in workers that it makes, and it hands on what both sides say; or it is the page of a pad.
 */
import type { FrameGiven, FromFrameOfWorkers, ToFrameOfWorkers } from './workers.js';

/** Messages of one worker in a second beyond which it is ended: a run tells what it has some sixty times. */
const MOST_SAID = 2_000;

// No policy of a page keeps these from reaching others.
for (const name of ['RTCPeerConnection', 'webkitRTCPeerConnection', 'WebTransport'])
  Reflect.deleteProperty(globalThis, name);
document.currentScript?.remove();

addEventListener(
  'message',
  ({ data, ports: [port], source }: MessageEvent<FrameGiven>) => {
    if (source === parent) (data.is === 'page' ? beginPage : makeWorkers)(port!, data);
  },
  { once: true },
);

function beginPage(port: MessagePort, { thread, packages }: FrameGiven): void {
  Object.assign(globalThis, { usherAnvilGiven: { port, packages } });
  // Under this name it shows in no stack.
  (0, eval)(`${thread}\n//# sourceURL=/@usher-anvil/page.js`);
}

function makeWorkers(port: MessagePort, { thread }: FrameGiven): void {
  const address = URL.createObjectURL(new Blob([thread], { type: 'text/javascript' }));
  const workers = new Map<number, Worker>();
  const tell = (message: FromFrameOfWorkers): void => port.postMessage(message);
  port.onmessage = ({ data: { id, ...asked } }: MessageEvent<ToFrameOfWorkers>) => {
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
}
