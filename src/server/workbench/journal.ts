/**
 * Unsaved text, kept outside the project until it is saved: a reload of the
 * page, a crash of the server or a power cut bring it back. Format
 * `usher-anvil/unsaved@1`, one file per source file, readable by its owner only.
 */
import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { z } from 'zod';

const entry = z.object({
  format: z.literal('usher-anvil/unsaved@1'),
  file: z.string(),
  text: z.string(),
  /** Digest of the file's text that the edits began on. */ base: z.string(),
});

export class Journal {
  constructor(readonly folder: string = defaultFolder()) {}

  /** Keeps the text; returns when it is on disk. */
  keep(file: string, text: string, base: string): void {
    mkdirSync(this.folder, { recursive: true, mode: 0o700 });
    const path = this.pathOf(file);
    // Written beside and renamed, so that a crash leaves the old or the new text, never half of one.
    const part = `${path}.${process.pid}.part`;
    writeFileSync(
      part,
      JSON.stringify({ format: 'usher-anvil/unsaved@1', file, text, base } satisfies z.infer<typeof entry>),
      { mode: 0o600 },
    );
    renameSync(part, path);
  }

  recall(file: string): { text: string; base: string } | undefined {
    try {
      const found = entry.parse(JSON.parse(readFileSync(this.pathOf(file), 'utf8')));
      return found.file === file ? { text: found.text, base: found.base } : undefined;
    } catch {
      return undefined;
    }
  }

  /** What cannot be taken away does no harm: text that is like the file's is not unsaved. */
  drop(file: string): void {
    try {
      rmSync(this.pathOf(file), { force: true });
    } catch {
      // See above.
    }
  }

  private pathOf(file: string): string {
    return join(this.folder, `${digest(file).slice(0, 32)}.json`);
  }
}

export function digest(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}

function defaultFolder(): string {
  const base = process.env.XDG_STATE_HOME ?? join(homedir(), '.local', 'state');
  return join(base, 'usher-anvil', 'unsaved');
}
