/**
 * The life of a pad: an edit cancels what runs, is linked, goes to a fresh
 * target, and comes back as records. The text lives here and no pad ever
 * executes here.
 */
import { statesOf } from '../record/carried-tests.js';
import type { PadRecord, Stop } from '../record/record.js';
import { AnvilError, isOfText } from '../syntax/problems.js';
import { CleanRuns } from './clean-runs.js';
import { Dials } from './dials.js';
import type { LookAnswer, LookRequest } from '../wire/looking.js';
import type { Action } from '../wire/modules.js';
import type { Batch } from '../wire/reports.js';
import type { InputData, PadResult, RawStop } from '../wire/runs.js';
import type { HostKind } from './host.js';
import { Hosts } from './hosts.js';
import { Linker, PAD_LINKING } from './linker.js';
import { Looks } from './looks.js';
import type { SessionOptions, SessionParts } from './options.js';
import { isQuick, QuickTests, type QuickText } from './quick-tests.js';
import { limitRun } from './limit.js';
import { refuse } from './refusal.js';
import type { Listener } from './records.js';
import { OwnTests } from './own-tests.js';
import { PadPausing } from './pausing/pad-pausing.js';
import { rehearse } from './rehearsal.js';
import { Repeating } from './repeating.js';
import { Showing } from './showing.js';
import { type OverRuns, type RunOwner, sinkOf } from './run-sink.js';
import { packagesOf } from './linked.js';
import { newRun, type Run } from './runs.js';
import type { Selected } from '../syntax/selection.js';
import { Surroundings } from './surroundings.js';
import { TestResults } from './test-results.js';

export class Session {
  private readonly linker: Linker;
  private run: Run | undefined;
  private readonly showing: Showing;
  private readonly looks: Looks;
  private readonly around: Surroundings;
  /** What a person turns. */
  readonly dials: Dials;
  /** What holds over runs, and what follows one: the project's own framework, a clean run, a repetition. */
  private readonly tests: OverRuns & { quick: QuickTests };
  private endRehearsal: (() => void) | undefined;
  private readonly hosts: Hosts;
  /** Its breakpoints, and where it stands still. */
  readonly pausing: PadPausing;

  constructor(
    readonly options: SessionOptions,
    private readonly parts: SessionParts,
  ) {
    const linking = { ...PAD_LINKING, ...(options.depth ? { depth: options.depth } : {}), pad: options.file };
    this.linker = new Linker(parts.files, parts.language, linking, parts.units);
    this.around = new Surroundings(options, parts);
    this.showing = new Showing(parts.clock);
    this.looks = new Looks(parts.clock);
    this.hosts = new Hosts(parts, options.alone === true);
    const own = new OwnTests(options, parts, this.linker, (run) => {
      if (this.run === run && !this.hosts.isClosed) this.showing.show(run);
    });
    const clean = new CleanRuns(parts.clock, () => this.beginClean());
    const repeating = options.depth === 'steps' ? new Repeating(options) : undefined;
    this.tests = { results: new TestResults(), own, clean, quick: new QuickTests(), repeating };
    this.dials = new Dials(
      parts.clock,
      this.around.dials,
      () => this.run,
      () => {
        if (!this.hosts.isClosed) this.begin({ reuse: true });
      },
    );
    this.pausing = new PadPausing({
      translator: parts.language.translator,
      linker: this.linker,
      run: () => this.run,
      stands: (isStanding) => (isStanding ? this.run?.limit?.() : this.limit()),
    });
    if (options.text !== undefined) this.linker.overlay.set(options.file, options.text);
  }

  /** The newest record, which may still grow. */
  get record(): PadRecord | undefined {
    return this.showing.records.latest;
  }

  /** The record of the last run whose text could be executed. */
  get goodRecord(): PadRecord | undefined {
    return this.showing.records.good;
  }

  /** An expression reports as if it had a mark, from the next run on; undefined for none. */
  select(selected: ({ file: string } & Selected) | undefined): void {
    this.linker.select(selected);
  }

  /** The default export of the newest run, where the options ask for it. */
  get padResult(): PadResult | undefined {
    return this.run?.result;
  }

  /** The pad and the local modules it imports, as of the last edit. */
  get files(): string[] {
    return this.run?.linked.program.files.map((file) => file.file) ?? [this.options.file];
  }

  /** Packages that these import, each with the file from which it is found. */
  get packages(): { specifier: string; from: string }[] {
    return packagesOf(this.run?.linked.modules ?? []);
  }

  /** Calls `listener` with every new record. Returns a function that ends it. */
  onRecord(listener: Listener): () => void {
    return this.showing.records.listen(listener);
  }

  /** Text of a file as this session sees it. */
  textOf(file: string): string {
    return this.linker.textOf(file);
  }

  /**
   * Takes an edit: the whole new text of the pad or of one of its modules.
   * Cancels the run in progress and starts the next at once.
   *
   * @throws AnvilError `E_CLOSED` after {@link close}; `E_TOO_LARGE`, `E_BINARY` for a text that cannot run
   */
  edit(file: string, text: string): void {
    this.take(file, text);
    const quick = file === this.options.file && !this.pausing.isOn ? this.tests.quick.of(text) : undefined;
    this.begin({ reuse: true, ...(quick ? { quick } : {}) });
  }

