/** Builds records from what a target reports, batch by batch. */
import { printed } from '../runtime/messages.js';
import type { Range } from '../syntax/positions.js';
import type {
  Batch,
  RawConsole,
  RawDial,
  RawError,
  RawGate,
  RawRequest,
  RawTest,
  RawTimer,
  RawWait,
} from '../wire/reports.js';
import { Tag } from '../wire/samples.js';
import type { Value } from '../wire/value.js';
import { fileOfSite, frameOf, rangeOfFrame } from './frames.js';
import type { Program, ProgramFile } from './program.js';
import {
  type ConsoleEntry,
  type Frame,
  type GateOutcome,
  type Outcome,
  type PadRecord,
  RECORD_FORMAT,
  type RecordError,
  type Samples,
  type Shown,
  type Stop,
  type TestResult,
} from './record.js';

/** Console lines of a record that are kept. */
const FIRST_LINES = 2_000;

const LAST_LINES = 5_000;

/**
 * Gathers the batches of one run. Each {@link RecordBuilder.record} is a value of its own that later batches do not
 * change.
 */
export class RecordBuilder {
  private length = 0;
  private site = new Int32Array(64);
  private visit = new Float64Array(64);
  private moment = new Float64Array(64);
  private tag = new Uint8Array(64);
  private number = new Float64Array(64);
  private readonly rest: (Value | string)[] = [];
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
  private files: Map<string, ProgramFile>;

  constructor(private program: Program) {
    this.files = new Map(program.files.map((file) => [file.file, file]));
  }

  /** Files that joined while the program ran. */
  extend(program: Program): void {
    this.program = program;
    this.files = new Map(program.files.map((file) => [file.file, file]));
  }

