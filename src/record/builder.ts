/** Builds records from what a target reports, batch by batch. */
import type { Path } from '../wire/opening.js';
import type { Batch } from '../wire/reports.js';
import { type Before, type Carried, withBefore, withCarried } from './carried-tests.js';
import { ConsoleLines } from './console-lines.js';
import { Pending } from './pending.js';
import type { Program } from './program.js';
import { type Places, placesOf, recordError } from './record-errors.js';
import type { LineTable } from '../syntax/positions.js';
import { withOwnResults, type OwnResult } from './own-results.js';
import { testResult, withWait } from './record-tests.js';
import {
  type Outcome,
  type OwnRun,
  type PadRecord,
  RECORD_FORMAT,
  type RecordError,
  type Shown,
  type Stop,
  type TestResult,
} from './record.js';
import { SampleRows } from './sample-rows.js';
import { StepRows } from './step-rows.js';
import { keepWithin } from './walk/folding.js';
import { meetWith, openWith } from './walk/opening.js';

/**
 * Gathers the batches of one run. Each {@link RecordBuilder.record} is a value of its own that later batches do not
 * change.
 */
export class RecordBuilder {
  /** What the program waits for, and its gates and dials. */
  readonly pending = new Pending();
  /** Samples; and, of a run at depth `steps`, frames and statements. */
  private readonly rows: { samples: SampleRows; steps?: StepRows } = { samples: new SampleRows() };
  /** By site: visits, times of marks, what became of kept expressions. */
  private sites: Pick<PadRecord, 'counts' | 'timings' | 'kept'> = {
    counts: new Map(),
    timings: new Map(),
    kept: new Map(),
  };
  private readonly console = new ConsoleLines();
  private shown: readonly Shown[] = [];
  private readonly errors: RecordError[] = [];
  private readonly tests = new Map<number, TestResult>();
  private around: { carried?: Carried; before?: Before } = {};
  private own: { run: OwnRun; results: readonly OwnResult[] } | undefined;
  private readonly state: { moments: number; exitCode?: number } = { moments: 0 };
  private places: Places;

  /** @param stepsBytes of a run at depth `steps`: bytes that frames, statements and values may take */
  constructor(
    program: Program,
    readonly stepsBytes = 96 * 1024 * 1024,
  ) {
    this.places = placesOf(program);
  }

  /** Files that joined while the program ran. */
  extend(program: Program): void {
    this.places = placesOf(program);
  }

  /** What was told of steps so far. */
  get steps(): { length: number; path: Path } | undefined {
    return this.rows.steps;
  }

  /** The step of the first failure, where steps were counted alone; -1 where they were told; undefined without one. */
  get failedAt(): number | undefined {
    const failed = [...this.tests.values()]
      .sort((a, b) => a.line - b.line)
      .find(({ state, suite }) => state === 'failed' && !suite);
    const moment = failed?.error?.moment ?? this.errors[0]?.moment;
    return moment === undefined ? undefined : (this.rows.steps?.noted.get(moment) ?? -1);
  }

  /** The run repeats another that has gone this way. */
  repeats(first: Path): void {
    (this.rows.steps ??= new StepRows()).first = first;
  }

  add(batch: Batch): void {
    if (batch.exitCode !== undefined) this.state.exitCode = batch.exitCode;
    this.state.moments = Math.max(this.state.moments, batch.moment);
    if (batch.opening) openWith((this.rows.steps ??= new StepRows()), batch.opening, this.places.program);
    for (const met of batch.met ?? []) meetWith((this.rows.steps ??= new StepRows()), met, this.places.program);
    if (batch.samples) this.rows.samples.append(batch.samples);
    if (batch.steps) {
      const steps = (this.rows.steps ??= new StepRows());
      steps.append(batch.steps);
      const rows = { samples: this.rows.samples, steps };
      keepWithin(rows, this.places.program, this.stepsBytes);
      this.rows.samples = rows.samples;
    }
    if (batch.path) (this.rows.steps ??= new StepRows()).goOn(batch.path);
    if (batch.counts) {
      const counts = new Map(this.sites.counts);
      for (const { unit, cells } of batch.counts) counts.set(unit, cells);
      this.sites = { ...this.sites, counts };
    }
    if (batch.timings) {
      const timings = new Map(batch.timings.map(({ site, total, visits }) => [site, { total, visits }]));
      this.sites = { ...this.sites, timings };
    }
    for (const entry of batch.console ?? []) this.console.add(entry, this.places.program);
    if (batch.consoleOmitted !== undefined) this.console.omittedThere = batch.consoleOmitted;
    if (batch.shown) {
      const shown = new Map(this.shown.map((one) => [one.id, one]));
      for (const { frame, ...rest } of batch.shown)
        shown.set(rest.id, { ...rest, ...(frame ? { file: frame.file, line: frame.line } : {}) });
      this.shown = [...shown.values()];
    }
    this.pending.add(batch);
    for (const error of batch.errors ?? []) this.errors.push(recordError(error, this.places));
    for (const test of batch.tests ?? []) this.tests.set(test.id, testResult(test, this.places));
  }

