/** Files that are open in windows, with their unsaved text. */
import { writeFileSync } from 'node:fs';
import { readText } from '../../hosts/node/files.js';
import { AnvilError } from '../../syntax/problems.js';
import { digest, type Journal } from './journal.js';

export interface OpenDocument {
  path: string;
  text: string;
  version: number;
  unsaved: boolean;
  /** Digest of the text on disk that `text` began on. */
  base: string;
  /** The file on disk has changed under unsaved edits. */
  conflict: boolean;
  /** Its text was kept from an earlier time, and nobody has touched it since. */
  restored: boolean;
}

/** What a change on disk means for a document. */
export type DiskChange = 'nothing' | 'state' | 'taken';

export class Documents {
  private readonly open = new Map<string, OpenDocument>();

  constructor(private readonly journal: Journal) {}

  get(path: string): OpenDocument | undefined {
    return this.open.get(path);
  }

  get all(): Iterable<OpenDocument> {
    return this.open.values();
  }

  /**
   * Opens a file; unsaved text that was kept comes back.
   *
   * @throws AnvilError when the file cannot be read as text
   */
  read(path: string): { document: OpenDocument; isNew: boolean } {
    const known = this.open.get(path);
    if (known) return { document: known, isNew: false };
    const disk = readText(path);
    const base = digest(disk);
    const kept = this.journal.recall(path);
    const unsaved = kept !== undefined && kept.text !== disk;
    const document: OpenDocument = {
      path,
      text: unsaved ? kept.text : disk,
      version: 0,
      unsaved,
      base,
      conflict: unsaved && kept.base !== base,
      restored: unsaved,
    };
    this.open.set(path, document);
    return { document, isNew: true };
  }

  /** Keeps the text of a document until it is saved; returns when it is on disk. */
  keep({ path, text, base }: OpenDocument): void {
    this.journal.keep(path, text, base);
  }

  /** @throws AnvilError `E_WRITE` when it cannot be written; its text is kept */
  save(document: OpenDocument, name: string): void {
    try {
      writeFileSync(document.path, document.text);
    } catch (cause) {
      const why = (cause as Error).message;
      const message = `${name} was not saved: ${why}. Its text is kept; save again when the cause is gone.`;
      throw new AnvilError('E_WRITE', message, { cause });
    }
    this.agree(document, document.text);
  }

  /** The text in windows counts, and not the one on disk. */
  settleMine(document: OpenDocument): void {
    document.base = digest(readText(document.path));
    document.conflict = false;
    this.keep(document);
  }

  /** The text on disk counts. */
  take(document: OpenDocument, disk: string): void {
    document.text = disk;
    document.version++;
    this.agree(document, disk);
  }

  private agree(document: OpenDocument, disk: string): void {
    document.base = digest(disk);
    document.unsaved = false;
    document.conflict = false;
    this.journal.drop(document.path);
  }

  /** The file of a document has changed. */
  changedOnDisk(document: OpenDocument): DiskChange {
    let disk: string;
    try {
      disk = readText(document.path);
    } catch {
      return 'nothing';
    }
    if (digest(disk) === document.base) return 'nothing';
    if (disk === document.text) {
      this.agree(document, disk);
      return 'state';
    }
    if (document.unsaved) {
      document.conflict = true;
      return 'state';
    }
    this.take(document, disk);
    return 'taken';
  }
}
