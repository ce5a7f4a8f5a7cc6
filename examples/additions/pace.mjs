/** `//~ pace:` behind a call: how many of it a second would hold. */
export default {
  name: 'pace',
  expression: 'none',
  reports: 'time',
  about: 'how many visits of this a second would hold',
  tell: (_numbers, { visits, total = 0 }) => (total > 0 ? `${Math.round((visits * 1000) / total).toLocaleString('en-US')} a second` : 'too fast to tell'),
};
