/** Pads that are pages have no frame here. */
import { AnvilError } from '../../syntax/problems.js';

const none = (): never => {
  throw new AnvilError('E_NOT_A_PAD', 'This pad is a page. Open it with usher-anvil open.');
};

export const isPagePad = (): boolean => false;
export const createPageSession = none;
export const createLivePage = none;
export class PageFrame {}
