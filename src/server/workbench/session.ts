/** The workbench's session on the server: windows join it, and it ends with the server. */
import { existsSync, realpathSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { problemOf } from '../problem.js';
import type { FindSite } from '../page-sites.js';
import type { ToServer } from '../protocol.js';
import { receive } from './handlers.js';
import { joinProgram } from './live-actions.js';
import { askBeforeAdditions } from '../../hosts/node/project/additions.js';
import { SavedFiles } from '../../hosts/node/saved-files.js';
import { stateFolder } from '../../hosts/node/state-folder.js';
import { Workbench, type LiveProgram } from './state.js';
import { siteOf } from './pages.js';
import { beginPad, diskChanged, openDocument } from './texts.js';
import { type At, callingPad, recordedArguments } from './trying.js';
import { keepLastPageNow } from './last-pages.js';
import { lookAtFiles } from './seen-files.js';
import { tellAll } from './telling.js';
import { comparisonsOf } from './comparisons.js';
import { leaveServing } from './entries.js';
import { HeldTexts } from './held-texts.js';
import { TypeChecks } from './types.js';
import { viewerOf, type WorkbenchWindow } from './viewer.js';
import { leave as leaveWalk } from './walking.js';

export interface WorkbenchOptions {
  /** Folder whose files may be opened. */
  root: string;
  /** Pad to show first. */
  pad?: string;
  /** Folder of what is remembered over sessions; by default the person's own. */
  state?: string;
  /** What changes something outside of the pad is held, whatever was chosen before. */
  careful?: boolean;
  /** Every file of the folder was made by the person, as in a folder of examples: it is meant to run. */
  ownPads?: boolean;
  /** Windows begin with the start page, where no pad is named. */
  start?: boolean;
  /** What a pad starts goes on when its run ends. */
  keepStarted?: boolean;
  /** An editor holds the texts of files that are open in it: nothing of them is kept or saved here. */
  textsElsewhere?: boolean;
  /** Check types beside the runs. On by default. */
  types?: boolean;
  live?: LiveProgram;
}

/** How a window talks to the workbench, and how it leaves. */
export interface WorkbenchConnection {
  receive(message: ToServer): void;
  leave(): void;
}

export class WorkbenchSession {
  private readonly workbench: Workbench;
  private readonly endAsking: () => void = () => undefined;
  /** The texts that an editor holds. */
  readonly texts: HeldTexts;

  constructor(options: WorkbenchOptions) {
    const { root, pad, state = stateFolder(), types = true, live } = options;
    const workbench = (this.workbench = new Workbench(root, state, live, options));
    this.texts = new HeldTexts(workbench);
    // Editors have their own question about whose project it is.
    if (!options.textsElsewhere)
      this.endAsking = askBeforeAdditions((config) => workbench.habits.of(config).careful === false);
    workbench.options.keepStarted = options.keepStarted ?? false;
    workbench.options.start = options.start === true && pad === undefined;
    workbench.sources = new SavedFiles((files) => files.forEach((path) => diskChanged(workbench, path)));
    workbench.types = new TypeChecks(
      types,
      () => workbench.subject,
      () => tellAll(workbench),
    );
    if (live) joinProgram(workbench, live);
    else if (pad !== undefined) {
      // A pad may have no file yet; its folder has to be there.
      const path = join(realpathSync(dirname(pad)), basename(pad));
      beginPad(workbench, existsSync(path) ? realpathSync(path) : path, options.careful);
    }
  }

  /** Adds a window. */
  connect(window: WorkbenchWindow): WorkbenchConnection {
    const { workbench } = this;
    const viewer = viewerOf(window);
    workbench.viewers.add(viewer);
    return {
      receive: (message) => {
        const refuse = (error: unknown): void => window.send(problemOf(error));
        try {
          void Promise.resolve(receive(workbench, viewer, message)).catch(refuse);
        } catch (error) {
          refuse(error);
        }
      },
      leave: () => {
        clearTimeout(viewer.waiting);
        leaveWalk(viewer);
        workbench.viewers.delete(viewer);
        lookAtFiles(workbench);
        void leaveServing(workbench, viewer);
      },
    };
  }

  /** The page that is shown, by the name of its host. */
  readonly site: FindSite = (name) => siteOf(this.workbench, name);

  /** Files that take part in what runs, by path. */
  get files(): readonly string[] {
    return this.workbench.subject?.files ?? [];
  }

  /** Text of a file that is open, with what is typed; undefined for any other. */
  openText(path: string): string | undefined {
    return this.workbench.documents.get(path)?.shared.text;
  }

  /** Packages that these import, each with the file from which it is found. */
  get packages(): readonly { specifier: string; from: string }[] {
    return this.workbench.pad?.packages ?? [];
  }

  /** Where the data lies that the pad's `input` reads; undefined where there is none. */
  get dataFile(): string | undefined {
    return this.workbench.pad?.data?.file;
  }

  /** A pad that calls the function at a place, as it was called last. @throws AnvilError see {@link callingPad} */
  callingPad(at: At, folder: string): Promise<{ extension: string; text: string }> {
    const { text } = openDocument(this.workbench, at.file).shared;
    return callingPad({ text, folder, at }, (found) => recordedArguments(this.workbench, at.file, found));
  }

  /** Tells all windows of an error that nobody thought of. */
  trouble(error: unknown): void {
    this.workbench.tellAllWindows(problemOf(error));
  }

  /** This process ends by itself at once: what ran did not end it. */
  leave(): void {
    keepLastPageNow(this.workbench);
    this.workbench.starts.close();
    this.workbench.folder.recent.write();
  }

  async close(): Promise<void> {
    const { sources, subject, types } = this.workbench;
    comparisonsOf(this.workbench).close();
    this.endAsking();
    this.leave();
    for (const viewer of this.workbench.viewers) leaveWalk(viewer);
    this.workbench.page?.frame.close();
    await Promise.all([sources.close(), subject?.close(), types.close()]);
  }
}
