/** A page with what has changed since the one before marked. Both are read as documents: nothing in them runs. */
import { diffArrays } from 'diff';

/** @param before undefined where there was none */
export function markedPage(now: string, before: string | undefined): string {
  if (before === undefined || before === now) return now;
  const parser = new DOMParser();
  const document = parser.parseFromString(withoutStyles(now), 'text/html');
  const nodes = textsIn(document);
  const old = textsIn(parser.parseFromString(withoutStyles(before), 'text/html')).map(textOf);
  let at = 0;
  for (const { added, removed, count } of diffArrays(old, nodes.map(textOf))) {
    if (removed) continue;
    if (added) for (const node of nodes.slice(at, at + count)) mark(document, node);
    at += count;
  }
  return withStyles(`<!doctype html>\n${document.documentElement.outerHTML}`);
}

const STYLE = 'data-was-style';

/** Our own page may apply no styles but its own, and a document that is only read would have to be one that may. */
function withoutStyles(text: string): string {
  return text
    .replace(/<style\b/gi, `<script ${STYLE}`)
    .replace(/<\/style\s*>/gi, '</script>')
    .replace(/(<[a-z][^<>]*?\s)style(\s*=)/gi, `$1${STYLE}$2`);
}

function withStyles(text: string): string {
  return text
    .replace(new RegExp(`<script ${STYLE}(?:="")?([^<>]*)>([^]*?)</script>`, 'g'), '<style$1>$2</style>')
    .replace(new RegExp(`(<[a-z][^<>]*?\\s)${STYLE}=`, 'gi'), '$1style=');
}

function textOf(node: Text): string {
  return node.data.trim();
}

function textsIn(document: Document): Text[] {
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  const found: Text[] = [];
  while (walker.nextNode()) {
    const node = walker.currentNode as Text;
    if (textOf(node) !== '' && !/^(?:SCRIPT|STYLE|TEMPLATE)$/.test(node.parentElement?.tagName ?? '')) found.push(node);
  }
  return found;
}

function mark(document: Document, node: Text): void {
  const element = document.createElement('mark');
  node.replaceWith(element);
  element.append(node);
}
