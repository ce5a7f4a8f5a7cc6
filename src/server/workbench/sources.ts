/** Watches source files on disk. */
import { watch, type FSWatcher } from 'chokidar';

/** The watcher swallows a second change within 50 ms: it is looked again when that time is over. */
const AGAIN_MS = 80;
/** An editor that replaces a file has put the new one there by then. */
const REPLACED_MS = 100;

export class SourceWatch {
  private readonly watcher: FSWatcher;
  private readonly paths = new Set<string>();

  /** @param onChange `settled` is false while a file may still be being written */
  constructor(onChange: (path: string, settled: boolean) => void) {
    this.watcher = watch([], { ignoreInitial: true });
    this.watcher.on('all', (event, path) => {
      if (event === 'unlink') this.lookForReplacement(path);
      onChange(path, false);
      setTimeout(() => onChange(path, true), AGAIN_MS).unref();
    });
  }

  /** Watches further files. */
  add(paths: readonly string[]): void {
    for (const path of paths) {
      if (this.paths.has(path)) continue;
      this.paths.add(path);
      this.watcher.add(path);
    }
  }

  /** Replaced by an editor, or gone: what is open stays open. */
  private lookForReplacement(path: string): void {
    this.paths.delete(path);
    this.watcher.unwatch(path);
    setTimeout(() => this.add([path]), REPLACED_MS);
  }

  close(): Promise<void> {
    return this.watcher.close();
  }
}
