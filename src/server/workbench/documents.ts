/** Files that are open in windows, with their unsaved text. */
import { randomBytes } from 'node:crypto';
import { readText } from '../../hosts/node/files.js';
import { asBefore, sameText, saveText } from '../../hosts/node/saving.js';
import { type Accepted, SharedText } from '../../sharing/shared-text.js';
import { AnvilError } from '../../syntax/problems.js';
import { digest, type Journal } from './journal.js';

export interface OpenDocument {
  path: string;
  /** The text that windows type in; all line ends are `\n`. */
  shared: SharedText;
  unsaved: boolean;
  /** Digest of the text on disk that the text began on. */
  base: string;
  /** The text on disk where it has changed under unsaved edits: the other side of a conflict. */
  other: string | undefined;
  /** Its text was kept from an earlier time, and nobody has touched it since. */
  restored: boolean;
}

/** What a change on disk means for a document. */
export type DiskChange = { is: 'nothing' | 'state' } | { is: 'taken'; accepted: Accepted[] };

export class Documents {
  /** Unsaved text is kept outside of windows; false while that fails. */
  keeps = true;
  /** Texts of modules that no window has open, as they were last seen. */
  readonly seen = new Map<string, string>();
  private readonly fresh = new Set<string>();
  private readonly open = new Map<string, OpenDocument>();

  constructor(private readonly journal: Journal) {}

  /** A file that is not there yet may be opened, and is made when it is saved. */
  begin(path: string): void {
    this.fresh.add(path);
  }

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
    const disk = this.fresh.has(path) ? (diskText(path) ?? '') : readText(path);
    const base = digest(disk);
    const kept = this.journal.recall(path);
    const unsaved = kept !== undefined && !sameText(kept.text, disk);
    const document: OpenDocument = {
      path,
      shared: new SharedText(unsaved ? kept.text : disk, randomBytes(9).toString('base64url'), kept?.clocks),
      unsaved,
      base,
      other: unsaved && kept.base !== base ? disk : undefined,
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
  keep({ path, shared, base }: OpenDocument): string | undefined {
    try {
      this.journal.keep(path, shared.text, base, shared.clocks);
      this.keeps = true;
      return undefined;
    } catch (error) {
      this.keeps = false;
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
    const { path, shared } = document;
    const disk = diskText(path);
    if (disk !== undefined && digest(disk) !== document.base && !sameText(disk, shared.text)) {
      document.other = disk;
      throw new AnvilError(
        'E_CONFLICT',
        `${name} was not saved: another program has written the file meanwhile. ` +
          'Say which text counts, the one here or the one on disk; both are kept until then.',
      );
    }
    const text = disk === undefined ? shared.text : asBefore(shared.text, disk);
    try {
      if (text !== disk) saveText(path, text);
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
    document.other = undefined;
  }

  /** The text on disk counts. @returns what that changes in the document's */
  take(document: OpenDocument, disk: string): Accepted[] {
    const accepted = document.shared.replace(disk);
    this.agree(document, disk);
    return accepted;
  }

  private agree(document: OpenDocument, disk: string): void {
    document.base = digest(disk);
    document.unsaved = false;
    document.other = undefined;
    document.restored = false;
    this.journal.drop(document.path);
  }

  /** The file of a document has changed. */
  changedOnDisk(document: OpenDocument): DiskChange {
    let disk: string;
    try {
      disk = readText(document.path);
    } catch {
      return { is: 'nothing' };
    }
    if (digest(disk) === document.base) return { is: 'nothing' };
    if (sameText(disk, document.shared.text)) {
      this.agree(document, disk);
      return { is: 'state' };
    }
    if (document.unsaved) {
      document.other = disk;
      return { is: 'state' };
    }
    return { is: 'taken', accepted: this.take(document, disk) };
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
