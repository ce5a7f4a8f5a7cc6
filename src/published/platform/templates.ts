/** A new pad of a page begins empty. */
import type * as Node from '../../server/start/templates.js';

export const EMPTY = 'typescript';
const empty: Node.Template = { name: EMPTY, sentence: 'an empty pad', extension: '.ts', text: '', own: false };
export const templatesFor = (): Node.Template[] => [empty];
export const templateNamed = (): Node.Template => empty;
