/** Entry of the process that holds workers for pads. What is started for one run has its worker on the way at once. */
import type { Begun } from './relay-serve.js';
import { startWorker } from './relay-worker.js';

const [, , how, memory, carefully] = process.argv;
const memoryMb = Number(memory);
const careful = carefully === 'careful';
const begun = how === 'once' ? begin() : undefined;
// The rest is loaded beside it.
const { serveRelay } = await import('./relay-serve.js');
serveRelay(begun);

function begin(): Begun {
  const worker = startWorker({ warm: [], rehearsal: [], careful }, memoryMb);
  const said: unknown[] = [];
  worker.on('message', (message) => said.push(message));
  worker.on('error', () => undefined);
  return { worker, said, memoryMb, careful };
}
