/** Looking at a program that runs: which functions report, and the record that they make. */
import type { PadRecord } from '../../record/record.js';
import type { Selected } from '../../syntax/selection.js';
import type { LookAnswer, LookRequest } from '../../wire/looking.js';
import { EventLog } from './event-log.js';
import type { LiveParts } from './events.js';
import { Observing } from './observing.js';
import { RunningProgram } from './running.js';
import { Turns } from './turns.js';

export abstract class LookedAt {
  protected readonly running: RunningProgram;
  protected readonly log = new EventLog();
  protected readonly turns = new Turns(this.log);
  protected readonly observing: Observing;
  private readonly recordListeners = new Set<() => void>();
  protected ended = false;

  /**
   * @param file first file of the program
   * @param isHeard somebody reads what the program writes
   */
  protected constructor(file: string, parts: LiveParts, isHeard: () => boolean) {
    this.running = new RunningProgram(file, parts);
    this.observing = new Observing(this.running, isHeard, () => this.tellRecord());
  }

  /** An unsaved text counts in place of the file's when the program starts. */
  startWith(file: string, text: string): void {
    this.running.linker.overlay.set(file, text);
  }

  /** Calls back when the record is a new one. */
  onRecord(listener: () => void): () => void {
    this.recordListeners.add(listener);
    return () => this.recordListeners.delete(listener);
  }

  protected tellRecord(): void {
    for (const listener of this.recordListeners) listener();
  }

  /**
   * Looks at a file: its functions are counted from their next call on, wherever it runs, and what it prints and where
   * it fails is recorded. It is no change of the program, and {@link unobserve} takes it away.
   *
   * @returns false where the file is no module of the program
   */
  async observe(file: string): Promise<boolean> {
    await this.turns.then(file, () => this.observing.begin(file));
    return this.observing.observes(file);
  }

  /** Nobody looks at a file any more. */
  unobserve(file: string): Promise<void> {
    return this.turns.then(file, () => this.observing.end(file));
  }

  /**
   * Shows the values of the function at a line, and of no other of the file; without a line, of none.
   *
   * @param line zero-based, of the text that runs
   * @param selected an expression in it that reports as if it had a mark
   * @returns its path in the file, or undefined where no function is that can be looked into
   */
  async openFunction(file: string, line: number | undefined, selected?: Selected): Promise<string | undefined> {
    let opened: string | undefined;
    const made = this.running.madeLine(file, line);
    await this.turns.then(file, async () => void (opened = await this.observing.open(file, made, selected)));
    return opened;
  }

  /** The function of a file whose values are shown, by its path. */
  openedFunction(file: string): string | undefined {
    return this.observing.opened(file);
  }

  /** What the program reported lately; see {@link observe}. */
  get record(): PadRecord {
    return this.running.observed.record({ ended: this.ended, problems: this.running.refused.problems });
  }

  /** Forgets what was printed and what went wrong. */
  clear(): void {
    this.running.observed.records.clear();
    this.tellRecord();
  }

  /** Opens what was reported or evaluated, or what was reached from it. */
  look(request: LookRequest): Promise<LookAnswer> {
    return this.running.look(request);
  }

  /** Files that somebody looks at, whether they run or not. */
  get looked(): string[] {
    return this.observing.looked;
  }
}
