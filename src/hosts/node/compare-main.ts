/** Entry of a process that calls ways of a comparison. It ends with the one that has started it. */
import { performance, PerformanceObserver } from 'node:perf_hooks';
import { pathToFileURL } from 'node:url';
import { Compared } from '../../compare/compared.js';
import type { ToCompared } from '../../wire/comparing.js';
import { nodeInsight } from './introspection.js';

let collections = 0;
new PerformanceObserver((list) => {
  collections += list.getEntries().length;
}).observe({ entryTypes: ['gc'] });

const compared = new Compared({
  load: async (module) => (await import(pathToFileURL(module).href)) as Record<string, unknown>,
  introspection: nodeInsight,
  now: () => performance.now(),
  copy: structuredClone,
  rest: () => new Promise((done) => setImmediate(done)),
  collections() {
    const found = collections;
    collections = 0;
    return found;
  },
  heapUsed: () => process.memoryUsage().heapUsed,
});
process.on('message', (asked: ToCompared) => {
  void compared.answer(asked).then((answer) => process.send?.({ ask: asked.ask, answer }));
});
process.on('disconnect', () => process.exit());
