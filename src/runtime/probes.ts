/**
 * The probes of one module.
 *
 * Counts are exact and cost one increment. Values are sampled while a site's
 * flag (`q`) is up: at first for {@link FIRST} visits, later when its loop or
 * function is due again. A due loop or function raises the flags of all its
 * sites, so that the values of one visit are always taken together. The
 * distance between due visits doubles, so ten million visits cost some
 * hundreds of samples, evenly spread.
 */
import type { Reporter } from './reports/reporter.js';
import type { SampleKind } from './reports/sample-rows.js';
import type { StepTeller } from './reports/step-teller.js';
import { Left } from '../wire/step-columns.js';
import type { ModuleCode } from '../wire/modules.js';

/**
 * How generous a run is with samples, by how many it has taken already: the
 * visits of a site that are all sampled, and the samples taken at one distance
 * before it doubles. A pad's few sites get the first row; a parser of ten
 * thousand sites that parses itself would spend most of its time on samples.
 * Decided by number and not by time, so that a run repeats itself exactly.
 */
const FIRST = 64;
const SHARES = [
  { until: 10_000, first: FIRST, perStride: 32 },
  { until: 30_000, first: 16, perStride: 8 },
  { until: 120_000, first: 4, perStride: 2 },
  { until: Infinity, first: 2, perStride: 1 },
] as const;
/** Visits of a mark that are all reported. */
const MARKED = 5_000;
/** A loop looks at the time at least this often. */
const TICK = 1 << 15;

const LATE: SampleKind = { late: true, failed: false, wide: false };
const FAILED: SampleKind = { late: false, failed: true, wide: false };
const GENEROUS: SampleKind = { late: false, failed: false, wide: true };

export interface Probes {
  /** Counts by cell. */
  c: Float64Array;
  /** Count at which a loop or function wants to be asked again. */
  d: Float64Array;
  /** Flags: this site wants its value. */
  q: Uint8Array;
  v(id: number, value: unknown): unknown;
  w(id: number, value: unknown): unknown;
  f(id: number): void;
  g(id: number, sites: number[]): void;
  e(id: number, sites: number[], values: unknown[]): void;
  /** What an `await` at an offset of the original text is about to wait for. */
  a(at: number, value: unknown): unknown;
  /** An error that was caught: its message is to read as if no probe stood in the code. */
  M(error: unknown): void;
  /** Tells the place of a call of the console, or with `test` of one that declares a test. */
  k(id: number, value: unknown, test?: boolean): unknown;
  /** A marked value; `of` is the mark's expression, which for `holds` decides whether the visit is reported. */
  l(id: number, value: unknown, of?: (it: unknown) => unknown, holds?: boolean, wide?: boolean): unknown;
  /** The time, for {@link r}. */
  b(): number;
  /** A marked expression that took from `start` until now. */
  r(id: number, start: number, value: unknown): unknown;
  /** True when a value was kept for this expression. */
  y(id: number): boolean;
  /** The kept value. */
  u(id: number): unknown;
  /** A value to keep. */
  h(id: number, value: unknown): unknown;
  /** A function is entered; gives the number of its frame. Of depth `steps` alone, like the seven that follow. */
  F(id: number, around: number): number;
  /** A frame has ended. */
  L(frame: number): void;
  /** A frame ends with an error. */
  W(frame: number): void;
  /** A frame is about to wait, or to give a value; gives the value. */
  Z(frame: number, value: unknown): unknown;
  /** A frame goes on, with what came; gives the value. */
  G(frame: number, value: unknown): unknown;
  /** A property was written with a value, which is what the site's next sample is of; gives the value. */
  O(id: number, value: unknown, object: unknown, key: unknown): unknown;
  /** An object may have changed: it is read; gives the value. */
  C(id: number, value: unknown, object: unknown): unknown;
  /** A statement begins in a frame; 0 for the one that is active. */
  P(id: number, frame: number): void;
  /** The next visit of every loop and function is sampled. */
  refresh(): void;
}

/** The places of the console call and of the test that are about to happen; see `console.ts` and `tests.ts`. */
export interface ConsolePlace {
  site: number;
  test: number;
}

/**
 * @param cells counts, shared with the watching thread
 */
