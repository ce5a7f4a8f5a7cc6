/**
 * The life of a pad: an edit cancels what runs, is linked, goes to a fresh
 * target, and comes back as records. The text lives here and no pad ever
 * executes here.
 */
import { RecordBuilder } from '../record/builder.js';
import type { GateOutcome, Outcome, PadRecord, Stop } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import { AnvilError } from '../syntax/problems.js';
import type { LookAnswer, LookRequest } from '../wire/looking.js';
import type { Action, ModuleCode } from '../wire/modules.js';
import type { Batch, RawGate, RawTest } from '../wire/reports.js';
import type { InputData, PadResult, RawStop, RunAsked, TestOrder } from '../wire/runs.js';
import type { Clock, Files, Host, Language, RunHandle } from './host.js';
import type { Linked } from './linked.js';
import { Linker } from './linker.js';
import { problemError } from './problem-error.js';
import { rehearsalModules, rehearseLinking } from './rehearsal.js';
import { seconds, stopOf } from './stop.js';

export interface SessionOptions {
  /** Absolute path of the pad. */
  file: string;
  /** Text of the pad, where it is not (yet) that of the file. */
  text?: string;
  /** Where it runs: `auto` takes a worker unless the pad needs a process of its own. */
  target: 'auto' | 'worker' | 'process';
  /** Ends a run after this long, whatever it does. Infinity: only a target that does not answer is ended. */
  timeLimitMs: number;
  /** Milliseconds without an answer after which a target is ended. */
  hangMs: number;
  /** Gates that open by themselves when they are reached. */
  open?: readonly string[];
  /** The pad's default export is wanted: see `padResult`. */
  result?: boolean;
  /** The data that `input` reads from the start. */
  input?: InputData;
}

export interface SessionParts {
  files: Files;
  language: Language;
  clock: Clock;
  /** Makes the host of a kind when it is first needed. */
  host(kind: 'worker' | 'process'): Host;
}

type Listener = (record: PadRecord) => void;

interface Run {
  id: number;
  linked: Linked;
  builder: RecordBuilder;
  handle: RunHandle | undefined;
  target: PadRecord['target'];
  durationMs: number;
  startedAt: number;
  settled: boolean;
  over: boolean;
  stop: Stop | undefined;
  emitted: number;
  /** Results of its tests so far, by number. */
  tests: Map<number, RawTest>;
  order: TestOrder | undefined;
  /** See {@link Session.around}. */
  around: string;
  pendingEmit: (() => void) | undefined;
  limit: (() => void) | undefined;
}

/** Milliseconds that a question about a value may take. */
const LOOK_MS = 3_000;

interface Results {
  totalMs: number;
  /** A test's result with those of its subtests, by what they depend on. */
  byKey: Map<string, { site: number; tests: RawTest[] }>;
}

/** Milliseconds of all tests together from which on results are reused. */
const WORTH_REUSING = 100;

/** Kept values of one session. */
const MOST_KEPT = 40;

/** Milliseconds between two runs of a dial that is turned: thirty a second. */
const TURN_MS = 33;

/** A run that takes longer is cancelled for the next value. */
const TURN_PATIENCE_MS = 250;

/** How often a run that goes on is shown. */
const PROGRESS_MS = 60;

export class Session {
  private readonly linker: Linker;
  private run: Run | undefined;
  private runs = 0;
  private closed = false;
  private readonly listeners = new Set<Listener>();
  private latest: PadRecord | undefined;
  private lastGood: PadRecord | undefined;
  private readonly idleWaiters = new Set<(record: PadRecord) => void>();
  private needed: string | undefined;
  private rehearsal: ModuleCode[] | undefined;
  private readonly looks = new Map<number, (answer: LookAnswer) => void>();
  private asks = 0;
  /** Values held over re-executions, by what they depend on. */
  private readonly kept = new Map<string, { value: unknown; since: number }>();
  /** Results of the tests of the last run that had them all. */
  private results: Results | undefined;
  private input: InputData | undefined;
  /** How often data was handed over. */
  private inputs = 0;
  private readonly dials = new Map<string, string | number | boolean>();
  private turning: { cancel: () => void; go: () => void } | undefined;
  /** The default export of the run, where the options ask for it. */
  padResult: PadResult | undefined;
  /** What came of gates when they were last opened, by name. */
  private readonly outcomes = new Map<string, GateOutcome & { at: number }>();
  private endRehearsal: (() => void) | undefined;
  private readonly hosts = new Map<'worker' | 'process', Host>();

