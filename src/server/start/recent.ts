/**
 * Pads that were run in a folder, the newest first, each with what came of it last. Format `usher-anvil/recent@1`, one
 * file per folder, readable by its owner only.
 */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { stateFile, writeState } from '../../hosts/node/state-folder.js';

const recentPad = z.object({
  /** Absolute path. */
  file: z.string(),
  /** When it ran last, in milliseconds since 1970. */
  at: z.number(),
  outcome: z.string().max(200),
  bad: z.boolean(),
});
const recent = z.object({ format: z.literal('usher-anvil/recent@1'), folder: z.string(), pads: z.array(recentPad) });

export type RecentPad = z.infer<typeof recentPad>;

const MOST = 30;
/** Milliseconds for which an outcome may be known here alone. */
const WRITE_MS = 1_000;

export class RecentPads {
  private pads: RecentPad[];
  private readonly path: string;
  private writing: ReturnType<typeof setTimeout> | undefined;

  /** @param state folder of what is remembered */
  constructor(
    state: string,
    private readonly folder: string,
  ) {
    this.path = stateFile(join(state, 'recent'), folder);
    this.pads = this.read();
  }

  /** The newest first. @param isKept a file that is not on disk is there all the same */
  list(isKept: (file: string) => boolean): RecentPad[] {
    return this.pads.filter(({ file }) => existsSync(file) || isKept(file));
  }

  /** A pad has run. */
  ran(file: string, outcome: string, bad: boolean): void {
    this.pads = [{ file, at: Date.now(), outcome, bad }, ...this.pads.filter((one) => one.file !== file)].slice(
      0,
      MOST,
    );
    this.writing ??= setTimeout(() => this.write(), WRITE_MS).unref();
  }

  moved(from: string, to: string): void {
    for (const one of this.pads) if (one.file === from) one.file = to;
    this.write();
  }

  write(): void {
    clearTimeout(this.writing);
    this.writing = undefined;
    const { folder, pads } = this;
    try {
      writeState(this.path, JSON.stringify({ format: 'usher-anvil/recent@1', folder, pads }));
    } catch {
      // What cannot be remembered is not offered next time.
    }
  }

  private read(): RecentPad[] {
    try {
      const found = recent.parse(JSON.parse(readFileSync(this.path, 'utf8')));
      return found.folder === this.folder ? found.pads : [];
    } catch {
      return [];
    }
  }
}
