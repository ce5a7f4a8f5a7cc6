/** The clock of sessions in Node. */
import type { Clock } from '../../session/host.js';

export const nodeClock: Clock = {
  now: () => performance.now(),
  after(ms, callback) {
    const timer = setTimeout(callback, ms);
    return () => clearTimeout(timer);
  },
};
