/** No examples come with a page. */
import { AnvilError } from '../../syntax/problems.js';

export const examples = (): [] => [];
export function copyExample(name: string): never {
  throw new AnvilError('E_NOT_FOUND', `There is no example named ${name}.`);
}
