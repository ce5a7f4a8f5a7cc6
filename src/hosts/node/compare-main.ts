/** Entry of a process that calls ways of a comparison. It ends with the one that has started it. */
import { Compared } from './comparing/child.js';
import type { ToCompared } from '../../wire/comparing.js';

const compared = new Compared();
process.on('message', (asked: ToCompared) => {
  void compared.answer(asked).then((answer) => process.send?.({ ask: asked.ask, answer }));
});
process.on('disconnect', () => process.exit());