  constructor(
    readonly options: SessionOptions,
    private readonly parts: SessionParts,
  ) {
    this.linker = new Linker(parts.files, parts.language);
    this.input = options.input;
    if (options.text !== undefined) this.linker.overlay.set(options.file, options.text);
  }

  /** The newest record, which may still grow. */
  get record(): PadRecord | undefined {
    return this.latest;
  }

  /** The record of the last run whose text could be executed. */
  get goodRecord(): PadRecord | undefined {
    return this.lastGood;
  }

  /** The pad and the local modules it imports, as of the last edit. */
  get files(): string[] {
    return this.run?.linked.program.files.map((file) => file.file) ?? [this.options.file];
  }

  /** Calls `listener` with every new record. Returns a function that ends it. */
  onRecord(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
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
    this.linker.overlay.set(file, text);
    this.begin({ reuse: true });
  }

  /** Forgets the unsaved text of a file, and executes with the one on disk. */
  reload(file: string): void {
    this.linker.overlay.delete(file);
    this.execute();
  }

  /** Forgets all kept values, and executes anew. */
  drop(): void {
    this.kept.clear();
    this.execute();
  }

  /** Executes the pad as it is, with all its tests. */
  execute(): void {
    this.begin({});
  }

  /**
   * Executes the pad with only one of its tests, or one suite; the others are skipped.
   *
   * @param path names from the outermost suite in, as `[...test.path, test.name]`
   */
  testAlone(path: readonly string[]): void {
    this.begin({ alone: [...path] });
  }

  private begin(asked: { reuse?: boolean; alone?: string[] }): void {
    if (this.closed) throw new AnvilError('E_CLOSED', 'The session is closed. Create a new one.');
    this.cancel();
    const startedAt = this.parts.clock.now();
    const linked = this.linker.link(this.options.file);
    const run: Run = {
      id: ++this.runs,
      linked,
      builder: new RecordBuilder(linked.program),
      handle: undefined,
      target: 'none',
      durationMs: 0,
      startedAt,
      settled: false,
      over: false,
      stop: undefined,
      emitted: 0,
      tests: new Map(),
      order: undefined,
      around: '',
      pendingEmit: undefined,
      limit: undefined,
    };
    this.run = run;
    if (asked.alone) run.order = { reuse: [], alone: asked.alone };
    else if (asked.reuse) run.order = this.reusable(linked);
    if (linked.problems.length > 0) {
      this.refuse(run);
      return;
    }
    const wanted =
      this.options.target === 'process' ||
      (this.options.target === 'auto' && (linked.needsProcess ?? this.needed) !== undefined)
        ? 'process'
        : 'worker';
    this.start(run, wanted);
  }

  /** Resolves with the next record that has ended or, with nothing pending, at once. */
  settled(): Promise<PadRecord> {
    if (this.latest && this.run?.over) return Promise.resolve(this.latest);
    return new Promise((resolve) => this.idleWaiters.add(resolve));
  }

