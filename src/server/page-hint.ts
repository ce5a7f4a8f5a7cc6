/** Programs that Node cannot run, for what they are written for is a page. */
import { readText } from '../hosts/node/files.js';
import { isPagePad } from '../hosts/pages/kinds.js';

/**
 * What is said of a program that has failed in Node and asks for a document.
 *
 * @param file absolute path
 * @param shown how people know it
 * @returns undefined for all others
 */
export function pageHint(file: string, shown: string): string | undefined {
  return isPagePad(file, readText(file))
    ? `${shown} asks for a document, and Node has none. See it beside its code: usher-anvil open ${shown}`
    : undefined;
}
