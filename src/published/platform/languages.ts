/** In place of the languages of a project: those that came along. */
import { additionsFor } from './additions.js';

export const addedExtensions = () => additionsFor().languages;