  /**
   * Asks about a value that the newest run made and its target still holds:
   * opens it, reads a page of its members, runs a getter. Answers `gone` when
   * the target has ended, or does not answer in time.
   */
  look(request: LookRequest): Promise<LookAnswer> {
    const { run } = this;
    if (this.closed || !run?.handle || run.stop)
      return Promise.resolve({
        is: 'gone',
        why: 'The program of this run has ended. What was captured is all there is.',
      });
    const ask = ++this.asks;
    return new Promise((resolve) => {
      const late = this.parts.clock.after(LOOK_MS, () => {
        this.looks.delete(ask);
        resolve({
          is: 'gone',
          why: `The program did not answer within ${seconds(LOOK_MS)}: it is busy, or a getter does not come to an end.`,
        });
      });
      this.looks.set(ask, (answer) => {
        late();
        resolve(answer);
      });
      run.handle!.look(ask, request);
    });
  }

  /** Does something to the program that runs: ends a timer, opens a gate. */
  act(action: Action): void {
    const { run } = this;
    if (!run || run.stop) return;
    // Behind a gate the run goes on.
    if (action.do === 'open-gate') run.over = false;
    run.handle?.act(action);
  }

  /** The data that the pad's `input` reads; undefined for what a mark in the pad names. Executes anew. */
  setInput(data: InputData | undefined): void {
    this.input = data;
    this.inputs++;
    this.begin({});
  }

  /** Name and, where it is one, path of the data of the newest run. */
  get data(): { name: string; file?: string } | undefined {
    const data = this.run && this.inputOf(this.run.linked);
    return data && { name: data.name, ...('file' in data ? { file: data.file } : {}) };
  }

  /**
   * Turns a dial: the pad executes with its new value. Values that come faster
   * than runs are skipped but for the last.
   */
  turn(name: string, value: string | number | boolean): void {
    this.dials.set(name, value);
    if (this.turning) return;
    const since = this.parts.clock.now() - (this.run?.startedAt ?? 0);
    const busy = this.run !== undefined && !this.run.settled && !this.run.over && since < TURN_PATIENCE_MS;
    const wait = busy ? TURN_PATIENCE_MS - since : Math.max(0, TURN_MS - since);
    const go = (): void => {
      this.turning = undefined;
      if (!this.closed) this.begin({ reuse: true });
    };
    if (wait <= 0) go();
    else this.turning = { cancel: this.parts.clock.after(wait, go), go };
  }

  /** What dials are turned to. */
  get turned(): ReadonlyMap<string, string | number | boolean> {
    return this.dials;
  }

  /** Dials stand where the source says from the next run on. */
  forgetDials(): void {
    this.dials.clear();
  }

  /** Dials stand again where the source says. */
  resetDials(): void {
    this.dials.clear();
    this.begin({ reuse: true });
  }

  private asked(run: Run): RunAsked {
    const input = this.inputOf(run.linked);
    return {
      ...(run.order ? { tests: run.order } : {}),
      controls: { dials: Object.fromEntries(this.dials), open: [...(this.options.open ?? [])] },
      ...(input ? { input } : {}),
      ...(this.options.result ? { result: true } : {}),
    };
  }

  private inputOf(linked: Linked): InputData | undefined {
    if (this.input) return this.input;
    return linked.data === undefined
      ? undefined
      : { name: linked.data, file: this.parts.files.beside(this.options.file, linked.data) };
  }

  /** Ends the run in progress and says so in its record. */
  stop(): void {
    const { run } = this;
    if (!run || run.over) return;
    this.end(run, { reason: 'cancelled', message: 'stopped by hand' });
  }

  /**
   * Gets the pipeline up to speed in moments in which nothing is to be done:
   * for sessions that a person will type in.
   */
  rehearse(): void {
    this.endRehearsal?.();
    this.endRehearsal = rehearseLinking(
      this.parts.files,
      this.parts.language,
      (ms, callback) => this.parts.clock.after(ms, callback),
      () => (this.run?.over === true ? this.parts.clock.now() - this.run.startedAt : 0),
    );
  }

  async close(): Promise<void> {
    this.closed = true;
    this.endRehearsal?.();
    this.cancel();
    await Promise.all([...this.hosts.values()].map((host) => host.close()));
    this.hosts.clear();
    for (const resolve of this.idleWaiters) if (this.latest) resolve(this.latest);
    this.idleWaiters.clear();
  }