  /** Takes a text as {@link edit} does, and leaves running it to the next {@link execute}. */
  take(file: string, text: string): void {
    this.linker.take(file, text);
  }

  /** A text that holds in place of the one on disk, for a file that is not part of the pad yet; undefined for none. */
  overlay(file: string, text: string | undefined): void {
    if (text === undefined) this.linker.overlay.delete(file);
    else this.linker.overlay.set(file, text);
  }

  /** A text has not run since it was taken. */
  get behind(): boolean {
    return this.linker.behind || this.run === undefined;
  }

  /** The texts that ran are on disk now: what runs saved files alone begins, and what is to be clean at a save. */
  afterSave(): void {
    const { run } = this;
    if (!run || this.hosts.isClosed) return;
    if (run.kept || run.quick || this.tests.own.instead(run) !== undefined) this.beginClean();
    else if (run.over) void this.tests.own.ended(run);
  }

  /** Forgets the unsaved text of a file, and executes with the one on disk. */
  reload(file: string): void {
    this.linker.overlay.delete(file);
    this.execute();
  }

  /** Forgets all kept values, and executes anew. */
  drop(): void {
    this.around.kept.clear();
    this.execute();
  }

  /** Executes the pad as it is, with all its tests. */
  execute(): void {
    this.begin({ clean: true });
  }

  /**
   * Executes the pad with only one of its tests, or one suite; the others are skipped.
   *
   * @param path names from the outermost suite in, as `[...test.path, test.name]`
   */
  testAlone(path: readonly string[]): void {
    this.begin({ alone: [...path] });
  }

  private begin(asked: { reuse?: boolean; alone?: string[]; clean?: boolean; quick?: QuickText }): void {
    if (this.hosts.isClosed) throw new AnvilError('E_CLOSED', 'The session is closed. Create a new one.');
    this.cancel();
    const startedAt = this.parts.clock.now();
    let linked = this.linker.link(this.options.file, asked.quick?.text);
    if (asked.quick && !isQuick(asked.quick, this.linker.unit(this.options.file))) {
      delete asked.quick;
      linked = this.linker.link(this.options.file);
    }
    const run = newRun((this.run?.id ?? 0) + 1, linked, startedAt, this.options.stepsBytes);
    this.run = run;
    if (asked.quick) {
      run.quick = true;
      run.builder.surround({ carried: asked.quick.carried });
    } else if (asked.alone) run.order = { reuse: [], alone: asked.alone };
    else if (asked.reuse && !this.pausing.isOn) run.order = this.tests.results.reusable(linked);
    this.pausing.moved();
    if (linked.problems.length > 0) {
      this.refuse(run);
      return;
    }
    const gap = this.tests.own.instead(run);
    if (gap !== undefined) {
      void this.tests.own.begin(run, gap).then(() => this.endOf(run));
      return;
    }
    const wanted = this.hosts.kindFor(this.options.target, linked.needsProcess);
    this.start(run, wanted, asked.clean);
  }

  /**
   * Executes once more what ran at depth `steps` and was longer than the budget, giving it the same clocks, random
   * numbers, order of timers and answers to requests; and tells the steps around one, as many as the budget holds.
   *
   * @param step from 0, counted over all steps of the run, told or not
   * @returns false where nothing has ended that could be repeated, or all of it was told
   */
  repeat(step: number): boolean {
    return this.run?.over === true && this.again(this.run, this.tests.repeating?.want(step) ?? false);
  }

  /** Resolves with the next record that has ended or, with nothing pending, at once; before a first run, with its record. */
  settled(): Promise<PadRecord> {
    return this.record && this.run?.over ? Promise.resolve(this.record) : this.showing.records.next();
  }

  /**
   * Asks about a value that the newest run made and its target still holds:
   * opens it, reads a page of its members, runs a getter. Answers `gone` when
   * the target has ended, or does not answer in time.
   */
  look(request: LookRequest): Promise<LookAnswer> {
    const { run } = this;
    if (this.hosts.isClosed || !run?.handle || run.stop)
      return Promise.resolve({
        is: 'gone',
        why: 'The program of this run has ended. What was captured is all there is.',
      });
    const { handle } = run;
    return this.looks.ask((ask) => handle.look(ask, request));
  }

  /** Does something to the program that runs: ends a timer, opens a gate, lets through what is held, for this session. */
  act(action: Action): void {
    const { run } = this;
    if (action.do === 'let-through') this.around.letThrough(action.name);
    if (!run || run.stop) return;
    // Behind a gate the run goes on.
    if (action.do === 'open-gate' || action.do === 'let-through') run.over = false;
    run.handle?.act(action);
  }

  /** The data that the pad's `input` reads; undefined for what a mark in the pad names. Executes anew. */
  setInput(data: InputData | undefined): void {
    this.around.setInput(data);
    this.begin({});
  }

