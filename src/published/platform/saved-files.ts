/** Nobody else writes to files in memory. */
export class SavedFiles {
  add(): void {
    // There is nothing to watch.
  }

  close(): Promise<void> {
    return Promise.resolve();
  }
}
