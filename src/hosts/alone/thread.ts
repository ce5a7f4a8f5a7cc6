/** Entry of what runs a pad of a published page: in a worker or, for a pad that has a document, in a frame. */
import { type FrameGiven, startPageFrame } from './page-frame.js';
import { startThread } from './worker-thread.js';

if (typeof document === 'undefined') startThread();
else {
  const scope = globalThis as { usherAnvilGiven?: FrameGiven };
  const given = scope.usherAnvilGiven!;
  delete scope.usherAnvilGiven;
  startPageFrame(given);
}
