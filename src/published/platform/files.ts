/** In place of the files of Node: those that the page came with. */
import type * as Node from '../../hosts/node/files.js';
import { AnvilError } from '../../syntax/problems.js';
import { memory } from '../memory.js';

export const readText: (typeof Node)['readText'] = (file) => {
  const text = memory.text(file);
  if (text === undefined) throw new AnvilError('E_NOT_FOUND', `${file} does not exist. Check the path.`);
  return text;
};

export const padPath: (typeof Node)['padPath'] = (given, cwd) => (given.startsWith('/') ? given : `${cwd}/${given}`);

export const real: (typeof Node)['real'] = (path) => path;
