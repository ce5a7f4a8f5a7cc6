import type { Verb } from './verb.js';

/** `level //~ plot:` or `//~ plot: it.depth`: the visits as a curve. */
export const plot: Verb = {
  name: 'plot',
  expression: 'optional',
  reports: 'value',
  view: 'plot',
  about: 'the values of all visits as a curve',
};
