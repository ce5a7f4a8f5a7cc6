/**
 * Files that people save, told once each text has settled. Watchers swallow a second change soon after a first, and
 * editors may empty a file before they write it, or take it away and put another in its place: each is looked at again.
 */
import { createHash } from 'node:crypto';
import { readFileSync, statSync } from 'node:fs';
import { watch, type FSWatcher } from 'chokidar';

/** Milliseconds in which several saved files are told of as one change. */
const TOGETHER_MS = 8;
/** Milliseconds after which a file that was saved is looked at again: chokidar passes over changes within 50. */
const AGAIN_MS = [80, 400];
/** For how long a file is empty, or gone, that is meant to be. */
const SETTLED_MS = 250;
/** A watcher that was given a file has begun to watch it by then: changes until then are looked for. */
const BEGUN_MS = [150, 600];
/** An editor that replaces a file has put the new one there by then. */
const REPLACED_MS = 50;

/** Told of files that may have changed, tells of those that were written since the last time. */
export class Saves {
  private readonly waiting = new Set<string>();
  /** Digest of the content that was told of, and when it was written, by file; `'none'` for a file that is gone. */
  private readonly told = new Map<string, string>();
  /** Since when a file is empty or gone. */
  private readonly without = new Map<string, number>();
  private timer: NodeJS.Timeout | undefined;
  private readonly again = new Set<NodeJS.Timeout>();

  /** @param saved called with the files that were written, also with what stood there before, or that are gone for good */
  constructor(private readonly saved: (files: string[]) => void) {}

  /** A file may have changed. */
  notice(file: string): void {
    this.waiting.add(file);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      const files = [...this.waiting];
      this.waiting.clear();
      this.look(files);
      for (const ms of AGAIN_MS) {
        const timer = setTimeout(() => {
          this.again.delete(timer);
          this.look(files);
        }, ms);
        timer.unref();
        this.again.add(timer);
      }
    }, TOGETHER_MS);
  }

  close(): void {
    clearTimeout(this.timer);
    for (const timer of this.again) clearTimeout(timer);
    this.again.clear();
  }

  private look(files: readonly string[]): void {
    const changed = files.filter((file) => this.isNew(file));
    if (changed.length > 0) this.saved(changed);
  }

  private isNew(file: string): boolean {
    let content: Buffer | undefined;
    let writtenAt = 0;
    try {
      content = readFileSync(file);
      writtenAt = statSync(file).mtimeMs;
    } catch {
      // Gone, or about to come back.
    }
    if (content && content.length > 0) this.without.delete(file);
    else {
      const since = this.without.get(file);
      if (since === undefined) this.without.set(file, Date.now());
      if (since === undefined || Date.now() - since < SETTLED_MS) return false;
    }
    const found = content ? `${createHash('sha1').update(content).digest('hex')} ${writtenAt}` : 'none';
    if (this.told.get(file) === found) return false;
    this.told.set(file, found);
    return true;
  }
}

/** Watches files on disk. */
export class SavedFiles {
  private readonly watcher: FSWatcher = watch([], { ignoreInitial: true });
  private readonly paths = new Set<string>();
  private readonly saves: Saves;
  private closed = false;

  /** @param saved see {@link Saves} */
  constructor(saved: (files: string[]) => void) {
    this.saves = new Saves(saved);
    this.watcher.on('all', (event, path) => {
      if (event === 'unlink') this.lookForReplacement(path);
      this.saves.notice(path);
    });
  }

  /** Watches further files. */
  add(paths: readonly string[]): void {
    for (const path of paths) {
      if (this.paths.has(path) || this.closed) continue;
      this.paths.add(path);
      this.watcher.add(path);
      const before = writtenAt(path);
      for (const ms of BEGUN_MS)
        setTimeout(() => {
          if (!this.closed && writtenAt(path) !== before) this.saves.notice(path);
        }, ms).unref();
    }
  }

  /** Replaced by an editor, or gone: what comes in its place is watched. */
  private lookForReplacement(path: string): void {
    this.paths.delete(path);
    this.watcher.unwatch(path);
    setTimeout(() => this.add([path]), REPLACED_MS).unref();
  }

  close(): Promise<void> {
    this.closed = true;
    this.saves.close();
    return this.watcher.close();
  }
}

function writtenAt(path: string): number | undefined {
  return statSync(path, { throwIfNoEntry: false })?.mtimeMs;
}