export function makeProbes(
  reporter: Reporter,
  place: ConsolePlace,
  cells: Float64Array,
  module: Pick<ModuleCode, 'base' | 'owners' | 'reach' | 'plus' | 'kept'>,
  waits?: (at: number, value: unknown) => void,
): Probes {
  const { base, owners, reach, plus } = module;
  const n = owners.length;
  const c = cells;
  const q = new Uint8Array(n).fill(1);
  const d = new Float64Array(n).fill(FIRST + 1);
  const tally = new Float64Array(n);
  const stride = new Float64Array(n).fill(1);
  const rounds = new Float64Array(n);
  const lastVisit = new Float64Array(n);
  const entered = new Float64Array(n);
  /** Sites that were reached without a sample: their tally is no visit number any more. */
  const silent = new Uint8Array(n);
  let level = 0;
  let share: (typeof SHARES)[number] = SHARES[0];
  const { first, next } = sitesByOwner(owners);
  reporter.asked.steps?.add({ wanted: q, silent });

  /** How often a site was reached so far. */
  const reached = (id: number): number => {
    const cell = reach[id]!;
    if (cell < 0) return tally[id]!;
    return c[cell]! + (plus[id]! < 0 ? 0 : c[plus[id]!]!);
  };

  /** Visit number of a sample: its own tally while it was never silent, else how often it was reached. */
  const visitOf = (id: number): number => {
    const seen = ++tally[id]!;
    if (silent[id] === 0) return (lastVisit[id] = seen);
    const count = reached(id);
    return (lastVisit[id] = count > lastVisit[id]! ? count : lastVisit[id]! + 1);
  };

  const v = (id: number, value: unknown): unknown => {
    const visit = visitOf(id);
    if (tally[id]! >= share.first && owners[id]! >= 0 && !reporter.takesAll) {
      q[id] = 0;
      silent[id] = 1;
      if (reporter.samples.taken >= share.until) share = SHARES[++level]!;
    }
    reporter.sample(base + id, visit, value);
    return value;
  };

  const slow = outOfLine(v);
  return {
    refresh: refresher(c, d, first),
    c,
    d,
    q,
    v: slow,
    M: (error) => reporter.hooks.caught?.(error),
    w: (id, value) => (q[id] ? slow(id, value) : value),
    f: outOfLine((id: number) => {
      const count = c[id]!;
      const round = ++rounds[id]!;
      if (round % share.perStride === 0) stride[id]! *= 2;
      const step = stride[id]! < TICK ? stride[id]! : TICK;
      d[id] = count + step;
      reporter.tick();
      if (reporter.asked.paused) return;
      // Between the ticks of a very long loop only every due visit is sampled.
      if (stride[id]! <= TICK || count % stride[id]! < TICK) for (let s = first[id]!; s >= 0; s = next[s]!) q[s] = 1;
    }),
    g: outOfLine((_id: number, sites: number[]) => {
      for (let i = 0; i < sites.length; i++) entered[sites[i]!] = reached(sites[i]!);
    }),
    e: outOfLine((id: number, sites: number[], values: unknown[]) => {
      const seen = ++tally[id]!;
      if (seen >= share.first && owners[id]! >= 0) q[id] = 0;
      for (let i = 0; i < sites.length; i++) {
        const site = sites[i]!;
        const visit = reached(site);
        // Sampled already, or not reached by this loop.
        if (silent[site] === 0 || visit <= lastVisit[site]! || visit === entered[site]!) continue;
        lastVisit[site] = visit;
        reporter.sample(base + site, visit, values[i], LATE);
      }
    }),
    ...stepProbes(reporter.asked.steps, base),
    ...markProbes(reporter, module, tally, rounds),
    a: (at, value) => {
      waits?.(at, value);
      return value;
    },
    k: (id, value, test) => {
      if (test) place.test = base + id;
      else place.site = base + id;
      return value;
    },
  };
}

/** The probes of frames and statements; where none are wanted they do nothing. */
function stepProbes(
  teller: StepTeller | undefined,
  base: number,
): Pick<Probes, 'F' | 'L' | 'W' | 'Z' | 'G' | 'O' | 'C' | 'P'> {
  if (!teller) {
    const pass = (_: number, value: unknown): unknown => value;
    const nothing = (): void => undefined;
    return { F: () => 0, L: nothing, W: nothing, Z: pass, G: pass, O: pass, C: pass, P: nothing };
  }
  /** The frame whose error is on its way out. */
  let threw = 0;
  return {
    F: (id, around) => teller.enter(base + id, around),
    L: (frame) => {
      teller.leave(frame, threw === frame ? Left.Threw : Left.Returned);
      threw = 0;
    },
    W: (frame) => void (threw = frame),
    Z: (frame, value) => {
      teller.leave(frame, Left.Paused);
      return value;
    },
    G: (frame, value) => {
      teller.resume(frame);
      return value;
    },
    O: (id, value, object, key) => {
      teller.wrote(base + id, object, key, value);
      return value;
    },
    C: (id, value, object) => {
      teller.changed(base + id, object);
      return value;
    },
    P: (id, frame) => teller.step(base + id, frame),
  };
}

