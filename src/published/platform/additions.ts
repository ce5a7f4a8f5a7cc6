/** In place of the configuration of a project: what of it came along. */
import { additions } from '../additions.js';

export const additionsFor = () => ({
  languages: additions.languages.map((plugin) => ({ plugin, from: '' })),
  verbs: [],
  views: [],
  hosts: [],
  wrong: '',
  held: undefined as string[] | undefined,
});
/** It was said where it was published. */
export const additionsText = (): string => '';
export const configFor = (): undefined => undefined;
export const askBeforeAdditions = () => (): void => undefined;
