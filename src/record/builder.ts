/** Builds records from what a target reports, batch by batch. */
import type { Batch, RawConsole, RawDial, RawGate, RawRequest, RawTimer, RawWait } from '../wire/reports.js';
import { fileOfSite, frameOf, rangeOfFrame } from './frames.js';
import type { Program } from './program.js';
import { type Places, placesOf, recordError } from './record-errors.js';
import { testResult, withWait } from './record-tests.js';
import {
  type ConsoleEntry,
  type GateOutcome,
  type Outcome,
  type PadRecord,
  RECORD_FORMAT,
  type RecordError,
  type Shown,
  type Stop,
  type TestResult,
} from './record.js';
import { SampleRows } from './sample-rows.js';

/** Console lines of a record that are kept. */
const FIRST_LINES = 2_000;

const LAST_LINES = 5_000;

/**
 * Gathers the batches of one run. Each {@link RecordBuilder.record} is a value of its own that later batches do not
 * change.
 */
export class RecordBuilder {
  private readonly samples = new SampleRows();
  private counts = new Map<number, Float64Array>();
  private kept = new Map<number, { ageMs?: number; why?: string }>();
  private timings = new Map<number, { total: number; visits: number }>();
  private readonly console: ConsoleEntry[] = [];
  private consoleOmitted = 0;
  private dropped = 0;
  private exitCode: number | undefined;
  private shown: readonly Shown[] = [];
  private waits: readonly RawWait[] = [];
  private timers: readonly RawTimer[] = [];
  private readonly dials = new Map<string, RawDial>();
  private readonly gates = new Map<number, RawGate>();
  /** What came of gates before this run, by name. */
  outcomes: ((name: string) => GateOutcome | undefined) | undefined;
  private requests = new Map<number, RawRequest>();
  private readonly errors: RecordError[] = [];
  private readonly tests = new Map<number, TestResult>();
  private moments = 0;
  private places: Places;

  constructor(program: Program) {
    this.places = placesOf(program);
  }

  /** Files that joined while the program ran. */
  extend(program: Program): void {
    this.places = placesOf(program);
  }

  add(batch: Batch): void {
    if (batch.exitCode !== undefined) this.exitCode = batch.exitCode;
    this.moments = Math.max(this.moments, batch.moment);
    if (batch.samples) this.samples.append(batch.samples);
    if (batch.counts) {
      this.counts = new Map(this.counts);
      for (const { unit, cells } of batch.counts) this.counts.set(unit, cells);
    }
    if (batch.timings)
      this.timings = new Map(batch.timings.map(({ site, total, visits }) => [site, { total, visits }]));
    for (const entry of batch.console ?? []) this.console.push(this.consoleEntry(entry));
    if (this.console.length > FIRST_LINES + LAST_LINES * 2) {
      // A stream that goes on for long: its first lines and its last ones are kept.
      const drop = this.console.length - FIRST_LINES - LAST_LINES;
      this.console.splice(FIRST_LINES, drop);
      this.dropped += drop;
    }
    if (batch.consoleOmitted !== undefined) this.consoleOmitted = batch.consoleOmitted;
    if (batch.shown) {
      const shown = new Map(this.shown.map((one) => [one.id, one]));
      for (const { frame, ...rest } of batch.shown)
        shown.set(rest.id, { ...rest, ...(frame ? { file: frame.file, line: frame.line } : {}) });
      this.shown = [...shown.values()];
    }
    if (batch.waits) this.waits = batch.waits;
    if (batch.timers) this.timers = batch.timers;
    for (const dial of batch.dials ?? []) this.dials.set(dial.name, dial);
    for (const gate of batch.gates ?? []) this.gates.set(gate.id, gate);
    for (const request of batch.requests ?? []) this.requests.set(request.id, request);
    for (const error of batch.errors ?? []) this.errors.push(recordError(error, this.places));
    for (const test of batch.tests ?? []) this.tests.set(test.id, testResult(test, this.places));
  }

  /** What became of a kept expression. */
  keep(site: number, state: { ageMs?: number; why?: string }): void {
    this.kept = new Map(this.kept).set(site, state);
  }

  /** What keeps the program going, as far as it is known, in words. */
  pendingPlaces(): string {
    const at = (line: number | undefined): string => (line === undefined ? '' : ` at line ${line + 1}`);
    const found = [
      ...this.timers.map((timer) => `${timer.repeats ? 'an interval' : 'a timer'}${at(timer.frame?.line)}`),
      ...[...this.requests.values()]
        .filter((request) => request.state === 'open')
        .map((request) => `a request${at(request.frames[0]?.line)}`),
      ...this.waits.map((wait) => `an await${at(wait.line)}`),
    ];
    return found.length === 0
      ? ''
      : `${found.slice(0, 3).join(', ')}${found.length > 3 ? ` and ${found.length - 3} more` : ''} ${found.length === 1 ? 'is' : 'are'} pending`;
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

  /** An error that the host knows of, not the target. */
  addError(error: RecordError): void {
    this.errors.push(error);
  }

  record(state: {
    ended: boolean;
    durationMs: number;
    target: PadRecord['target'];
    stop?: Stop;
    outcome?: Outcome;
  }): PadRecord {
    const tests = [...this.tests.values()].map((test) => withWait(test, this.waits));
    const failed = this.errors.length > 0 || tests.some((test) => test.state === 'failed');
    return {
      format: RECORD_FORMAT,
      file: this.places.program.entry,
      outcome:
        state.outcome ?? (state.stop && state.stop.reason !== 'cancelled' ? 'stopped' : failed ? 'failed' : 'ok'),
      durationMs: state.durationMs,
      ended: state.ended,
      ...(this.exitCode === undefined ? {} : { exitCode: this.exitCode }),
      program: this.places.program,
      samples: this.samples.soFar(),
      counts: this.counts,
      timings: this.timings,
      kept: this.kept,
      console: this.console.slice(),
      consoleOmitted: this.consoleOmitted + this.dropped,
      shown: this.shown,
      dials: [...this.dials.values()],
      gates: [...this.gates.values()].map((gate) => {
        const last = this.outcomes?.(gate.name);
        return last && gate.state === 'closed' ? { ...gate, last } : gate;
      }),
      waits: this.waits.filter(
        (wait) =>
          ![...this.gates.values()].some(
            (gate) => gate.state === 'closed' && gate.frame?.file === wait.file && gate.frame.line === wait.line,
          ),
      ),
      timers: this.timers,
      requests: [...this.requests.values()],
      errors: this.errors.slice(),
      tests: tests.sort((a, b) => a.line - b.line),
      ...(state.stop ? { stop: state.stop } : {}),
      target: state.target,
      moments: this.moments,
    };
  }

  private consoleEntry(raw: RawConsole): ConsoleEntry {
    const entry: ConsoleEntry = {
      moment: raw.moment,
      time: raw.time,
      level: raw.level,
      method: raw.method,
      text: raw.text,
      args: raw.args,
      indent: raw.indent,
    };
    if (raw.site >= 0) {
      const file = fileOfSite(this.places.program, raw.site);
      const site = file?.sites[raw.site - file.base];
      if (file && site) {
        entry.file = file.file;
        entry.range = file.lines.rangeOf(site.start, site.end);
      }
    } else if (raw.frame) {
      entry.file = raw.frame.file;
      entry.range = rangeOfFrame(raw.frame);
    }
    if (raw.frames) entry.frames = raw.frames.map(frameOf);
    if (raw.table) entry.table = raw.table;
    return entry;
  }
}
