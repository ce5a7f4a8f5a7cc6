/** A page with what has changed since the one before marked. Both are read as documents: nothing in them runs. */
import { diffArrays } from 'diff';


/** @param before undefined where there was none */
export function markedPage(now: string, before: string | undefined): string {
  if (before === undefined || before === now) return now;
  const parser = new DOMParser();
  const document = parser.parseFromString(now, 'text/html');
  const nodes = textsIn(document);
  const old = textsIn(parser.parseFromString(before, 'text/html')).map(textOf);
  let at = 0;
  for (const { added, removed, count } of diffArrays(old, nodes.map(textOf))) {
    if (removed) continue;
    if (added) for (const node of nodes.slice(at, at + count)) mark(document, node);
    at += count;
  }
  return `<!doctype html>\n${document.documentElement.outerHTML}`;
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
