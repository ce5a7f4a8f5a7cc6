/** Drafts in the browser's own storage: what was typed in a window and the server does not have. */
import { createStore, del, entries, set } from 'idb-keyval';
import type { Draft } from '../sharing/joined-text.js';

const FORMAT = 'usher-anvil/draft@1';

interface Stored extends Draft {
  format: typeof FORMAT;
  folder: string;
  file: string;
  /** When it was kept, in milliseconds since 1970. */
  at: number;
}

export interface KeptDraft extends Draft {
  key: string;
  at: number;
}

/** Name of the lock that a window holds for as long as it lives: its drafts are its own until then. */
function lockOf(client: string): string {
  return `usher-anvil window ${client}`;
}

export class Drafts {
  folder = '';
  readonly client = newClient();
  private readonly store = createStore('usher-anvil', 'drafts');
  /** Writes follow each other, so that what is dropped last is gone. */
  private last: Promise<unknown> = Promise.resolve();
  private readonly kept = new Set<string>();

  constructor() {
    void navigator.locks?.request(lockOf(this.client), () => new Promise(() => undefined));
  }

  /** Keeps a draft of a file, in place of the one before. */
  put(file: string, draft: Draft): Promise<unknown> {
    const stored: Stored = { format: FORMAT, folder: this.folder, file, at: Date.now(), ...draft };
    const key = this.keyOf(file);
    this.kept.add(key);
    return this.next(() => set(key, stored, this.store));
  }

  /** The server has what was typed in a file. */
  async drop(file: string): Promise<void> {
    const key = this.keyOf(file);
    if (this.kept.delete(key)) await this.remove(key);
  }

  remove(key: string): Promise<unknown> {
    return this.next(() => del(key, this.store));
  }

  /** Drafts of a file that windows have left which are gone, the oldest first. */
  async left(file: string): Promise<KeptDraft[]> {
    try {
      const held = new Set((await navigator.locks?.query())?.held?.map((lock) => lock.name));
      const all = await entries<string, Stored>(this.store);
      return all
        .filter(([, one]) => one.format === FORMAT && one.folder === this.folder && one.file === file)
        .filter(([, { client }]) => client !== this.client && !held.has(lockOf(client)))
        .map(([key, { client, base, first, changes, alive, at }]) => ({
          ...{ key, client, base, first, changes, at },
          ...(alive ? { alive } : {}),
        }))
        .sort((a, b) => a.at - b.at);
    } catch {
      // A browser that stores nothing has nothing left.
      return [];
    }
  }

  private keyOf(file: string): string {
    return `${this.client} ${this.folder} ${file}`;
  }

  private next(write: () => Promise<void>): Promise<unknown> {
    this.last = this.last.then(write).catch(() => undefined);
    return this.last;
  }
}

function newClient(): string {
  return [...crypto.getRandomValues(new Uint8Array(12))].map((byte) => byte.toString(16).padStart(2, '0')).join('');
}
