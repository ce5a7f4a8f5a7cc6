import type { Verb } from './verb.js';

/**
 * `const log = await load() //~ keep:` the value stays over re-executions until the expression, or what it uses,
 * changes.
 */
export const keep: Verb = {
  name: 'keep',
  expression: 'none',
  reports: 'kept',
  about: 'the value stays over re-executions until the expression, or what it uses, changes',
};
