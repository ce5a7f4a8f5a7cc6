/**
 * Texts under which the tool came to an unexpected end. One that ended it twice is opened without running: otherwise
 * it would do so at each start. Format `usher-anvil/start@1`, one file per pad, for as long as it runs.
 */
import { readFileSync, rmSync } from 'node:fs';
import { z } from 'zod';
import { isAlive } from '../../hosts/node/alive.js';
import { stateFile, writeState } from '../../hosts/node/state-folder.js';
import { digest } from './journal.js';

const start = z.object({
  format: z.literal('usher-anvil/start@1'),
  file: z.string(),
  /** Of the tool that runs it. */
  pid: z.int(),
  /** Digest of the text with which it was opened, and how often that text was there after an unexpected end. */
  text: z.string(),
  ends: z.int().nonnegative(),
});
type Start = z.infer<typeof start>;

/** Unexpected ends after which a text is not run by itself any more. */
const MOST_ENDS = 2;

export class Starts {
  private readonly running = new Map<string, Start>();
  private readonly held = new Set<string>();
  private readonly marked = new Set<string>();

  constructor(private readonly folder: string) {}

  /** A pad is opened with a text. @returns true where it is not to be run by itself */
  open(file: string, text: string): boolean {
    if (this.running.has(file)) return this.held.has(file);
    const before = this.recall(file);
    const opened = digest(text);
    let ends = 0;
    if (before && !isAlive(before.pid)) ends = before.text === opened ? before.ends + 1 : 1;
    this.running.set(file, { format: 'usher-anvil/start@1', file, pid: process.pid, text: opened, ends });
    if (ends >= MOST_ENDS) this.held.add(file);
    return this.held.has(file);
  }

  /** It waits for a person to run it. */
  isHeld(file: string): boolean {
    return this.held.has(file);
  }

  /** It is about to run. */
  run(file: string): void {
    this.held.delete(file);
    const begun = this.running.get(file);
    if (!begun || this.marked.has(file)) return;
    this.marked.add(file);
    try {
      writeState(stateFile(this.folder, file), JSON.stringify(begun));
    } catch {
      // What cannot be remembered starts as ever.
    }
  }

  /** It does not run any more, and the tool is still there. */
  end(file: string): void {
    // One that was held, and nobody ran, stays held.
    if (!this.running.delete(file) || this.held.has(file)) return;
    this.marked.delete(file);
    try {
      rmSync(stateFile(this.folder, file), { force: true });
    } catch {
      // See above.
    }
  }

  /** The tool ends as it should. */
  close(): void {
    for (const file of [...this.running.keys()]) this.end(file);
  }

  private recall(file: string): Start | undefined {
    try {
      const found = start.parse(JSON.parse(readFileSync(stateFile(this.folder, file), 'utf8')));
      return found.file === file ? found : undefined;
    } catch {
      return undefined;
    }
  }
}