  private cancel(): void {
    const { run } = this;
    if (!run) return;
    run.over = true;
    run.limit?.();
    run.pendingEmit?.();
    run.handle?.cancel();
    for (const answer of this.looks.values()) answer({ is: 'gone', why: 'A newer run has begun.' });
    this.looks.clear();
  }

  /** A program that cannot start: its errors are the record, all of them. */
  private refuse(run: Run): void {
    const { linked } = run;
    const syntax = linked.problems.some(({ problem }) => problem.code === 'E_SYNTAX');
    const show = (problems: Linked['problems']): void => {
      const builder = new RecordBuilder(linked.program);
      for (const { file, problem } of problems)
        builder.addError(problemError(this.linker.unit(file).lines, file, problem));
      run.builder = builder;
      run.over = true;
      this.emit(run, syntax ? 'syntax' : 'failed');
      this.finish();
    };
    const more = linked.fatal.map((file) => {
      const own = linked.problems.filter((entry) => entry.file === file).map((entry) => entry.problem);
      return { file, found: this.parts.language.recover(file, this.linker.textOf(file), own) };
    });
    const others = linked.problems.filter(({ file }) => !linked.fatal.includes(file));
    if (more.every((entry) => Array.isArray(entry.found))) {
      show([
        ...more.flatMap(({ file, found }) => (found as Awaited<typeof found>).map((problem) => ({ file, problem }))),
        ...others,
      ]);
      return;
    }
    // The first error is shown at once, the others when the second parser is there.
    const builder = new RecordBuilder(linked.program);
    for (const { file, problem } of linked.problems)
      builder.addError(problemError(this.linker.unit(file).lines, file, problem));
    run.builder = builder;
    this.emit(run, syntax ? 'syntax' : 'failed');
    void Promise.all(more.map(async ({ file, found }) => (await found).map((problem) => ({ file, problem })))).then(
      (lists) => {
        if (this.run === run && !this.closed) show([...lists.flat(), ...others]);
      },
    );
  }

  private hostOf(kind: 'worker' | 'process'): Host {
    let host = this.hosts.get(kind);
    if (!host) {
      host = this.parts.host(kind);
      this.hosts.set(kind, host);
    }
    return host;
  }

  private start(run: Run, kind: 'worker' | 'process'): void {
    const { linked } = run;
    run.target = kind;
    const live = (): boolean => this.run === run && !run.over;
    const host = this.hostOf(kind);
    this.rehearsal ??= rehearsalModules(this.parts.files, this.parts.language);
    host.warm(linked.packages, this.rehearsal);
    this.giveKept(run);
    run.builder.outcomes = (name) => {
      const known = this.outcomes.get(name);
      return known && { state: known.state, text: known.text, ageMs: this.parts.clock.now() - known.at };
    };
    run.handle = host.run(
      { id: run.id, entry: linked.entry, modules: linked.modules, hangMs: this.options.hangMs, asked: this.asked(run) },
      {
        batch: (batch) => {
          if (!live()) return;
          if (batch.kept) this.takeKept(run, batch.kept);
          for (const gate of batch.gates ?? []) this.noteGate(gate);
          for (const test of batch.tests ?? []) run.tests.set(test.id, test);
          run.builder.add(batch);
          this.progress(run);
        },
        settled: (durationMs) => {
          if (!live()) return;
          run.settled = true;
          this.turnNow();
          run.durationMs = durationMs;
          if (!run.order?.alone) this.takeResults(run);
          // Most pads are done altogether a moment later: one record then, in place of two.
          run.pendingEmit?.();
          run.pendingEmit = this.parts.clock.after(2, () => {
            run.pendingEmit = undefined;
            if (live()) this.emit(run);
          });
        },
        idle: () => {
          if (!live()) return;
          run.over = true;
          run.limit?.();
          this.emit(run);
          this.finish();
        },
        stopped: (raw) => {
          if (!live()) return;
          const stop = stopOf(run.linked.program, raw);
          this.end(run, raw.reason === 'time-limit' ? { reason: 'time-limit', message: this.overdue(run) } : stop, raw);
        },
        needsProcess: (what) => {
          if (!live() || kind === 'process') return;
          this.needed = what;
          run.handle?.cancel();
          run.builder = new RecordBuilder(linked.program);
          if (this.options.target === 'worker')
            this.end(run, {
              reason: 'crashed',
              message: `the pad needs a process of its own: a worker has no ${what}. Run it with --process.`,
            });
          else this.start(run, 'process');
        },
        result: (result) => {
          if (this.run === run) this.padResult = result;
        },
        looked: (ask, answer) => {
          this.looks.get(ask)?.(answer);
          this.looks.delete(ask);
        },
        resolve: (specifier, from) => {
          const { link, modules, program } = this.linker.extend(run.linked, specifier, from);
          run.linked = { ...run.linked, program };
          run.builder.extend(program);
          return { link, modules };
        },
      },
    );
    if (Number.isFinite(this.options.timeLimitMs)) {
      run.limit = this.parts.clock.after(this.options.timeLimitMs, () => {
        if (!live()) return;
        // The target's watcher tells where it was; should it be gone too, the run ends all the same.
        run.handle?.expire();
        run.limit = this.parts.clock.after(400, () => {
          if (live()) this.end(run, { reason: 'time-limit', message: this.overdue(run) });
        });
      });
    }
  }

