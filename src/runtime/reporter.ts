/**
 * The target's side of a record: columns that grow, batches that leave.
 * The clock gives every reported thing its moment.
 */
import * as own from './originals.js';
import { RetainedValues } from './retained-values.js';
import { whyNotKept } from './keeping.js';
import { Previewer, SHALLOW, SMALL, WIDE, type Introspection } from './preview.js';
import type { Batch, RawConsole, RawError, RawGate, RawDial, RawRequest, RawShown, RawTest } from '../wire/reports.js';
import { Tag, type SampleColumns } from '../wire/samples.js';
import type { Value } from '../wire/value.js';

const FLUSH_MS = 40;
/** Object previews in one run before they become smaller. */
const MANY_PREVIEWS = 5_000;

export class Reporter {
  /** The moment of the last thing reported. */
  clock = 0;
  /** Samples taken so far. */
  samples = 0;
  /** Batches sent so far. */
  flushes = 0;
  private previews = 0;
  readonly previewer: Previewer;
  private site = new Int32Array(256);
  private visit = new Float64Array(256);
  private moment = new Float64Array(256);
  private tag = new Uint8Array(256);
  private number = new Float64Array(256);
  private rest: (Value | string)[] = [];
  private rows = 0;
  private console: RawConsole[] = [];
  consoleOmitted = 0;
  private errors: RawError[] = [];
  private tests: RawTest[] = [];
  private shown: RawShown[] = [];
  private requests: RawRequest[] = [];
  private dials: RawDial[] = [];
  private gates: RawGate[] = [];
  private pendingText = '';
  private lastPending = 0;
  /** What is pending now, asked for at most a few times a second. */
  pending: (() => Pick<Batch, 'waits' | 'timers'>) | undefined;
  private lastFlush = 0;
  private readonly timings = own.safeMap<number, { site: number; total: number; visits: number }>();
  readonly holder = new RetainedValues();
  private readonly units: { unit: number; cells: Float64Array }[] = [];

  constructor(
    private readonly introspection: Introspection,
    private readonly send: (batch: Batch) => void,
    readonly now: () => number,
  ) {
    this.previewer = new Previewer(introspection);
    this.lastFlush = now();
  }

  addUnit(unit: number, cells: Float64Array): void {
    if (cells.length > 0) own.append(this.units, { unit, cells });
  }

  removeUnit(unit: number): void {
    let kept = 0;
    for (let i = 0; i < this.units.length; i++) if (this.units[i]!.unit !== unit) this.units[kept++] = this.units[i]!;
    this.units.length = kept;
  }

  /** Hands a value over to be held for the next run. */
  keep(site: number, value: unknown): void {
    const why = whyNotKept(value, this.introspection);
    // At once and as a copy: what the program does to the value later is not part of it.
    try {
      this.send({ moment: this.clock, kept: [why === undefined ? { site, value } : { site, why }] });
    } catch {
      this.send({ moment: this.clock, kept: [{ site, why: 'the engine cannot copy it' }] });
    }
  }

  /** Adds the time of one visit of a timed mark; the sum is exact. */
  timed(site: number, took: number): void {
    const known = this.timings.get(site);
    if (known) {
      known.total += took;
      known.visits++;
    } else this.timings.set(site, { site, total: took, visits: 1 });
  }

  sample(site: number, visit: number, value: unknown, late = false, failed = false, wide = false): void {
    if (this.rows === this.site.length) this.grow();
    const row = this.rows++;
    this.samples++;
    this.site[row] = site;
    this.visit[row] = visit;
    this.moment[row] = ++this.clock;
    let tag: Tag = Tag.Rest;
    switch (failed ? 'object' : typeof value) {
      case 'number':
        tag = Tag.Number;
        this.number[row] = value as number;
        break;
      case 'undefined':
        tag = Tag.Undefined;
        break;
      case 'boolean':
        tag = value ? Tag.True : Tag.False;
        break;
      default:
        if (value === null && !failed) tag = Tag.Null;
        else {
          this.number[row] = this.rest.length;
          if (typeof value === 'string' && !failed && value.length <= SHALLOW.text) own.append(this.rest, value);
          else {
            this.holder.hold(this.clock, 0, value);
            const preview = this.previewer.take(value, wide ? WIDE : ++this.previews > MANY_PREVIEWS ? SMALL : SHALLOW);
            if (late && preview.type === 'object') preview.late = true;
            if (failed) preview.failed = true;
            own.append(this.rest, preview);
          }
        }
    }
    this.tag[row] = tag;
    if (this.rows >= 4096) this.flush();
  }

