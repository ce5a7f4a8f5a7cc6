import type { Verb } from './verb.js';

const ms = (value: number): string =>
  value >= 100 ? value.toFixed(0) : value >= 1 ? value.toFixed(1) : value.toFixed(3);

/** `settle(day) //~ time:` how long each visit took, with total, median and share of the run. */
export const time: Verb = {
  name: 'time',
  expression: 'none',
  reports: 'time',
  about: 'how long each visit took; total, median, share of the run',
  tell(numbers, { visits, total = 0, runMs }) {
    const sorted = [...numbers].sort((a, b) => a - b);
    const median = sorted.length === 0 ? 0 : (sorted[(sorted.length - 1) >> 1]! + sorted[sorted.length >> 1]!) / 2;
    const share = runMs > 0 ? `, ${Math.round((100 * total) / runMs)} % of the run` : '';
    return visits <= 1 ? `${ms(total)} ms${share}` : `total ${ms(total)} ms, median ${ms(median)} ms${share}`;
  },
};
