/** What holding calls needs in Node. */
import type { HoldEngine } from '../../../runtime/holding/engine.js';
import type { Originals } from '../pad/originals.js';
import { keepBodies } from './bodies.js';
import { waitersOf } from './waiters.js';

/** @param uncaught takes an error that nobody caught */
export function holdEngine({ timers }: Pick<Originals, 'timers'>, uncaught: (error: unknown) => void): HoldEngine {
  return {
    switched: keepBodies,
    waiters: waitersOf,
    after(ms, callback) {
      // Nothing else may keep the program: it is not to end while somebody waits.
      const timer = timers.setTimeout(callback, ms);
      return () => timers.clearTimeout(timer);
    },
    uncaught,
  };
}