  addConsole(entry: RawConsole): void {
    own.append(this.console, entry);
    if (this.console.length >= 500) this.flush();
  }

  addError(error: RawError): void {
    own.append(this.errors, error);
  }

  addShown(shown: RawShown): void {
    own.append(this.shown, shown);
  }

  addRequest(request: RawRequest): void {
    for (let i = 0; i < this.requests.length; i++)
      if (this.requests[i]!.id === request.id) {
        this.requests[i] = request;
        return;
      }
    own.append(this.requests, request);
  }

  addDial(dial: RawDial): void {
    own.append(this.dials, dial);
  }

  addGate(gate: RawGate): void {
    own.append(this.gates, gate);
  }

  addTest(test: RawTest): void {
    own.append(this.tests, test);
  }

  /** Flushes when the last flush is some time ago; for places that are reached often. */
  tick(): void {
    if (this.now() - this.lastFlush >= FLUSH_MS) this.flush(true);
  }

  /** Looks at an error that the program has caught. */
  caught: ((error: unknown) => void) | undefined;

  /** With which the program has ended. */
  exitCode: number | undefined;

  /** The next flush tells all there is, however soon after the last. */
  final = false;

  /** Hands over what waits elsewhere, before each flush. */
  beforeFlush: (() => void) | undefined;

  flush(withCounts = false): void {
    this.beforeFlush?.();
    this.lastFlush = this.now();
    this.flushes++;
    const batch: Batch = { moment: this.clock };
    if (this.exitCode !== undefined) batch.exitCode = this.exitCode;
    if (this.rows > 0) {
      const columns: SampleColumns = {
        site: this.site.slice(0, this.rows),
        visit: this.visit.slice(0, this.rows),
        moment: this.moment.slice(0, this.rows),
        tag: this.tag.slice(0, this.rows),
        number: this.number.slice(0, this.rows),
        rest: this.rest,
      };
      batch.samples = columns;
      this.rows = 0;
      this.rest = [];
    }
    if (this.console.length > 0) {
      batch.console = this.console;
      this.console = [];
    }
    if (this.consoleOmitted > 0) batch.consoleOmitted = this.consoleOmitted;
    if (this.errors.length > 0) {
      batch.errors = this.errors;
      this.errors = [];
    }
    if (this.tests.length > 0) {
      batch.tests = this.tests;
      this.tests = [];
    }
    if (this.shown.length > 0) {
      batch.shown = this.shown;
      this.shown = [];
    }
    if (this.dials.length > 0) {
      batch.dials = this.dials;
      this.dials = [];
    }
    if (this.gates.length > 0) {
      batch.gates = this.gates;
      this.gates = [];
    }
    if (this.requests.length > 0) {
      batch.requests = this.requests;
      this.requests = [];
    }
    if (withCounts) this.addPending(batch);
    if (withCounts) {
      const counts: { unit: number; cells: Float64Array }[] = [];
      for (let i = 0; i < this.units.length; i++) {
        const { unit, cells } = this.units[i]!;
        // A copy of its own: the shared counts go on changing.
        const copy = new Float64Array(cells.length);
        copy.set(cells);
        own.append(counts, { unit, cells: copy });
      }
      batch.counts = counts;
      batch.time = this.lastFlush;
      const timings: Batch['timings'] = [];
      this.timings.forEach((timing) => own.append(timings, { ...timing }));
      if (timings.length > 0) batch.timings = timings;
    }
    this.send(batch);
  }

  private addPending(batch: Batch): void {
    if (!this.pending || (this.lastFlush - this.lastPending < 150 && !this.final)) return;
    this.lastPending = this.lastFlush;
    const now = this.pending();
    const text = own.jsonText(now as never);
    if (text === this.pendingText) return;
    this.pendingText = text;
    batch.waits = now.waits!;
    batch.timers = now.timers!;
  }

  private grow(): void {
    const size = this.site.length * 2;
    const widen = <T extends Int32Array | Float64Array | Uint8Array>(from: T, to: T): T => {
      to.set(from as never);
      return to;
    };
    this.site = widen(this.site, new Int32Array(size));
    this.visit = widen(this.visit, new Float64Array(size));
    this.moment = widen(this.moment, new Float64Array(size));
    this.tag = widen(this.tag, new Uint8Array(size));
    this.number = widen(this.number, new Float64Array(size));
  }
}
