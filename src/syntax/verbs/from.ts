import type { Verb } from './verb.js';

/** `const lines = input.lines; //~ from: passages.log` names the file that `input` of `usher-anvil/pad` reads. */
export const from: Verb = {
  name: 'from',
  expression: 'text',
  reports: 'value',
  about: 'names the file that input reads, relative to the pad; --input and pasted data go before it',
};
