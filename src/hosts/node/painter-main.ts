/** Entry of a thread that paints rows of pictures. */
import { parentPort } from 'node:worker_threads';
import { type BandAsked, helperThread } from '../../runtime/painting-helpers.js';

const answerTo = helperThread();
parentPort!.on('message', (message: { code: string } | BandAsked) => {
  const answer = answerTo(message);
  if (answer) parentPort!.postMessage(answer);
});
