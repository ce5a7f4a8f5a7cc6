/** Entry points of a live program: what comes in, and which functions work for it. */
import { EntryBook, type EntryPoint } from '../../../record/entries/book.js';
import type { Batch } from '../../../wire/reports.js';
import type { LiveEvent } from '../events.js';
import type { Observing } from '../observing.js';
import type { RunningProgram } from '../running.js';
import type { TargetState } from '../target-state.js';
import type { Turns } from '../turns.js';
import type { AskedOtherwise } from './asking.js';
import { KeptRequests, type KeptRequest } from './kept-requests.js';
import { PickedRequest, type PickedEntry, type Serving } from './picked.js';
import { ProgramTexts } from './program-texts.js';
import { askTarget } from './targets.js';

/** Milliseconds without an edit before the request that is picked is made again. */
const QUIET_MS = 30;

export class Entries {
  /** Those that were made. */
  readonly requests = new KeptRequests();
  private readonly book: EntryBook;
  private readonly texts: ProgramTexts;
  private readonly listeners = new Set<() => void>();
  private picked: PickedRequest | undefined;
  private serving: Serving = new Map();
  /** `shown`: a window shows it, and nobody else has asked. */
  private watched: 'no' | 'shown' | 'asked' = 'no';
  private stopWaiting: (() => void) | undefined;
  /** Texts that ran when the entry was picked, by file. */
  private before: ReadonlyMap<string, string> = new Map();

  constructor(
    private readonly running: RunningProgram,
    private readonly observing: Observing,
    private readonly turns: Turns,
  ) {
    const { functions } = running.observed;
    this.book = new EntryBook((of) => functions.find(of));
    this.texts = new ProgramTexts(running);
  }

  onChange(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  private tell(): void {
    for (const listener of this.listeners) listener();
  }

  get isWatched(): boolean {
    return this.watched !== 'no';
  }

  /** What came in since it was first asked, and handlers that wait for their first call. */
  get all(): EntryPoint[] {
    return this.isWatched ? this.book.all(Date.now()) : [];
  }

  /** Layers of the program's files. */
  get layers(): string[] {
    return this.texts.allLayers;
  }

  /**
   * Watches what comes in from now on, or no longer.
   *
   * @param isShown a window shows it: that ends with the window
   */
  async watch(on: boolean, isShown = false): Promise<void> {
    const before = this.watched;
    if (!on) this.watched = 'no';
    else if (!isShown || before === 'no') this.watched = isShown ? 'shown' : 'asked';
    if (on === (before !== 'no')) return;
    if (!on) this.drop();
    await this.turns.then(this.running.file, async () => {
      for (const state of this.running.targets) await this.watchIn(state, on);
      await this.observing.join(on ? this.serving : undefined);
    });
    if (on) this.register();
    else this.book.clear();
    this.tell();
  }

  private async watchIn(state: TargetState, on: boolean): Promise<void> {
    const panels = on ? (this.running.parts.requests?.panels(this.texts.root) ?? []) : [];
    await askTarget(state, { do: 'watch', on, panels });
  }

  /** A target executes a file. */
  async begins(state: TargetState, file: string): Promise<void> {
    if (!this.isWatched) return;
    await this.watchIn(state, true);
    await this.observing.joinIn(state, file);
    this.register();
    this.tell();
  }

  /** Modules of the program itself are about to run. */
  comes(): void {
    if (!this.isWatched) return;
    this.register();
    this.tell();
  }

  private register(): void {
    this.book.register(this.texts.handlers());
  }

  /** What a target reports, in numbers of all. */
  take(state: TargetState, batch: Batch): void {
    if (!this.isWatched) return;
    this.picked?.take(batch);
    const { entries } = batch;
    if (!entries) return;
    this.book.add(
      entries.filter(({ last }) => last?.asked === undefined),
      state.label,
      Date.now(),
    );
    for (const { last } of entries) if (last?.asked !== undefined) this.picked?.answered(last);
    this.tell();
  }

  /** Something has become of an edit. */
  changed({ kind }: Pick<LiveEvent, 'kind'>): void {
    if (!this.isWatched || (kind !== 'patched' && kind !== 'reloaded' && kind !== 'undone')) return;
    this.register();
    void this.picked?.wantAgain();
    this.asksAgain();
  }

  /** Asks again what asking changes nothing of, once nothing is typed for a moment. */
  asksAgain(): void {
    const { requests } = this.running.parts;
    if (!requests || this.picked?.isAskedAgain !== true) return;
    this.stopWaiting?.();
    this.stopWaiting = requests.after(QUIET_MS, () => void this.ask());
  }

  /** The entry that is picked, as it is known now. */
  get current(): PickedEntry | undefined {
    return this.picked?.current;
  }

  /**
   * Picks an entry point: its functions tell their values, of the requests that are asked for. What changes nothing is
   * asked by itself.
   *
   * @param otherwise what is to be other than in the last request
   * @param asks it is asked, whatever it changes
   * @returns false where there is no such entry
   */
  async pick(key: string, otherwise: AskedOtherwise = {}, asks = false): Promise<boolean> {
    await this.watch(true, this.watched !== 'asked');
    if (!this.book.get(key)) return false;
    this.drop();
    this.before = this.texts.textsNow();
    const { running, book, texts, requests } = this;
    this.picked = new PickedRequest(
      {
        ...{ running, book, texts, requests, maker: running.parts.requests },
        serve: (serving) => this.serve(serving),
        tell: () => this.tell(),
      },
      key,
      otherwise,
    );
    await this.picked.begin(asks);
    return true;
  }

  private drop(): void {
    this.stopWaiting?.();
    this.picked?.end();
    this.picked = undefined;
  }

  /** Nobody looks at an entry point any more: its functions tell no values. */
  async leave(): Promise<void> {
    this.drop();
    await this.serve(new Map());
    this.tell();
  }

  /** The text of a file as it ran when the entry was picked. */
  textBefore(file: string): string | undefined {
    return this.before.get(file);
  }

  /** No window shows entry points any more. */
  async hide(): Promise<void> {
    if (this.watched === 'shown') await this.watch(false);
    else await this.leave();
  }

  /** Makes the request that is picked, once more or otherwise. */
  ask(otherwise?: AskedOtherwise): Promise<void> {
    return this.picked?.ask(otherwise) ?? Promise.resolve();
  }

  private async serve(serving: Serving): Promise<void> {
    this.serving = serving;
    if (this.isWatched) await this.turns.then(this.running.file, () => this.observing.join(serving));
  }

  /** A request that was made, by its number. */
  request(number: number): KeptRequest | undefined {
    return this.requests.get(number);
  }
}
