/** A published pad is no page of HTML: what reads one stays behind. */
import type * as Syntax from '../../syntax/page-text.js';

export const isPageFile: (typeof Syntax)['isPageFile'] = () => false;
export const pageText: (typeof Syntax)['pageText'] = () => {
  throw new TypeError('no page of HTML is read here');
};
