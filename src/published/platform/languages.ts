/** In place of the languages of a project: those that came along. */
import { additionsFor } from './additions.js';

export const languageFor = (file: string) =>
  addedExtensions().find(({ plugin: { extensions } }) => extensions.some((one) => file.toLowerCase().endsWith(one)));

export const addedExtensions = () => additionsFor().languages;