/** Distance of reported visits of a mark: doubles with their number. */
function markStride(visit: number): number {
  let stride = 1;
  for (let most = MARKED; visit > most && stride < 2 ** 30; most *= 2) stride *= 2;
  return stride;
}

/**
 * Keeps the engine from copying a rare path into every probed function: what is
 * long is not inlined. Measured
 * side by side on numeric programs: without it values cost about half as much
 * again. `npm run bench` has the figures as they are.
 */
function outOfLine<A extends unknown[], R>(inner: (...args: A) => R): (...args: A) => R {
  try {
    const make = new Function(
      'inner',
      `return (a,b,c)=>{if(inner===0){${'a=a+b;'.repeat(800)}}return inner(a,b,c)}`,
    ) as (inner: (...args: A) => R) => (...args: A) => R;
    return make(inner);
  } catch {
    // A page may forbid making functions from text: only the speed differs.
    return inner;
  }
}

/**
 * The probes of marks: values, times, kept values.
 *
 * @param tally visits by site, shared with the other probes of the module
 * @param rounds visits of a mark whose condition held
 */
function markProbes(
  reporter: Reporter,
  module: Pick<ModuleCode, 'base' | 'kept'>,
  tally: Float64Array,
  rounds: Float64Array,
): Pick<Probes, 'l' | 'b' | 'r' | 'y' | 'u' | 'h'> {
  const { base } = module;
  const keptAt = (id: number): { value: unknown } | undefined => {
    for (let i = 0; i < module.kept.length; i++) if (module.kept[i]!.id === id) return module.kept[i];
    return undefined;
  };

  return {
    l: (id, value, of, holds, wide) => {
      const visit = ++tally[id]!;
      // Asked for by hand, so a mark is more generous than a site; a condition is asked on every visit.
      if (holds !== true && visit > MARKED && visit % markStride(visit) !== 0) return value;
      let shown = value;
      if (of !== undefined) {
        try {
          const result = of(value);
          if (holds !== true) shown = result;
          else if (!result) return value;
        } catch (error) {
          reporter.sample(base + id, visit, error, FAILED);
          return value;
        }
      }
      if (holds === true) {
        const taken = ++rounds[id]!;
        if (taken > MARKED && taken % markStride(taken) !== 0) return value;
      }
      reporter.sample(base + id, visit, shown, wide === true && visit <= 64 ? GENEROUS : undefined);
      return value;
    },
    b: () => reporter.now(),
    r: (id, start, value) => {
      const took = reporter.now() - start;
      const visit = ++tally[id]!;
      reporter.counts.timed(base + id, took);
      if (visit <= MARKED || visit % markStride(visit) === 0) reporter.sample(base + id, visit, took);
      return value;
    },
    y: (id) => keptAt(id) !== undefined,
    u: (id) => {
      const { value } = keptAt(id)!;
      reporter.sample(base + id, ++tally[id]!, value);
      return value;
    },
    h: (id, value) => {
      reporter.sample(base + id, ++tally[id]!, value);
      reporter.keep(base + id, value);
      return value;
    },
  };
}

/** Sites of each owner as a linked list: the first of an owner, and the next of a site; -1 ends it. */
function sitesByOwner(owners: Int32Array): { first: Int32Array; next: Int32Array } {
  const n = owners.length;
  const first = new Int32Array(n).fill(-1);
  const next = new Int32Array(n).fill(-1);
  for (let i = n - 1; i >= 0; i--) {
    const owner = owners[i]!;
    if (owner < 0) continue;
    next[i] = first[owner]!;
    first[owner] = i;
  }
  return { first, next };
}

/** Lets the next visit of every loop and function be sampled. */
function refresher(c: Float64Array, d: Float64Array, first: Int32Array): () => void {
  /** Counts at the last time, and how often that was. */
  const refreshed = new Float64Array(c.length);
  let turn = 0;
  return () => {
    turn++;
    for (let i = 0; i < first.length; i++) {
      if (first[i]! < 0) continue;
      // What is called for each of a few objects in turn is not to be seen with the same one always.
      const late = c[i]! - refreshed[i]! > 16 ? (turn * 3) % 8 : 0;
      refreshed[i] = c[i]!;
      if (d[i]! > c[i]! + 1 + late) d[i] = c[i]! + 1 + late;
    }
  };
}