  /** Puts the values that still hold into the program, and notes their ages. */
  private giveKept(run: Run): void {
    const { modules, keeps } = run.linked;
    run.around = this.around(run.linked);
    for (const { unit, id, site, key } of keeps) {
      const held = this.kept.get(run.around + key);
      const module = modules.find((one) => one.unit === unit);
      if (!held || !module) continue;
      module.kept = [...module.kept.filter((one) => one.id !== id), { id, value: held.value }];
      run.builder.keep(site, { ageMs: this.parts.clock.now() - held.since });
    }
  }

  private noteGate(gate: RawGate): void {
    if (gate.state !== 'done' && gate.state !== 'failed') return;
    const text = gate.state === 'failed' ? (gate.error ?? 'failed') : gate.value ? valueText(gate.value, 80) : '';
    this.outcomes.set(gate.name, { state: gate.state, text, ageMs: 0, at: this.parts.clock.now() });
  }

  /** What comes into a program from outside its text: its data, and what dials are turned to. */
  private around(linked: Linked): string {
    const data = this.inputOf(linked);
    const stamp =
      data === undefined
        ? ''
        : 'file' in data
          ? `${data.file} ${this.parts.files.stamp(data.file)}`
          : `bytes ${this.inputs}`;
    return `${stamp}\n${JSON.stringify([...this.dials].sort(([a], [b]) => (a < b ? -1 : 1)))}\n`;
  }

  private takeKept(run: Run, list: NonNullable<Batch['kept']>): void {
    for (const { site, value, why } of list) {
      const keep = run.linked.keeps.find((one) => one.site === site);
      if (!keep) continue;
      if (why === undefined) {
        this.kept.delete(run.around + keep.key);
        this.kept.set(run.around + keep.key, { value, since: this.parts.clock.now() });
        // The oldest goes first: texts that are left behind leave values behind.
        for (const key of this.kept.keys()) if (this.kept.size > MOST_KEPT) this.kept.delete(key);
      }
      run.builder.keep(site, why === undefined ? { ageMs: 0 } : { why });
    }
  }

