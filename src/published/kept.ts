/**
 * What a reader has typed into a published pad outlives the page, where the browser keeps anything for it: unsaved texts
 * and saved ones, under a digest of what the page came with. Nothing of it goes anywhere else.
 */
import { z } from 'zod';
import { digest } from '../server/workbench/journal.js';
import type { Published } from './format.js';
import { memory } from './memory.js';

const kept = z.record(z.string().startsWith('/'), z.string());

/** Milliseconds after a change. */
const SOON_MS = 200;
/** Characters that are kept for one page. */
const MOST = 1_000_000;

/**
 * Brings back what was kept, and keeps what is written from now on.
 *
 * @param unsaved folder of unsaved texts
 * @param came what the page, or its address, came with
 * @returns true where something was brought back
 */
export function keepTexts(came: Published, unsaved: string): boolean {
  const key = `usher-anvil/kept@1/${digest(JSON.stringify([came.pad, came.files])).slice(0, 32)}`;
  const before = read(key);
  for (const [path, text] of Object.entries(before)) memory.write(path, text);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const write = (): void => {
    clearTimeout(timer);
    timer = undefined;
    const texts = memory.names().flatMap((path) => {
      const text = memory.text(path)!;
      return path.startsWith(`${unsaved}/`) || (path in came.files && text !== came.files[path]) ? [[path, text]] : [];
    });
    store(key, texts.length === 0 ? undefined : JSON.stringify(Object.fromEntries(texts)));
  };
  memory.onWrite = (path) => {
    if (path.startsWith(`${unsaved}/`) || path in came.files) timer ??= setTimeout(write, SOON_MS);
  };
  // A page that is closed in the meantime.
  addEventListener('pagehide', () => {
    if (timer !== undefined) write();
  });
  return Object.keys(before).length > 0;
}

function read(key: string): Record<string, string> {
  try {
    return kept.parse(JSON.parse(localStorage.getItem(key) ?? '{}'));
  } catch {
    // The browser keeps nothing for this page, or what it kept is none of ours.
    return {};
  }
}

function store(key: string, text: string | undefined): void {
  try {
    if (text === undefined || text.length > MOST) localStorage.removeItem(key);
    else localStorage.setItem(key, text);
  } catch {
    // See above.
  }
}
