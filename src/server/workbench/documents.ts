/** Files that are open in windows, with their unsaved text. */
import { randomBytes } from 'node:crypto';
import { existsSync } from 'node:fs';
import { join, sep } from 'node:path';
import { readText } from '../../hosts/node/files.js';
import { saveText } from '../../hosts/node/saving.js';
import { asBefore, sameText } from '../../syntax/line-ends.js';
import { type Accepted, SharedText } from '../../sharing/shared-text.js';
import { EXTENSIONS } from '../../syntax/parse.js';
import { AnvilError } from '../../syntax/problems.js';
import { digest, type Journal } from './journal.js';

/** Paths that this gives to texts without a name. */
const UNTITLED = /[\\/]untitled-\d+\.\w+$/;

export const hasUntitledName = (path: string): boolean => UNTITLED.test(path);

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
  /** Files that are not there yet, with the text they begin with. */
  private readonly fresh = new Map<string, string>();
  private readonly nameless = new Set<string>();
  private readonly open = new Map<string, OpenDocument>();

  /** What was deleted last, and can be put back. */
  lastDeleted: string | undefined;

  /** @param deleted texts of files that were deleted */
  constructor(
    private readonly journal: Journal,
    readonly deleted: Journal,
  ) {}

  /** A file that is not there yet may be opened, and is made when it is saved. */
  begin(path: string, text = ''): void {
    this.fresh.set(path, text);
  }

  /**
   * The same without a name: it stands for itself until a person gives it one.
   *
   * @returns a path in the folder at which nothing is, and nothing is kept
   */
  beginUntitled(folder: string, extension: string, text: string): string {
    for (let number = 1; ; number++) {
      const path = join(folder, `untitled-${number}${extension}`);
      // One of the same number in another language would be taken for the same.
      const isTaken = EXTENSIONS.some((other) => {
        const beside = join(folder, `untitled-${number}${other}`);
        return this.open.has(beside) || existsSync(beside) || this.journal.recall(beside) !== undefined;
      });
      if (isTaken) continue;
      this.begin(path, text);
      this.nameless.add(path);
      return path;
    }
  }

  /** It has no file, and its name is not a person's. */
  isUntitled(path: string): boolean {
    return this.nameless.has(path) || (hasUntitledName(path) && !existsSync(path) && this.isKept(path));
  }

  /** Text of it is here that no file has. */
  isKept(path: string): boolean {
    const open = this.open.get(path);
    return open ? open.unsaved && open.shared.text !== '' : (this.journal.recall(path)?.text ?? '') !== '';
  }

  /** It can be opened though no file of it is there. */
  isBegun(path: string): boolean {
    return this.open.has(path) || this.fresh.has(path) || this.isKept(path);
  }

  /** Untitled texts below a folder that were kept, and not saved. */
  untitledIn(folder: string): string[] {
    const open = [...this.nameless].filter((path) => this.isKept(path));
    const kept = this.journal.files().filter((path) => path.startsWith(folder + sep) && this.isUntitled(path));
    return [...new Set([...open, ...kept])];
  }

  /** A text has another path from now on. */
  move(document: OpenDocument, to: string): void {
    const { path } = document;
    this.open.delete(path);
    this.nameless.delete(path);
    this.fresh.delete(path);
    document.path = to;
    this.open.set(to, document);
    if (document.unsaved) this.keep(document);
    this.journal.drop(path);
  }

  /** A text is not open any more, and nothing of it is kept. */
  forget(path: string): void {
    this.open.delete(path);
    this.nameless.delete(path);
    this.fresh.delete(path);
    this.journal.drop(path);
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
    const kept = this.journal.recall(path);
    const first = this.fresh.get(path) ?? (kept ? '' : undefined);
    const disk = first === undefined ? readText(path) : diskText(path);
    const base = digest(disk ?? '');
    const begun = disk ?? first ?? '';
    const unsaved = kept === undefined ? disk === undefined && begun !== '' : !sameText(kept.text, disk ?? '');
    const document: OpenDocument = {
      path,
      shared: new SharedText(kept && unsaved ? kept.text : begun, randomBytes(9).toString('base64url'), kept?.clocks),
      unsaved,
      base,
      other: kept && unsaved && kept.base !== base ? disk : undefined,
      restored: kept !== undefined && unsaved,
    };
    this.open.set(path, document);
    return { document, isNew: true };
  }

  /** A text that an editor has open. @returns its document, and whether its text is another than it was */
  hold(path: string, text: string): { document: OpenDocument; isNew: boolean; changed: boolean } {
    const known = this.open.get(path);
    if (known) return { document: known, isNew: false, changed: known.shared.replace(text).length > 0 };
    const shared = new SharedText(text, randomBytes(9).toString('base64url'));
    const document: OpenDocument = { path, shared, unsaved: true, base: '', other: undefined, restored: false };
    this.open.set(path, document);
    return { document, isNew: true, changed: true };
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
