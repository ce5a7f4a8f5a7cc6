/** The window that stands in a thread for one run after the other. */
import type { Loose } from './parts.js';

interface Nodes {
  firstChild: unknown;
  removeChild(child: unknown): void;
  attributes: ArrayLike<{ name: string }>;
  removeAttribute(name: string): void;
}

interface Document {
  head: Nodes | null;
  body: Nodes | null;
  documentElement: Nodes | null;
  cookie: string;
}

/** Gives what empties the window that is around now: its document, what it stores, and its address. */
export function emptier(): () => void {
  const window = globalThis as Loose;
  const { href } = window.location as { href: string };
  return () => {
    const { document, localStorage, sessionStorage, history } = window as {
      document?: Document;
      localStorage?: { clear(): void };
      sessionStorage?: { clear(): void };
      history?: { replaceState(state: null, unused: string, href: string): void };
    };
    if (!document) return;
    for (const part of [document.head, document.body]) while (part?.firstChild) part.removeChild(part.firstChild);
    for (const part of [document.documentElement, document.head, document.body])
      for (const { name } of part ? Array.from(part.attributes) : []) part!.removeAttribute(name);
    for (const cookie of document.cookie.split('; '))
      if (cookie !== '') document.cookie = `${cookie.split('=')[0]}=; expires=Thu, 01 Jan 1970 00:00:00 GMT`;
    for (const storage of [localStorage, sessionStorage]) {
      try {
        storage?.clear();
      } catch {
        // Documents without an origin have none.
      }
    }
    try {
      history?.replaceState(null, '', href);
    } catch {
      // Addresses like `about:blank` cannot be set.
    }
  };
}