  /**
   * What became of a kept expression.
   *
   * @param state the age of its value in milliseconds, or why it could not be kept
   */
  keep(site: number, state: { ageMs?: number; why?: string }): void {
    this.sites = { ...this.sites, kept: new Map(this.sites.kept).set(site, state) };
  }

  /** The run was ended: tests that had begun and not ended have failed, for that reason. */
  endTests(why: string): void {
    for (const [id, test] of this.tests)
      if (test.state === 'running') {
        this.tests.set(id, {
          ...test,
          state: 'failed',
          passed: false,
          failure: 'cancelled',
          reason: `it had not ended: ${why}`,
        });
      }
  }

  /**
   * Tests that do not run have the results of the run before, and those that do are compared with what they came to in
   * one of the same text.
   */
  surround(around: { carried?: Carried; before?: Before }): void {
    this.around = { ...this.around, ...around };
  }

  /** What the project's own test framework says. */
  ownRun(run: OwnRun, results: readonly OwnResult[] = []): void {
    this.own = { run, results };
  }

  /** An error that the host knows of, not the target. */
  addError(error: RecordError): void {
    this.errors.push(error);
  }

  /**
   * The record of what is known by now.
   *
   * @param state what only the session knows: `durationMs` in milliseconds, how the run ended if it has
   */
  record(state: {
    ended: boolean;
    durationMs: number;
    target: PadRecord['target'];
    kept?: true;
    stop?: Stop;
    outcome?: Outcome;
  }): PadRecord {
    const { tests, ownRun } = this.testsNow();
    const failed =
      this.errors.length > 0 ||
      tests.some((test) => test.state === 'failed') ||
      (ownRun?.state === 'failed' && ownRun.instead !== undefined);
    const stopped = state.stop !== undefined && state.stop.reason !== 'cancelled';
    return {
      format: RECORD_FORMAT,
      file: this.places.program.entry,
      outcome: state.outcome ?? (stopped ? 'stopped' : failed ? 'failed' : 'ok'),
      durationMs: state.durationMs,
      ended: state.ended,
      ...(this.state.exitCode === undefined ? {} : { exitCode: this.state.exitCode }),
      program: this.places.program,
      samples: this.rows.samples.soFar(),
      ...(this.rows.steps ? { steps: this.rows.steps.soFar() } : {}),
      ...this.sites,
      console: this.console.soFar(),
      consoleOmitted: this.console.omitted,
      shown: this.shown,
      ...this.pending.soFar(),
      errors: this.errors.slice(),
      tests: tests.sort((a, b) => a.line - b.line),
      ...(ownRun ? { ownRun } : {}),
      ...(state.stop ? { stop: state.stop } : {}),
      target: state.target,
      ...(state.kept ? { keptPackages: true as const } : {}),
      moments: this.state.moments,
    };
  }

  private testsNow(): { tests: TestResult[]; ownRun?: OwnRun } {
    const { carried, before } = this.around;
    let tests = [...this.tests.values()].map((test) => withWait(test, this.pending.waits));
    if (carried) tests = withCarried(tests, carried, this.places.program.entry);
    if (before) tests = withBefore(tests, before);
    if (!this.own) return { tests };
    const { run, results } = this.own;
    if (run.state !== 'done') return { tests, ownRun: run };
    const { entry, files } = this.places.program;
    const { lines } = files.find(({ file }) => file === entry)!;
    const merged = withOwnResults(tests, results, entry, run.framework, (name) => declaredAt(lines, name));
    return { tests: merged.tests, ownRun: { ...run, differing: merged.differing } };
  }
}

/** The line on which a name stands as text, for tests whose declaration nobody has seen. */
function declaredAt(lines: LineTable, name: string): number {
  const at = lines.text.indexOf(name);
  return at < 0 ? 0 : lines.lineAt(at);
}
