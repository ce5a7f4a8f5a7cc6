/** In place of saving to a disk. */
import { memory } from '../memory.js';

export const saveText = (path: string, text: string): void => memory.write(path, text);