  add(batch: Batch): void {
    if (batch.exitCode !== undefined) this.exitCode = batch.exitCode;
    this.moments = Math.max(this.moments, batch.moment);
    const { samples } = batch;
    if (samples) {
      this.reserve(this.length + samples.site.length);
      const shift = this.rest.length;
      this.site.set(samples.site, this.length);
      this.visit.set(samples.visit, this.length);
      this.moment.set(samples.moment, this.length);
      this.tag.set(samples.tag, this.length);
      this.number.set(samples.number, this.length);
      if (shift > 0)
        for (let i = 0; i < samples.tag.length; i++)
          if (samples.tag[i] === Tag.Rest) this.number[this.length + i]! += shift;
      for (const value of samples.rest) this.rest.push(value);
      this.length += samples.site.length;
    }
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
    for (const error of batch.errors ?? []) this.errors.push(this.error(error));
    for (const test of batch.tests ?? []) this.tests.set(test.id, this.test(test));
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
    const tests = [...this.tests.values()].map((test) => this.withWait(test));
    const failed = this.errors.length > 0 || tests.some((test) => test.state === 'failed');
    const { length } = this;
    // Rows are only ever appended, so a view of the first `length` rows does not change.
    const samples: Samples = {
      length,
      site: this.site.subarray(0, length),
      visit: this.visit.subarray(0, length),
      moment: this.moment.subarray(0, length),
      tag: this.tag.subarray(0, length),
      number: this.number.subarray(0, length),
      rest: this.rest,
    };
    return {
      format: RECORD_FORMAT,
      file: this.program.entry,
      outcome:
        state.outcome ?? (state.stop && state.stop.reason !== 'cancelled' ? 'stopped' : failed ? 'failed' : 'ok'),
      durationMs: state.durationMs,
      ended: state.ended,
      ...(this.exitCode === undefined ? {} : { exitCode: this.exitCode }),
      program: this.program,
      samples,
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

  /** A test that did not end is shown where it waits. */
  private withWait(test: TestResult): TestResult {
    if (test.failure !== 'cancelled' || this.waits.length === 0) return test;
    const wait = this.waits.find(({ file, line }) => file === test.file && line >= test.line && line <= test.lastLine);
    if (!wait) return test;
    const at = { line: wait.line, character: wait.character };
    const message = (
      `${test.error?.message ?? test.reason ?? 'it did not end'}: it ` + `stands at the await in line ${wait.line + 1}`
    ).replace(
      'it waits for something that cannot come any more: it stands',
      'what it waits for cannot come any more: it stands',
    );
    return {
      ...test,
      reason: message,
      error: {
        kind: 'thrown',
        moment: test.moment,
        name: '',
        frames: [],
        ...test.error,
        message,
        file: wait.file,
        range: { start: at, end: { line: at.line, character: at.character + 5 } },
      },
    };
  }

  private reserve(size: number): void {
    if (size <= this.site.length) return;
    const room = Math.max(size, this.site.length * 2);
    const widen = <T extends { set(from: T): void }>(from: T, to: T): T => {
      to.set(from);
      return to;
    };
    this.site = widen(this.site, new Int32Array(room));
    this.visit = widen(this.visit, new Float64Array(room));
    this.moment = widen(this.moment, new Float64Array(room));
    this.tag = widen(this.tag, new Uint8Array(room));
    this.number = widen(this.number, new Float64Array(room));
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
      const file = fileOfSite(this.program, raw.site);
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

  private error(raw: RawError): RecordError {
    const frames = raw.frames.map((frame) => this.named(frameOf(frame)));
    const at = frames.find((frame) => frame.local);
    const error: RecordError = {
      kind: raw.kind,
      moment: raw.moment,
      name: raw.name,
      message: this.namedMessage(raw.message, at),
      file: at?.file ?? this.program.entry,
      range: at ? this.widened(at) : { start: { line: 0, character: 0 }, end: { line: 0, character: 0 } },
      frames,
    };
    if (raw.code !== undefined) error.code = raw.code;
    if (raw.value) error.value = raw.value;
    if (raw.expected) error.expected = raw.expected;
    if (raw.received) error.received = raw.received;
    if (raw.operator !== undefined) error.operator = raw.operator;
    if (raw.differences) error.differences = raw.differences;
    if (raw.cause) error.cause = this.error(raw.cause);
    if (raw.errors) error.errors = raw.errors.map((one) => this.error(one));
    return error;
  }

  /** A function without a name is called by the test it is the body of, or told apart from the top level. */
  private named(frame: Frame): Frame {
    const file = frame.local && frame.name === '' ? this.files.get(frame.file) : undefined;
    if (!file) return frame;
    const offset = file.lines.offsetAt(frame.range.start);
    let inner: ProgramFile['sites'][number] | undefined;
    for (const site of file.sites)
      if (site.kind === 'function' && site.start <= offset && site.end > offset && (!inner || site.start > inner.start))
        inner = site;
    if (!inner || inner.name === 'module') return frame;
    const body = inner;
    const test = file.sites.find(
      (site) =>
        site.kind === 'test' &&
        site.name !== '' &&
        site.start < body.start &&
        site.end >= body.end &&
        site.end - body.end <= 4,
    );
    return { ...frame, name: test ? `test '${test.name}'` : 'a function' };
  }

  /**
   * The engine names what a failed call was about by its code, and a probe
   * stands in that code where a stage of a chain is shown: the person's own
   * text is put back.
   */
  private namedMessage(message: string, at: Frame | undefined): string {
    const file = at && this.files.get(at.file);
    if (!file || !message.includes('(intermediate value)')) return message;
    const offset = file.lines.offsetAt(at.range.start);
    let best: ProgramFile['sites'][number] | undefined;
    for (const site of file.sites)
      if (
        (site.kind === 'stage' || site.kind === 'mark') &&
        site.end <= offset &&
        (!best || site.end > best.end || (site.end === best.end && site.start < best.start))
      )
        best = site;
    if (!best || !/^[\s.)]*(?:\/\*.*?\*\/)?[\s.?]*$/s.test(file.lines.text.slice(best.end, offset))) return message;
    return message.replace('(intermediate value)', () => printed(file.lines.text.slice(best.start, best.end)));
  }

  /** A frame's place, up to the end of the word that stands there. */
  private widened(frame: Frame): Range {
    const file = this.files.get(frame.file);
    if (!file) return frame.range;
    const text = file.lines.line(Math.min(frame.range.start.line, file.lines.lineCount - 1));
    let end = frame.range.start.character;
    while (end < text.length && /[\w$.]/.test(text[end]!)) end++;
    return {
      start: frame.range.start,
      end: { line: frame.range.start.line, character: Math.max(end, frame.range.start.character + 1) },
    };
  }

  private test(raw: RawTest): TestResult {
    const file = raw.site >= 0 ? fileOfSite(this.program, raw.site) : undefined;
    const site = file?.sites[raw.site - file.base];
    const at =
      file && site
        ? {
            file: file.file,
            line: file.lines.lineAt(site.start),
            lastLine: file.lines.lineAt(Math.max(site.start, site.end - 1)),
          }
        : { file: raw.frame?.file ?? this.program.entry, line: raw.frame?.line ?? 0, lastLine: raw.frame?.line ?? 0 };
    const error = raw.error && this.error(raw.error);
    if (error && !error.frames.some((frame) => frame.local)) {
      // Nobody threw it, or only code of others stood there: the test itself is its place.
      error.file = at.file;
      error.range = file && site ? file.lines.rangeOf(site.start, site.end) : error.range;
      if (!file) error.range = { start: { line: at.line, character: 0 }, end: { line: at.line, character: 0 } };
    }
    return {
      id: raw.id,
      parent: raw.parent,
      name: raw.name,
      path: raw.path,
      state: raw.state,
      ...at,
      durationMs: raw.durationMs,
      moment: raw.moment,
      suite: raw.suite,
      passed: raw.passed,
      ...(error ? { error } : {}),
      ...(raw.failure ? { failure: raw.failure } : {}),
      ...(raw.leftOut ? { leftOut: raw.leftOut } : {}),
      ...(raw.reason === undefined ? {} : { reason: raw.reason }),
      ...(raw.notes ? { notes: raw.notes } : {}),
      ...(raw.reused ? { reused: raw.reused } : {}),
    };
  }
}
