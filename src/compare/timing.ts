/**
 * Two ways timed against each other: pairs of processes, in which batches of calls are taken in turn, so that both meet
 * the same pace of the machine; one ratio comes of each pair, and the interval is over pairs.
 */
import { isLook, median, ratioOf, verdictOf, type Interval, type Verdict } from './statistics.js';

/** What a process tells of a batch of calls. */
export interface Batch {
  /** Nanoseconds of one call. */
  ns: number;
  /** Collections that came within it. */
  collections: number;
}

/** A fresh process that can call one way. */
export interface TimedProcess {
  /** Calls it until its times stand still. */
  warm(): Promise<void>;
  /** Calls it for some milliseconds. */
  batch(): Promise<Batch>;
  end(): void;
}

/** Times of one way. */
export interface WayTimes {
  /** Nanoseconds of one call: the middle of its processes, and those a tenth of them are below or above. */
  ns: Interval;
  perSecond: number;
  /** One of each process. */
  points: number[];
  /** Collections in a thousand batches. */
  collections: number;
}

export interface Timing {
  baseline: WayTimes;
  candidate: WayTimes;
  /** The candidate's time to the baseline's, with its 95 % interval over pairs of processes. */
  ratio: Interval;
  /** Of the candidate. */
  verdict: Verdict;
  pairs: number;
  /** Milliseconds that it took. */
  tookMs: number;
  /** Why it ended: the interval is narrow, or the time was used up. */
  ended: 'narrow' | 'time';
}

export interface TimingParts {
  /** Begins a process for one of the ways. */
  begin(way: 'baseline' | 'candidate'): Promise<TimedProcess>;
  /** Milliseconds from anywhere. */
  now(): number;
  /** Told after each pair. */
  progress?(timing: Timing): void;
}

/** Batches of each way in a pair. */
const BATCHES = 15;
/** How wide an interval may be, from its lower to its upper end, to be narrow: when they differ, and when they do not. */
const NARROW = { told: 1.12, untold: 1.03 };
/** How many times as far from 1 as it is wide an interval may be wider than that. */
const FAR = 4;

/** @param forMs how long pairs are measured at most; one is always */
export async function timingOf(parts: TimingParts, forMs: number): Promise<Timing> {
  const began = parts.now();
  const points = { baseline: [] as number[], candidate: [] as number[] };
  const collections = { baseline: 0, candidate: 0 };
  const ratios: number[] = [];
  const tell = (ended: Timing['ended']): Timing => {
    const way = (name: 'baseline' | 'candidate'): WayTimes => {
      const ns = spreadOf(points[name]);
      const thousand = (1_000 * collections[name]) / (points[name].length * BATCHES);
      return { ns, perSecond: 1e9 / ns.value, points: [...points[name]], collections: thousand };
    };
    return {
      ...{ baseline: way('baseline'), candidate: way('candidate'), ratio: ratioOf(ratios) },
      ...{ verdict: verdictOf(ratios), pairs: ratios.length, tookMs: parts.now() - began, ended },
    };
  };
  for (;;) {
    const pair = await measuredPair(parts, ratios.length);
    ratios.push(pair.ratio);
    for (const name of ['baseline', 'candidate'] as const) {
      points[name].push(pair[name].ns);
      collections[name] += pair[name].collections;
    }
    const timing = tell('time');
    parts.progress?.(timing);
    if (parts.now() - began >= forMs) return timing;
    if (isLook(ratios.length) && isNarrow(timing)) return { ...timing, ended: 'narrow' };
  }
}

function isNarrow({ ratio: { value, low, high }, verdict }: Timing): boolean {
  if (verdict === 'cannot be told') return high / low <= NARROW.untold;
  // Ten times as slow, or eleven: nobody waits to hear which.
  return high / low <= NARROW.told || Math.abs(Math.log(value)) >= FAR * Math.log(high / low);
}

/** The middle, and where a tenth is below and above. */
function spreadOf(points: readonly number[]): Interval {
  const sorted = [...points].sort((a, b) => a - b);
  const at = (part: number): number => sorted[Math.round(part * (sorted.length - 1))]!;
  return { value: median(points), low: at(0.1), high: at(0.9) };
}

/** A pair of processes; which of them begins changes from pair to pair, and from batch to batch. */
async function measuredPair(
  { begin }: TimingParts,
  number: number,
): Promise<{ ratio: number; baseline: Batch; candidate: Batch }> {
  const order = number % 2 === 0 ? (['baseline', 'candidate'] as const) : (['candidate', 'baseline'] as const);
  const processes = new Map<'baseline' | 'candidate', TimedProcess>();
  try {
    for (const way of order) processes.set(way, await begin(way));
    for (const way of order) await processes.get(way)!.warm();
    const ratios: number[] = [];
    const times = { baseline: [] as number[], candidate: [] as number[] };
    const collections = { baseline: 0, candidate: 0 };
    for (let turn = 0; turn < BATCHES; turn++) {
      for (const way of turn % 2 === 0 ? order : order.toReversed()) {
        const batch = await processes.get(way)!.batch();
        times[way].push(batch.ns);
        collections[way] += batch.collections;
      }
      ratios.push(times.candidate[turn]! / times.baseline[turn]!);
    }
    const of = (way: 'baseline' | 'candidate'): Batch => ({ ns: median(times[way]), collections: collections[way] });
    return { ratio: median(ratios), baseline: of('baseline'), candidate: of('candidate') };
  } finally {
    for (const process of processes.values()) process.end();
  }
}
