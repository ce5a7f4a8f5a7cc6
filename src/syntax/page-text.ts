/** A page as a program: its scripts as one module whose characters stand where they stand in the page. */
import { parse, type DefaultTreeAdapterTypes } from 'parse5';

export interface PageText {
  /** The scripts, everything else as blanks; line ends stay. */
  code: string;
  /** It has classic scripts of its own: what they declare is global. */
  isClassic: boolean;
  /** Local files that classic scripts name, as they are written: what they declare is global. */
  classic: string[];
  /** Scripts from elsewhere and libraries, in order: addresses. */
  outside: string[];
  /** The page without its scripts. */
  html: string;
  /** Texts of `<style>` elements, in order. */
  styles: string[];
  /** The page without scripts and without what stands in its `<style>` elements: as long as it is the same, only styles have changed. */
  frame: string;
  /** Addresses of style sheets, as they are written. */
  sheets: string[];
}

type Element = DefaultTreeAdapterTypes.Element;
type Node = DefaultTreeAdapterTypes.Node;

const SCRIPT_TYPES = /^(?:|module|text\/javascript|application\/javascript|text\/ecmascript)$/i;

/** True for a file that is a page. */
export function isPageFile(file: string): boolean {
  return /\.html?$/i.test(file);
}

/**
 * Reads a page. Never throws: HTML has no errors that end a parse.
 *
 * @param isLibrary a classic script of that address is nobody's code here: it is loaded as it stands
 */
export function pageText(text: string, isLibrary: (address: string) => boolean = () => false): PageText {
  const page: PageText = {
    code: '',
    isClassic: false,
    classic: [],
    outside: [],
    html: text,
    styles: [],
    frame: text,
    sheets: [],
  };
  const kept: { start: number; end: number; code: string }[] = [];
  const cut: { start: number; end: number }[] = [];
  const styled: { start: number; end: number }[] = [];
  each(parse(text, { sourceCodeLocationInfo: true }), (element) => {
    const place = element.sourceCodeLocation;
    if (!place) return;
    const { startOffset, endOffset, startTag, endTag } = place;
    const attribute = (name: string): string | undefined => element.attrs.find((one) => one.name === name)?.value;
    if (element.tagName === 'style') {
      const inner = { start: startTag?.endOffset ?? startOffset, end: endTag?.startOffset ?? endOffset };
      page.styles.push(text.slice(inner.start, inner.end));
      styled.push(inner);
    } else if (element.tagName === 'link' && /\bstylesheet\b/i.test(attribute('rel') ?? '')) {
      const href = attribute('href');
      if (href !== undefined) page.sheets.push(href);
    } else if (element.tagName === 'script' && SCRIPT_TYPES.test((attribute('type') ?? '').trim())) {
      const isModule = /^module$/i.test((attribute('type') ?? '').trim());
      cut.push({ start: startOffset, end: endOffset });
      const src = attribute('src');
      if (src === undefined) {
        const start = startTag?.endOffset ?? startOffset;
        const end = endTag?.startOffset ?? endOffset;
        // Where its end tag begins, a semicolon ends what it says last.
        kept.push({ start, end: endTag ? end + 1 : end, code: text.slice(start, end) + (endTag ? ';' : '') });
        if (!isModule) page.isClassic = true;
      } else if (/^(?:[a-z][a-z0-9+.-]*:)?\/\//i.test(src) || (!isModule && isLibrary(src))) page.outside.push(src);
      else {
        const path = src.startsWith('.') || src.startsWith('/') ? src : `./${src}`;
        // It stands where its tag does; there is room for it.
        kept.push({ start: startOffset, end: endOffset, code: `import ${JSON.stringify(path)};` });
        if (!isModule) page.classic.push(path);
      }
    }
  });
  page.code = blanked(text, kept);
  page.html = without(text, cut);
  page.frame = without(
    text,
    [...cut, ...styled].sort((a, b) => a.start - b.start),
  );
  return page;
}

function each(node: Node, visit: (element: Element) => void): void {
  if ('tagName' in node) visit(node);
  if ('content' in node) each(node.content, visit);
  if ('childNodes' in node) for (const child of node.childNodes) each(child, visit);
}

function blanked(text: string, kept: readonly { start: number; end: number; code: string }[]): string {
  let code = '';
  for (const one of kept) {
    code += blanks(text.slice(code.length, one.start));
    // What does not fit is left out: the tag around a name is always longer.
    code += one.code.slice(0, one.end - one.start);
    code += blanks(text.slice(code.length, one.end));
  }
  return code + blanks(text.slice(code.length));
}

function blanks(text: string): string {
  return text.replace(/[^\r\n\u2028\u2029]/g, ' ');
}

function without(text: string, ranges: readonly { start: number; end: number }[]): string {
  let kept = '';
  let at = 0;
  for (const { start, end } of ranges) {
    kept += text.slice(at, start);
    at = Math.max(at, end);
  }
  return kept + text.slice(at);
}
