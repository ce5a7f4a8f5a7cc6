/** Files that are open in windows, with their unsaved text. */
import { readText } from '../../hosts/node/files.js';
import { asBefore, sameText, saveText } from '../../hosts/node/saving.js';
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
    const unsaved = kept !== undefined && !sameText(kept.text, disk);
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

  /**
   * Keeps the text of a document until it is saved; returns when it is on disk.
   *
   * @returns why it could not be kept, in the platform's words
   */
  keep({ path, text, base }: OpenDocument): string | undefined {
    try {
      this.journal.keep(path, text, base);
      return undefined;
    } catch (error) {
      return (error as Error).message;
    }
  }

  /**
   * Saves the text of a document, with line ends and mark as the file has them.
   *
   * @throws AnvilError `E_WRITE` when it cannot be written, `E_CONFLICT` when another program wrote the file meanwhile
   * and nobody has said which text counts; the text is kept
   */
  save(document: OpenDocument, name: string): void {
    const disk = diskText(document.path);
    if (disk !== undefined && digest(disk) !== document.base && !sameText(disk, document.text)) {
      document.conflict = true;
      throw new AnvilError(
        'E_CONFLICT',
        `${name} was not saved: another program has written the file meanwhile. ` +
          'Say which text counts, the one here or the one on disk; both are kept until then.',
      );
    }
    const text = disk === undefined ? document.text : asBefore(document.text, disk);
    try {
      if (text !== disk) saveText(document.path, text);
    } catch (cause) {
      const why = (cause as Error).message;
      const message = `${name} was not saved: ${why}. Its text is kept; save again when the cause is gone.`;
      throw new AnvilError('E_WRITE', message, { cause });
    }
    this.agree(document, text);
  }

  /** The text in windows counts, and not the one on disk. */
  settleMine(document: OpenDocument): void {
    const disk = diskText(document.path);
    if (disk !== undefined) document.base = digest(disk);
    document.conflict = false;
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
    if (sameText(disk, document.text)) {
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

/**
 * The text of a file, or undefined where there is none.
 *
 * @throws AnvilError when what stands there cannot be read as text: it is not saved over
 */
function diskText(path: string): string | undefined {
  try {
    return readText(path);
  } catch (error) {
    if ((error as AnvilError).code === 'E_NOT_FOUND') return undefined;
    throw error;
  }
}