  /** Name and, where it is one, path of the data of the newest run. */
  get data(): { name: string; file?: string } | undefined {
    const data = this.run && this.around.inputOf(this.run.linked);
    return data && { name: data.name, ...('file' in data ? { file: data.file } : {}) };
  }

  /** Ends the run in progress and says so in its record. */
  stop(): void {
    const { run } = this;
    if (!run || run.over) return;
    this.end(run, { reason: 'cancelled', message: 'stopped by hand' });
  }

  /** Gets the pipeline up to speed while nothing is to be done: for sessions that a person will type in. */
  rehearse(): void {
    this.endRehearsal?.();
    this.endRehearsal = rehearse(this.parts, {
      run: () => this.run,
      getReady: () => {
        if (this.options.target === 'worker') this.hosts.ready('worker', []);
      },
    });
  }

  async close(): Promise<void> {
    this.hosts.isClosed = true;
    this.endRehearsal?.();
    this.cancel();
    await this.hosts.close();
    this.showing.records.finish();
  }

  private cancel(): void {
    const { run } = this;
    if (!run) return;
    run.over = true;
    run.limit?.();
    run.pendingEmit?.();
    run.handle?.cancel();
    this.tests.own.cancel();
    this.tests.clean.cancel();
    this.looks.end('A newer run has begun.');
    this.pausing.ended();
  }

  /** The run is ended at its time limit, counted from now. */
  private limit(run = this.run): void {
    if (!run || run.over) return;
    const { clock } = this.parts;
    const isCurrent = (): boolean => this.isCurrent(run);
    limitRun(run, { clock, ms: this.options.timeLimitMs, isCurrent }, (stop) => this.end(run, stop));
  }

  private refuse(run: Run): void {
    const { linked } = run;
    refuse(linked, this.linker, this.parts.language, (builder, all) => {
      if (this.run !== run || this.hosts.isClosed) return;
      run.builder = builder;
      if (all) run.over = true;
      this.showing.show(run, linked.problems.some(({ problem }) => isOfText(problem)) ? 'syntax' : 'failed');
      if (all) this.showing.records.finish();
    });
  }

  private start(run: Run, kind: HostKind, clean = false): void {
    const { linked } = run;
    run.target = kind;
    const host = this.hosts.ready(kind, this.tests.repeating?.ahead ?? linked.packages);
    run.around = this.around.key(linked);
    this.around.kept.give(run);
    run.builder.pending.outcomes = (name) => this.around.outcome(name);
    const { entry, modules } = linked;
    const { hangMs } = this.options;
    const steps = this.tests.repeating?.orderOf(run);
    const around = this.around.asked(linked, run.order, steps);
    const asked = { ...around, ...(clean ? { clean } : {}), ...this.pausing.asked() };
    run.handle = host.run({ id: run.id, entry, modules, hangMs, asked }, sinkOf(run, kind, this.ownerOf()));
    this.limit(run);
  }

  private isCurrent(run: Run): boolean {
    return this.run === run && !run.over;
  }

  private ownerOf(): RunOwner {
    const { linker, hosts, showing, looks, around, dials, tests, options, pausing } = this;
    return {
      ...{ linker, hosts, showing, looks, around, dials, tests, options, pausing },
      after: (ms, callback) => void this.parts.clock.after(ms, callback),
      isCurrent: (run) => this.isCurrent(run),
      startAgain: (run) => this.start(run, 'process'),
      end: (run, stop, raw) => this.end(run, stop, raw),
      endOf: (run) => this.endOf(run),
    };
  }

  /** Nothing of a run is pending any more. */
  private endOf(run: Run): void {
    if (!this.isCurrent(run)) return;
    run.over = true;
    if (this.again(run)) return;
    this.showing.show(run);
    const { record } = this;
    if (record && !run.quick && !run.order) this.tests.quick.take(record, this.linker.unit(run.linked.entry));
    this.showing.records.finish();
  }

  /** A run of which too little was told, or of which other steps are wanted, is done once more. @returns it is */
  private again(run: Run, wanted = this.tests.repeating?.endsEarly(run)): boolean {
    if (!wanted) return false;
    const alone = run.order?.alone;
    this.begin(alone ? { alone } : { clean: true });
    return true;
  }

  /** A run in a thread of its own, with all tests; until it has ended, what the last one has come to stays. */
  private beginClean(): void {
    const { record } = this;
    this.begin({ clean: true });
    if (!record || !this.run) return;
    this.run.builder.surround({ before: statesOf(record.tests) });
    this.run.quiet = true;
  }

  private end(run: Run, stop: Stop, raw?: RawStop): void {
    run.over = true;
    run.stop = stop;
    if (stop.reason !== 'cancelled') run.builder.endTests(stop.message);
    run.limit?.();
    if (raw?.counts) run.builder.add({ moment: 0, counts: raw.counts } as Batch);
    if (!run.settled) run.durationMs = this.parts.clock.now() - run.startedAt;
    run.handle?.cancel();
    if (stop.reason !== 'cancelled' && this.again(run)) return;
    this.showing.show(run, stop.reason === 'cancelled' ? 'stopped' : undefined);
    this.showing.records.finish();
  }
}