  /** Results of the last run that the tests of a new text can have again. */
  private reusable(linked: Linked): TestOrder | undefined {
    const { results } = this;
    // What takes no time is better run: then its lines have their values.
    if (!results || results.totalMs < WORTH_REUSING) return undefined;
    const reuse: TestOrder['reuse'] = [];
    for (const { site, key } of linked.tests) {
      const known = key === undefined ? undefined : results.byKey.get(key);
      if (known)
        reuse.push({
          site,
          tests: known.tests.map((test) => ({ ...test, site: test.site < 0 ? -1 : test.site - known.site + site })),
        });
    }
    return reuse.length > 0 ? { reuse } : undefined;
  }

  private takeResults(run: Run): void {
    const byKey: Results['byKey'] = new Map();
    const bySite = new Map<number, RawTest>();
    const inside = new Map<number, RawTest[]>();
    let totalMs = 0;
    for (const test of run.tests.values()) {
      if (test.parent < 0) {
        totalMs += test.durationMs;
        bySite.set(test.site, test);
      } else inside.set(test.parent, [...(inside.get(test.parent) ?? []), test]);
    }
    for (const { site, key } of run.linked.tests) {
      const root = bySite.get(site);
      if (!root || key === undefined) continue;
      const tests: RawTest[] = [];
      const take = (test: RawTest, parent: number): void => {
        const at = tests.push({ ...test, parent }) - 1;
        for (const child of inside.get(test.id) ?? []) take(child, at);
      };
      take(root, -1);
      // What failed is looked at, and runs each time.
      if (tests.every((test) => test.passed && test.error === undefined)) byKey.set(key, { site, tests });
    }
    this.results = { byKey, totalMs };
  }

  /** A run has come to its end: what was turned meanwhile begins, a little apart. */
  private turnNow(): void {
    const { turning, run } = this;
    if (!turning) return;
    turning.cancel();
    this.turning = {
      ...turning,
      cancel: this.parts.clock.after(
        Math.max(4, TURN_MS - (this.parts.clock.now() - (run?.startedAt ?? 0))),
        turning.go,
      ),
    };
  }

  private overdue(run: Run): string {
    const named = run.builder.pendingPlaces();
    return `still running after ${seconds(this.options.timeLimitMs)}: ${named === '' ? 'something is pending (a server, a stream, a request)' : named}. Raise the limit with --time-limit, or end it in the pad.`;
  }

  private end(run: Run, stop: Stop, raw?: RawStop): void {
    run.over = true;
    run.stop = stop;
    if (stop.reason !== 'cancelled') run.builder.endTests(stop.message);
    run.limit?.();
    if (raw?.counts) run.builder.add({ moment: 0, counts: raw.counts } as Batch);
    if (!run.settled) run.durationMs = this.parts.clock.now() - run.startedAt;
    run.handle?.cancel();
    this.emit(run, stop.reason === 'cancelled' ? 'stopped' : undefined);
    this.finish();
  }

  /** Shows a run that goes on, but not more often than anybody can see. */
  private progress(run: Run): void {
    if (run.pendingEmit) return;
    const since = this.parts.clock.now() - run.emitted;
    const wait = run.settled
      ? Math.max(0, 16 - since)
      : Math.max(0, PROGRESS_MS - (this.parts.clock.now() - Math.max(run.startedAt, run.emitted)));
    run.pendingEmit = this.parts.clock.after(wait, () => {
      run.pendingEmit = undefined;
      if (this.run === run && !run.over) this.emit(run);
    });
  }

  private emit(run: Run, outcome?: Outcome): void {
    run.pendingEmit?.();
    run.pendingEmit = undefined;
    run.emitted = this.parts.clock.now();
    const record = run.builder.record({
      ended: run.over,
      durationMs: run.durationMs,
      target: run.target,
      ...(run.stop ? { stop: run.stop } : {}),
      ...(outcome ? { outcome } : {}),
    });
    this.latest = record;
    if (record.outcome !== 'syntax' && run.target !== 'none') this.lastGood = record;
    for (const listener of this.listeners) listener(record);
  }

  private finish(): void {
    if (!this.latest) return;
    for (const resolve of this.idleWaiters) resolve(this.latest);
    this.idleWaiters.clear();
  }
}
