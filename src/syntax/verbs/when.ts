import type { Verb } from './verb.js';

/** `deal(x) //~ when: it < 0`: only the visits for which the condition holds. */
export const when: Verb = {
  name: 'when',
  expression: 'required',
  reports: 'holds',
  about: 'only the visits for which the condition holds',
};
