/**
 * Frames and steps of a run, told from one step on and until enough was told; what is before and behind is counted
 * alone, which is many times faster. A path is how many steps there were, and a mark of all their places in turn: two
 * runs with the same went the same way.
 */
import { type Introspection, numberText, type Previewer } from '../preview.js';
import * as own from '../originals.js';
import { Left } from '../../wire/step-columns.js';
import type { StepOrder } from '../../wire/runs.js';
import type { Batch } from '../../wire/reports.js';
import { Journal } from '../outside/journal.js';
import type { Met, Opening, Path } from '../../wire/opening.js';
import { EarlyFrames, type ReadScopes } from './early-frames.js';
import type { KnownObjects } from './known-objects.js';
import { StepRows } from './step-rows.js';

/** Who reports what is told. */
interface Reports {
  clock: number;
  /** `paused`: values are not told just now. */
  readonly asked: { paused: boolean };
  readonly previewer: Previewer;
  readonly samples: { known: KnownObjects | undefined };
  sample(site: number, visit: number, value: unknown): void;
  open(opening: Opening): void;
  meet(met: Met): void;
  flush(): void;
}

/** What a module asks its sites' wishes by. */
export interface SiteFlags {
  /** This site wants its value. */
  wanted: Uint8Array;
  /** This site was reached without a sample. */
  silent: Uint8Array;
}

export class StepTeller {
  readonly rows = new StepRows();
  readonly journal: Journal;
  /** Steps so far, and the mark of their places. */
  private readonly passed = { steps: 0, mark: 0 };
  /** The step at which telling begins, and the moment at which it ends, if so many steps have been by then. */
  private readonly span: { from: number; until: number; readonly least: number; over?: number };
  private counts: boolean;
  private noted: NonNullable<Path['noted']> = [];
  private readonly flags: SiteFlags[] = [];
  private readonly early: EarlyFrames;
  /** What goes on is neither told nor counted. */
  private holds = false;

  /** @param scopes reads the variables of all calls that are active */
  constructor(
    private readonly reporter: Reports,
    private readonly order: StepOrder,
    private readonly introspection: Introspection,
    scopes: ReadScopes | undefined,
  ) {
    this.early = new EarlyFrames(this.rows.frames, scopes, reporter.previewer);
    const { from = 0, least = 0, most, outside } = order;
    this.journal = new Journal(() => this.passed.steps, outside);
    this.counts = from > 0;
    this.span = this.counts ? { from, until: Infinity, least } : { from: -1, until: most, least };
    reporter.asked.paused = this.counts;
  }

  /** What is called is neither told nor counted. @returns what it gives */
  hold<T>(call: () => T): T {
    const { asked } = this.reporter;
    this.holds = asked.paused = true;
    try {
      return call();
    } finally {
      this.holds = false;
      asked.paused = this.counts;
    }
  }

  /** Adds to a report how far the program is, and what it took from outside. */
  tell(batch: Batch): void {
    batch.path = { ...this.passed, ...(this.span.over === undefined ? {} : { over: this.span.over }) };
    if (!this.journal.whole) batch.path.apart = true;
    if (this.noted.length > 0) batch.path.noted = this.noted;
    this.noted = [];
    const outside = this.journal.hand();
    if (outside) batch.outside = outside;
  }

  /** Code of the program is on the stack. */
  get isActive(): boolean {
    return this.rows.frames.innermost > 0;
  }

  /** Steps so far. */
  get steps(): number {
    return this.passed.steps;
  }

  /** A module joins. */
  add(flags: SiteFlags): void {
    own.append(this.flags, flags);
    if (this.counts) flags.wanted.fill(0);
  }

  /** An error came up at a moment: where that is does not follow from what is told, while steps are counted alone. */
  note(moment: number): void {
    if (this.counts) own.append(this.noted, { moment, step: this.passed.steps });
  }

  /** A function is entered. @returns the number of its frame */
  enter(site: number, around: number): number {
    if (this.holds) return 0;
    if (this.counts) return this.rows.frames.enter(site, around);
    if (this.early.isNew(around, false)) this.meet(around, false);
    return this.rows.enter(++this.reporter.clock, site, around);
  }

