/** What watching calls from outside needs in Node. */
import { AsyncLocalStorage } from 'node:async_hooks';
import type { EntriesEngine, EntryTaker } from '../../../runtime/entries/engine.js';
import { beginPanels } from './panels.js';
import { readFiles } from './read-files.js';
import { sentRequests } from './sent-requests.js';
import { servedRequests } from './served-requests.js';
import { listeningPorts } from './ports.js';

export function entriesEngine(): EntriesEngine {
  return {
    context() {
      const storage = new AsyncLocalStorage<object>();
      return {
        current: () => storage.getStore(),
        run: (value, work) => storage.run(value, work),
        enter: (value) => storage.enterWith(value),
        end: () => storage.disable(),
      };
    },
    watch(taker: EntryTaker, panels) {
      const ends = [
        servedRequests(taker),
        sentRequests(taker),
        readFiles(taker),
        beginPanels(panels, taker, (why) => process.stderr.write(`usher-anvil: ${why}\n`)),
      ];
      return () => {
        for (const end of ends) end();
      };
    },
    ports: listeningPorts,
  };
}
