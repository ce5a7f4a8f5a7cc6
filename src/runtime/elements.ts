/** Elements of a document as the markup they stand for, read with what the document gave before any code of the person. */
import * as own from './originals.js';

type Getter = (this: unknown) => unknown;

interface Scope {
  Element?: (() => void) & { prototype: object };
  Node?: (() => void) & { prototype: object };
  CharacterData?: (() => void) & { prototype: object };
}

/** Types of nodes. */
const TEXT = 3;
const COMMENT = 8;
/** Characters of an attribute's value and of a text that are told, and attributes. */
const MOST_TEXT = 40;
const MOST_ATTRIBUTES = 4;
/** Parts of a text that stand beside each other. */
const MOST_TEXTS = 8;

/**
 * Makes what tells the markup of an element: its tag with attributes, and its text where that is all it holds.
 *
 * @param scope the global object of a document
 * @returns undefined for what is no element; there is nothing to make where the scope has no elements
 */
export function elementReader(scope: object): ((value: object) => string | undefined) | undefined {
  const { Element, Node, CharacterData } = scope as Scope;
  if (typeof Element !== 'function' || typeof Node !== 'function' || typeof CharacterData !== 'function')
    return undefined;
  const { prototype } = Element;
  const get = (of: object, name: string): Getter | undefined => own.getDescriptor(of, name)?.get as Getter | undefined;
  const localName = get(prototype, 'localName');
  const attributes = get(prototype, 'attributes');
  const firstChild = get(Node.prototype, 'firstChild');
  const nextSibling = get(Node.prototype, 'nextSibling');
  const data = get(CharacterData.prototype, 'data');
  const nodeType = get(Node.prototype, 'nodeType');
  if (!localName || !attributes || !firstChild || !nextSibling || !data || !nodeType) return undefined;
  const read = (getter: Getter, of: unknown): unknown => own.apply(getter as never, of as never, []);
  return (value) => {
    if (!isBelow(value, prototype)) return undefined;
    try {
      const tag = own.StringCopy(read(localName, value));
      let text = `<${tag}`;
      const list = read(attributes, value) as { length: number; [index: number]: { name: string; value: string } };
      for (let i = 0; i < list.length && i < MOST_ATTRIBUTES; i++)
        text += ` ${list[i]!.name}="${cut(own.StringCopy(list[i]!.value))}"`;
      if (list.length > MOST_ATTRIBUTES) text += ' …';
      const child = read(firstChild, value);
      if (child === null || child === undefined) return `${text}>`;
      let inner = '';
      for (let at: unknown = child, i = 0; at !== null && at !== undefined; at = read(nextSibling, at), i++) {
        const type = read(nodeType, at);
        if ((type !== TEXT && type !== COMMENT) || i >= MOST_TEXTS) return `${text}>…</${tag}>`;
        if (type === TEXT) inner += own.StringCopy(read(data, at));
      }
      return `${text}>${cut(inner)}</${tag}>`;
    } catch {
      return undefined;
    }
  };
}

function isBelow(value: object, prototype: object): boolean {
  let at = own.getPrototype(value) as object | null;
  for (let i = 0; at !== null && i < 30; i++) {
    if (at === prototype) return true;
    at = own.getPrototype(at) as object | null;
  }
  return false;
}

function cut(text: string): string {
  return text.length <= MOST_TEXT ? text : `${own.slice(text, 0, MOST_TEXT - 1)}…`;
}
