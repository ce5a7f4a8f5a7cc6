/**
 * The target's side of a record: what is reported gathers in a batch, and batches
 * leave. The clock gives every reported thing its moment.
 */
import type {
  Batch,
  RawConsole,
  RawDial,
  RawError,
  RawGate,
  RawRequest,
  RawShown,
  RawTest,
} from '../../wire/reports.js';
import type { EntryCounts } from '../../wire/entries.js';
import type { Met, Opening } from '../../wire/opening.js';
import { whyNotKept } from '../keeping.js';
import { Identities } from '../identities.js';
import * as own from '../originals.js';
import { Previewer, type Introspection } from '../preview.js';
import { RetainedValues } from '../retained-values.js';
import type { ReachedSites } from './reached-sites.js';
import type { StepTeller } from './step-teller.js';
import { KnownObjects } from './known-objects.js';
import { SampleRows, type SampleKind } from './sample-rows.js';
import { SiteCounts } from './site-counts.js';

/** Milliseconds between two batches of a program that is busy. */
const FLUSH_MS = 40;
/** Milliseconds between two looks at what is pending. */
const PENDING_MS = 150;
/** Bytes of objects that are held for a walk. */
const HELD_BYTES = 48 * 1024 * 1024;
/** Samples and lines that wait at most. */
const MOST_ROWS = 4096;
const MOST_ROWS_OF_ALL = 1 << 15;
const MOST_LINES = 500;

const PLAIN: SampleKind = { late: false, failed: false, wide: false };

/** What others have to do with reports; set by whoever puts a target together. */
export interface ReporterHooks {
  /** Looks at an error that the program has caught. */
  caught?: (error: unknown) => void;
  /** Hands over what waits elsewhere, before each batch leaves. */
  beforeFlush?: () => void;
  /** Hands over what came in from outside. */
  entries?: () => void;
  /** What is pending now, asked for at most a few times a second. */
  pending?: () => Pick<Batch, 'waits' | 'timers'>;
}

export class Reporter {
  /** The moment of the last thing reported. */
  clock = 0;
  readonly previewer: Previewer;
  readonly holder = new RetainedValues();
  readonly samples: SampleRows;
  readonly counts = new SiteCounts();
  readonly hooks: ReporterHooks = {};
  /** Set by what the run is asked: `steps` at that depth, `reached` where it is told what each test reaches. */
  readonly asked: { steps?: StepTeller; reached?: ReachedSites; pixel?: { x: number; y: number }; paused: boolean } = {
    // What goes on is not told at depth `steps`: another pixel than the one that is wanted, a part that is only counted.
    paused: false,
  };
  /** Batches so far, the engine's time of the last one, and what it said of what is pending. */
  private readonly sent = { batches: 0, at: 0, pending: '', pendingAt: 0 };
  private next: Batch = { moment: 0 };

  /** @param now milliseconds of the engine's clock */
  constructor(
    private readonly introspection: Introspection,
    private readonly send: (batch: Batch) => void,
    readonly now: () => number,
  ) {
    this.previewer = new Previewer(introspection);
    this.samples = new SampleRows(this.previewer, this.holder);
    this.sent.at = now();
  }

  /** Batches sent so far. */
  get flushes(): number {
    return this.sent.batches;
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

  sample(site: number, visit: number, value: unknown, kind = PLAIN): void {
    if (this.asked.paused) return;
    this.samples.add(++this.clock, site, visit, value, kind);
    if (this.samples.rows >= (this.takesAll ? MOST_ROWS_OF_ALL : MOST_ROWS)) this.flush();
  }

  /** Frames, statements and every value are to be told. */
  takeSteps(steps: StepTeller, pixel?: { x: number; y: number }): void {
    this.asked.steps = steps;
    if (pixel) this.asked.pixel = pixel;
    this.previewer.identities = new Identities();
    this.samples.known = new KnownObjects();
    // The newest part of the run is kept: its objects are to be there.
    this.holder.most = HELD_BYTES;
  }

  /** What is told of steps begins in the middle of the run. */
  open(opening: Opening): void {
    this.next.opening = opening;
  }

  /** Frames from before that are met. */
  meet(met: Met): void {
    own.append((this.next.met ??= []), met);
  }

  /** What is called for a pixel: only that of the one that is walked through is told. @returns what the call gives */
  forPixel<T>(x: number, y: number, call: () => T): T {
    const { pixel, steps } = this.asked;
    return pixel && steps && (x !== pixel.x || y !== pixel.y) ? steps.hold(call) : call();
  }

  /** Every value is wanted, of places that are reached often too. */
  get takesAll(): boolean {
    return this.asked.steps !== undefined;
  }

  addConsole(entry: RawConsole): void {
    const console = (this.next.console ??= []);
    own.append(console, entry);
    if (console.length >= MOST_LINES) this.flush();
  }

  /** How many lines of the console were left out so far. */
  omitted(lines: number): void {
    if (lines > 0) this.next.consoleOmitted = lines;
  }

  addError(error: RawError): void {
    own.append((this.next.errors ??= []), error);
  }

  addShown(shown: RawShown): void {
    own.append((this.next.shown ??= []), shown);
  }

  addRequest(request: RawRequest): void {
    const requests = (this.next.requests ??= []);
    for (let i = 0; i < requests.length; i++)
      if (requests[i]!.id === request.id) {
        requests[i] = request;
        return;
      }
    own.append(requests, request);
  }

  addDial(dial: RawDial): void {
    own.append((this.next.dials ??= []), dial);
  }

  addGate(gate: RawGate): void {
    own.append((this.next.gates ??= []), gate);
  }

  addEntries(entries: EntryCounts[]): void {
    this.next.entries = entries;
  }

  addTest(test: RawTest): void {
    own.append((this.next.tests ??= []), test);
  }

  /** With which code the program has ended; undefined when it chose none. */
  ended(exitCode: number | undefined): void {
    if (exitCode !== undefined) this.next.exitCode = exitCode;
  }

  /** Flushes when the last flush is some time ago; for places that are reached often. */
  tick(): void {
    if (this.now() - this.sent.at >= FLUSH_MS) this.flush({ counts: true });
  }

  /**
   * Sends what has gathered.
   *
   * @param counts with exact counts, times and what is pending
   * @param final all there is, however soon after the last time
   */
  flush({ counts = false, final = false }: { counts?: boolean; final?: boolean } = {}): void {
    const { sent } = this;
    this.hooks.beforeFlush?.();
    this.hooks.entries?.();
    sent.at = this.now();
    sent.batches++;
    const batch = this.next;
    this.next = { moment: this.clock };
    batch.moment = this.clock;
    const samples = this.samples.hand();
    if (samples) batch.samples = samples;
    const { steps: teller } = this.asked;
    const steps = teller?.rows.hand();
    if (steps) batch.steps = steps;
    if (teller) teller.tell(batch);
    if (counts) {
      this.addPending(batch, final);
      batch.time = sent.at;
      this.counts.tell(batch);
    }
    this.send(batch);
  }

  private addPending(batch: Batch, final: boolean): void {
    const { hooks, sent } = this;
    if (!hooks.pending || (sent.at - sent.pendingAt < PENDING_MS && !final)) return;
    sent.pendingAt = sent.at;
    const now = hooks.pending();
    const text = own.jsonText(now as never);
    if (text === sent.pending) return;
    sent.pending = text;
    batch.waits = now.waits!;
    batch.timers = now.timers!;
  }
}
