import type { Verb } from './verb.js';

/** `boats //~ table:` a list of records as a table. */
export const table: Verb = {
  name: 'table',
  expression: 'optional',
  reports: 'value',
  view: 'table',
  about: 'a list of records as a table',
};
