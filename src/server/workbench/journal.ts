/**
 * Unsaved text, kept outside the project until it is saved: a reload of the
 * page, a crash of the server or a power cut bring it back. Format
 * `usher-anvil/unsaved@1`, one file per source file, readable by its owner only.
 */
import { createHash } from 'node:crypto';
import { closeSync, fsync, openSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { stateFile, stateFolder, writeState } from '../../hosts/node/state-folder.js';

const entry = z.object({
  format: z.literal('usher-anvil/unsaved@1'),
  file: z.string(),
  text: z.string(),
  /** Digest of the file's text that the edits began on. */
  base: z.string(),
  /** By window, the number of its last change that is in the text. */
  clocks: z.record(z.string(), z.int().nonnegative()).optional(),
});
type Entry = z.infer<typeof entry>;

/** Milliseconds after which kept text is flushed to the disk itself: a process may end at any time, power seldom does. */
const FLUSH_MS = 500;

export class Journal {
  private readonly flushing = new Set<string>();

  constructor(readonly folder: string = join(stateFolder(), 'unsaved')) {}

  /** Keeps the text; returns when it would outlive this process. @throws the platform's error where that fails */
  keep(file: string, text: string, base: string, clocks: Readonly<Record<string, number>> = {}): void {
    const path = stateFile(this.folder, file);
    writeState(path, JSON.stringify({ format: 'usher-anvil/unsaved@1', file, text, base, clocks } satisfies Entry));
    this.flushSoon(path);
  }

  recall(file: string): Pick<Entry, 'text' | 'base' | 'clocks'> | undefined {
    try {
      const found = entry.parse(JSON.parse(readFileSync(stateFile(this.folder, file), 'utf8')));
      return found.file === file ? found : undefined;
    } catch {
      return undefined;
    }
  }

  /** Files whose text is kept. */
  files(): string[] {
    let names: string[];
    try {
      names = readdirSync(this.folder);
    } catch {
      return [];
    }
    return names.flatMap((name) => {
      try {
        return [entry.parse(JSON.parse(readFileSync(join(this.folder, name), 'utf8'))).file];
      } catch {
        return [];
      }
    });
  }

  /** What cannot be taken away does no harm: text that is like the file's is not unsaved. */
  drop(file: string): void {
    try {
      rmSync(stateFile(this.folder, file), { force: true });
    } catch {
      // See above.
    }
  }

  private flushSoon(path: string): void {
    if (this.flushing.has(path)) return;
    this.flushing.add(path);
    setTimeout(() => {
      this.flushing.delete(path);
      try {
        const descriptor = openSync(path, 'r');
        fsync(descriptor, () => closeSync(descriptor));
      } catch {
        // Saved and dropped meanwhile.
      }
    }, FLUSH_MS).unref();
  }
}

/** Keeps nothing: an editor that holds the texts keeps them itself. */
export class NoJournal extends Journal {
  override keep(): void {}

  override recall(): undefined {
    return undefined;
  }

  override files(): string[] {
    return [];
  }

  override drop(): void {}
}

export function digest(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}
