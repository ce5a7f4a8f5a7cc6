/** What a project adds is used, and is said: it executes here. */
import { dirname } from 'node:path';
import { additionsFor, additionsText } from '../hosts/node/project/additions.js';
import { addViews } from '../views/added.js';

/** @param isSaid on the error output, where the other is for people as well */
export function useAdditions(file: string, isSaid = true): void {
  const additions = additionsFor(dirname(file));
  addViews(additions.views.map(({ plugin }) => plugin));
  const words = additionsText(additions);
  if (isSaid && words !== '') process.stderr.write(`Of this project: ${words}.\n`);
  if (additions.wrong !== '') process.stderr.write(`${additions.wrong}\n`);
}