  /** A frame ends, or waits. */
  leave(frame: number, how: Left): void {
    if (this.holds) return;
    if (this.counts) this.rows.frames.leave(frame, how === Left.Paused);
    else this.rows.leave(++this.reporter.clock, frame, how);
  }

  /** A frame that waited goes on. */
  resume(frame: number): void {
    if (this.holds) return;
    if (this.counts) this.rows.frames.activate(frame);
    else {
      if (this.early.isNew(frame, true)) this.meet(frame, true);
      this.rows.resume(++this.reporter.clock, frame);
    }
  }

  /** A statement begins. @param frame 0 for the one that is active */
  step(site: number, frame: number): void {
    const { passed, rows, reporter } = this;
    if (this.holds) return;
    if (passed.steps === this.span.from) this.begin(frame);
    passed.steps++;
    passed.mark = (own.imul(passed.mark, 31) + site) | 0;
    if (this.counts) {
      rows.frames.pass(site, frame, passed.steps);
      return;
    }
    rows.step(++reporter.clock, site, frame, passed.steps);
    if (reporter.clock >= this.span.until && passed.steps >= this.span.least) this.end();
    else if (rows.isFull) reporter.flush();
  }

  /** A property of an object was assigned; the sample that follows has the value. */
  wrote(site: number, object: unknown, key: unknown, value: unknown): void {
    if (this.reporter.asked.paused || !own.isObject(object) || this.introspection.isProxy(object)) return;
    const { reporter } = this;
    const name = keyText(key);
    const descriptor = name === '' || name[0] === '#' ? undefined : own.getDescriptor(object, key as string);
    if (descriptor && own.is(descriptor.value, value)) {
      this.rows.wrote(++reporter.clock, site, reporter.previewer.identities!.of(object), name);
      reporter.samples.known!.wrote(object, name, value);
    }
    // A setter was called, a list of bytes has rounded it, a frozen object has it not, or its field is private.
    else this.changed(site, object);
  }

  /** An object may have changed: what it holds now is taken. */
  changed(site: number, object: unknown): void {
    if (this.reporter.asked.paused || !own.isObject(object)) return;
    const { reporter } = this;
    this.rows.wrote(++reporter.clock, site, reporter.previewer.identities!.of(object), '');
    reporter.sample(site, 0, object);
  }

  private begin(frame: number): void {
    const { reporter, rows, passed, order } = this;
    rows.frames.activate(frame);
    // What was reported before has moments of its own, and goes ahead.
    reporter.flush();
    // Whom it shows an error the debugger asks it for its message, which may be code of the program.
    const made = this.hold(() => this.early.open(reporter.clock));
    reporter.open({ ...made.opening, steps: passed.steps });
    reporter.clock = made.clock;
    rows.begin();
    this.span.from = -1;
    this.span.until = reporter.clock + order.most;
    this.turn(false);
  }

  private meet(frame: number, goesOn: boolean): void {
    const { reporter } = this;
    const met = this.hold(() => this.early.meet(frame, goesOn, reporter.clock));
    reporter.clock += met.variables.length;
    reporter.meet(met);
  }

  private end(): void {
    this.span.over = this.reporter.clock;
    this.span.until = Infinity;
    this.reporter.flush();
    this.turn(true);
  }

  private turn(counts: boolean): void {
    this.counts = counts;
    this.reporter.asked.paused = counts;
    for (let i = 0; i < this.flags.length; i++) {
      const { wanted, silent } = this.flags[i]!;
      wanted.fill(counts ? 0 : 1);
      silent.fill(1);
    }
  }
}

/** A key as previews have it; empty where it is an object, which says what it is called by code of the program. */
function keyText(key: unknown): string {
  switch (typeof key) {
    case 'string':
      return key;
    case 'number':
      return numberText(key);
    case 'symbol':
      return `[${own.symbolText(key)}]`;
    default:
      return '';
  }
}
