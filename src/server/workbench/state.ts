/** What the workbench knows: the folder, open files, the pad or program, and the windows that look at it. */
import { join } from 'node:path';
import type { LiveSession } from '../../session/live/session.js';
import { AnvilError } from '../../syntax/problems.js';
import type { ToWindow } from '../protocol.js';
import { Documents } from './documents.js';
import { Folder } from './folder.js';
import { type FileHabits, Habits } from './habits.js';
import { Journal, NoJournal } from './journal.js';
import { ChangeList } from './presenters/changes.js';
import { isPageFile } from '../../syntax/page-text.js';
import type { SavedFiles } from '../../hosts/node/saved-files.js';
import type { ShownPage } from './shown-page.js';
import { Starts } from './starts.js';
import type { LiveAbilities, PadAbilities, Subject } from './subject.js';
import type { TypeChecks } from './types.js';
import type { Viewer } from './viewer.js';

/** A program that runs already, to be looked at and changed. */
export interface LiveProgram {
  session: LiveSession;
  describe(): { name: string; pid: number; since: string; site?: string };
}

const pages = new WeakMap<Workbench, ShownPage>();

export class Workbench {
  readonly folder: Folder;
  readonly documents: Documents;
  readonly habits: Habits;
  readonly starts: Starts;
  readonly viewers = new Set<Viewer>();
  readonly changes = new ChangeList();
  sources!: SavedFiles;
  types!: TypeChecks;
  /** The pad, or the program that runs. */
  subject: Subject | undefined;
  /** What a pad starts goes on when its run ends; windows begin with the start page; an editor holds the texts. */
  readonly options = { keepStarted: false, start: false, textsElsewhere: false };
  /** What packages cost, as it was asked for. */
  sizes: readonly { file: string; line: number; text: string }[] = [];

  constructor(
    root: string,
    state: string,
    readonly program: LiveProgram | undefined,
    { ownPads = false, textsElsewhere = false }: { ownPads?: boolean; textsElsewhere?: boolean } = {},
  ) {
    this.folder = new Folder(root, state);
    const journal = (name: string): Journal => (textsElsewhere ? new NoJournal('') : new Journal(join(state, name)));
    this.documents = new Documents(journal('unsaved'), journal('deleted'));
    this.options.textsElsewhere = textsElsewhere;
    this.starts = new Starts(join(state, 'starts'));
    this.habits = new Habits(join(state, 'habits'), ownPads);
  }

  /** What a page pad is shown in; undefined for what runs in Node. */
  get page(): ShownPage | undefined {
    return pages.get(this);
  }

  set page(page: ShownPage | undefined) {
    if (page) pages.set(this, page);
    else pages.delete(this);
  }

  /** What only a pad can do; undefined for a program that runs on. */
  get pad(): PadAbilities | undefined {
    return this.subject?.pad;
  }

  /** What only a program that runs on can do; undefined for a pad. */
  get live(): LiveAbilities | undefined {
    return this.subject?.live;
  }

  /** When the pad executes by itself; one that is held waits for a person. */
  get when(): FileHabits['when'] {
    const file = this.subject?.file;
    if (file === undefined) return 'command';
    return this.starts.isHeld(file) ? 'command' : this.habits.of(file).when;
  }

  nameOf(path: string): string {
    return this.folder.nameOf(path);
  }

  /**
   * The path of a file that a window may open.
   *
   * @throws AnvilError `E_NOT_FOUND`
   */
  pathOf(name: string): string {
    return this.folder.pathOf(
      name,
      (path) => this.documents.isBegun(path) || this.subject?.files.includes(path) === true,
    );
  }

  /** Names of all files that may be opened, those without a file first. */
  fileNames(): string[] {
    const { program, subject, folder, documents } = this;
    if (program && subject) return subject.files.map((file) => this.nameOf(file));
    const untitled = documents.untitledIn(folder.root).map((file) => this.nameOf(file));
    return [...new Set([...untitled, ...folder.pads()])];
  }

  /** Names of files of the project that a live program has not loaded; undefined for a pad. */
  idleFiles(): string[] | undefined {
    const { program, folder } = this;
    if (!program) return undefined;
    const loaded = new Set(this.fileNames());
    // A page of HTML is no module: what it has of its own, the program never tells.
    return folder.sources().filter((name) => !loaded.has(name) && !isPageFile(name));
  }

  /** As {@link pathOf}; undefined for one that cannot be opened. */
  findPath(name: string): string | undefined {
    try {
      return this.pathOf(name);
    } catch {
      return undefined;
    }
  }

  tellAllWindows(message: ToWindow): void {
    for (const { window } of this.viewers) window.send(message);
  }

  /** Runs something that may refuse, and tells all windows why. */
  guarded(action: () => void): void {
    try {
      action();
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      this.tellAllWindows({ type: 'problem', code: error.code, message: error.message });
    }
  }

  /** Watches the files that take part on disk, and the data that `input` reads. */
  watchSources(): void {
    const data = this.pad?.data?.file;
    this.sources.add([...(this.subject?.files ?? []), ...(data === undefined ? [] : [data])]);
  }
}
