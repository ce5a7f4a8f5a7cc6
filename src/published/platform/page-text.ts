/** What reads a page of HTML comes in a part of its own, which only such pads load; see `page-texts.ts`. */
import type * as Syntax from '../../syntax/page-text.js';

type Reader = (typeof Syntax)['pageText'];

export const isPageFile: (typeof Syntax)['isPageFile'] = (file) => /\.html?$/i.test(file);
export const pageText: Reader = (text, isLibrary) => {
  const { usherAnvilPages: read } = globalThis as { usherAnvilPages?: Reader };
  // Of a script nothing is read.
  if (text === '' || !read)
    return { code: '', isClassic: false, classic: [], outside: [], html: text, styles: [], frame: text, sheets: [] };
  return read(text, isLibrary);
};
