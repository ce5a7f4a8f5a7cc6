/** The tests of a folder, run again where a saved file can have touched them: those that fail first. */
import type { PadRecord } from '../record/record.js';

/** One run of one file. */
export interface FileRun {
  /** Rejects where the file cannot be read any more. */
  record: Promise<PadRecord>;
  /** The files that its program consists of, as far as they are known. */
  files(): readonly string[];
  cancel(): void;
}

export interface TestFile {
  file: string;
  /** Its last run; undefined before the first. */
  record: PadRecord | undefined;
  /** Why it could not be run. */
  problem?: string;
  /** It waits for its run, or runs. */
  pending: boolean;
}

/** What a round was begun for. */
export interface Round {
  /** Files that were saved; empty for the first round. */
  saved: readonly string[];
  /** Files of tests that run in it. */
  asked: readonly string[];
}

interface Known extends TestFile {
  program: readonly string[];
  run: FileRun | undefined;
  queued: boolean;
}

export class TestFolder {
  private readonly known = new Map<string, Known>();
  private queue: Known[] = [];
  private busy = 0;
  private round: Round = { saved: [], asked: [] };
  private closed = false;

  /**
   * @param parts `start` runs one file, beside at most `slots` - 1 others; `changed` is called when a run has ended,
   * `ended` when a round has, with what it was begun for
   */
  constructor(
    private readonly parts: {
      slots: number;
      start(file: string): FileRun;
      changed(): void;
      ended(round: Round): void;
    },
  ) {}

  /** All files of tests: those that fail first, then those that wait, then the others, by name. */
  get files(): readonly TestFile[] {
    return [...this.known.values()].sort((a, b) => rank(a) - rank(b) || (a.file < b.file ? -1 : 1));
  }

  /**
   * Takes the files of tests that are there now. Runs those that are new, and those that saved files can have touched;
   * forgets those that are gone.
   *
   * @param saved files that were saved, or are gone
   */
  found(there: readonly string[], saved: readonly string[] = []): void {
    const files = new Set(there);
    for (const [file, one] of this.known)
      if (!files.has(file)) {
        one.run?.cancel();
        this.known.delete(file);
      }
    const touched = [...this.known.values()].filter((one) => isTouched(one, saved)).map(({ file }) => file);
    const fresh = there.filter((file) => !this.known.has(file));
    for (const file of fresh)
      this.known.set(file, { file, record: undefined, pending: false, program: [file], run: undefined, queued: false });
    this.ask([...touched, ...fresh], saved);
    if (touched.length + fresh.length === 0) this.parts.changed();
  }

  /** Runs all files. */
  all(): void {
    this.ask([...this.known.keys()], []);
  }

  private ask(files: readonly string[], saved: readonly string[]): void {
    if (files.length === 0 || this.closed) return;
    const going = this.queue.length > 0 || this.busy > 0;
    this.round = {
      saved: going ? [...new Set([...this.round.saved, ...saved])] : saved,
      asked: going ? [...new Set([...this.round.asked, ...files])] : files,
    };
    for (const file of files) {
      const one = this.known.get(file)!;
      // What runs already has begun with the text from before.
      one.run?.cancel();
      one.run = undefined;
      one.pending = true;
      if (!one.queued) this.queue.push(one);
      one.queued = true;
    }
    const rankOf = (one: Known): number => (hasFailed(one) ? 0 : saved.includes(one.file) ? 1 : 2);
    // Of the others those of small programs first: what was saved is more of theirs.
    this.queue.sort((a, b) => rankOf(a) - rankOf(b) || a.program.length - b.program.length);
    this.parts.changed();
    this.next();
  }

  private next(): void {
    while (this.busy < this.parts.slots && this.queue.length > 0 && !this.closed) {
      const one = this.queue.shift()!;
      one.queued = false;
      if (this.known.get(one.file) === one) void this.run(one);
    }
  }

  private async run(one: Known): Promise<void> {
    this.busy++;
    const run = (one.run = this.parts.start(one.file));
    try {
      const record = await run.record;
      if (one.run === run) {
        one.record = record;
        delete one.problem;
      }
    } catch (error) {
      if (one.run === run) {
        one.record = undefined;
        one.problem = (error as Error).message;
      }
    }
    if (one.run === run) {
      one.program = run.files();
      one.run = undefined;
      one.pending = one.queued;
    }
    this.busy--;
    if (this.closed) return;
    this.parts.changed();
    this.next();
    if (this.busy === 0 && this.queue.length === 0) this.parts.ended(this.round);
  }

  close(): void {
    this.closed = true;
    this.queue = [];
    for (const { run } of this.known.values()) run?.cancel();
  }
}

/** A file that imports what is not there may find it in any file that was saved. */
function isTouched({ program, record, problem }: Known, files: readonly string[]): boolean {
  if (problem !== undefined || record?.errors.some(({ code }) => code === 'E_RESOLVE')) return true;
  return files.some((file) => program.includes(file));
}

/** True where something in it has failed. */
export function hasFailed({ record, problem }: TestFile): boolean {
  return problem !== undefined || (record !== undefined && record.outcome !== 'ok');
}

function rank(one: Known): number {
  return hasFailed(one) ? 0 : one.pending ? 1 : 2;
}
