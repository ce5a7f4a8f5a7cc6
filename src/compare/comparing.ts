/** Two ways compared: the same first, then their times, then how those grow. */
import type { ComparedAnswer, LoadedWay, ToCompared } from '../wire/comparing.js';
import { COMPARISON_FORMAT, type ComparedWay, type Comparison } from './comparison.js';
import { crossingOf, exponentOf } from './statistics.js';
import { timingOf, type TimedProcess, type Timing } from './timing.js';

type Asked<Do extends ToCompared['do']> = Omit<Extract<ToCompared, { do: Do }>, 'ask' | 'do'>;
interface Answered {
  load: 'loaded';
  warm: 'warm';
  batch: 'batch';
  memory: 'memory';
  equal: 'equal';
}

/** A fresh process or thread that calls ways. */
export interface ComparedTarget {
  /** Rejects where it fails, ends, or does not answer in time. */
  ask<Do extends ToCompared['do']>(asked: Do, given: Asked<Do>): Promise<Extract<ComparedAnswer, { is: Answered[Do] }>>;
  end(): void;
}

export interface CompareOptions {
  /** Milliseconds for the times of one size; 0 for none. */
  forMs: number;
  /** Inputs that are generated at most. Default 20,000, for 3 seconds at most. */
  most?: number;
  /** Times at growing sizes are left out. */
  isCoarse?: boolean;
  /** Told as it goes. */
  progress?(what: string, timing?: Timing): void;
}

export interface ComparingParts {
  ways: Record<Name, LoadedWay>;
  /** The module that says what they are called with. */
  data: string;
  start(): ComparedTarget;
  /** Milliseconds from anywhere. */
  now(): number;
}

/** Milliseconds of a batch. */
const BATCH_MS = 4;
const GENERATED = 20_000;
const GENERATED_MS = 3_000;
const SIZES = [1, 3, 10, 30, 100, 300, 1_000, 3_000, 10_000];
/** Batches of a size, and milliseconds of one call behind which no larger size is tried. */
const SIZE_BATCHES = 7;
const LARGEST_MS = 200;

type Name = 'baseline' | 'candidate';

/** Rejects as {@link ComparedTarget.ask} does. */
export async function compareLoaded(
  described: Record<Name, ComparedWay>,
  { forMs, most = GENERATED, isCoarse = false, progress }: CompareOptions,
  parts: ComparingParts,
): Promise<Comparison> {
  const { ways, data, start, now } = parts;
  progress?.('asks both for the same');
  const { tried, differing, smallest } = await withTarget(parts, (one) =>
    one.ask('equal', { ...ways, data, most, patienceMs: GENERATED_MS }),
  );
  const found: Comparison = {
    format: COMPARISON_FORMAT,
    ...described,
    equality: { tried, differing, ...(smallest ? { smallest } : {}) },
  };
  if (forMs <= 0) return found;
  let isSized = false;
  const begin = async (way: Name): Promise<TimedProcess> => {
    const one = start();
    try {
      ({ isSized } = await one.ask('load', { way: ways[way], data }));
    } catch (error) {
      one.end();
      throw error;
    }
    return timed(one);
  };
  const timing = await timingOf({ begin, now, progress: (so) => progress?.('times', so) }, forMs);
  progress?.('asks for memory');
  for (const way of ['baseline', 'candidate'] as const) {
    const { bytes } = await withTarget(parts, async (one) => {
      await one.ask('load', { way: ways[way], data });
      await one.ask('warm', {});
      return one.ask('memory', {});
    });
    if (bytes !== undefined) Object.assign(timing[way], { bytes });
  }
  const growth =
    isSized && !isCoarse ? await growthOf(parts, (size) => progress?.(`times at size ${size}`)) : undefined;
  return { ...found, timing, ...(growth ? { growth } : {}) };
}

async function withTarget<T>({ start }: ComparingParts, work: (one: ComparedTarget) => Promise<T>): Promise<T> {
  const one = start();
  try {
    return await work(one);
  } finally {
    one.end();
  }
}

function timed(one: ComparedTarget): TimedProcess {
  return {
    warm: async () => void (await one.ask('warm', {})),
    batch: async () => {
      const { ns, collections } = await one.ask('batch', { ms: BATCH_MS });
      return { ns, collections };
    },
    end: () => one.end(),
  };
}

/** The times of both at growing sizes of input, a process for each. */
async function growthOf(
  parts: ComparingParts,
  tell: (size: number) => void,
): Promise<NonNullable<Comparison['growth']>> {
  const points = { baseline: [] as { size: number; ns: number }[], candidate: [] as { size: number; ns: number }[] };
  const { ways, data } = parts;
  for (const size of SIZES) {
    tell(size);
    let slowest = 0;
    for (const way of ['baseline', 'candidate'] as const) {
      const ns = await withTarget(parts, async (one) => {
        await one.ask('load', { way: ways[way], data, size });
        await one.ask('warm', {});
        const times: number[] = [];
        for (let i = 0; i < SIZE_BATCHES; i++) times.push((await one.ask('batch', { ms: BATCH_MS })).ns);
        return times.sort((a, b) => a - b)[SIZE_BATCHES >> 1]!;
      });
      points[way].push({ size, ns });
      slowest = Math.max(slowest, ns);
    }
    if (slowest > LARGEST_MS * 1e6) break;
  }
  const curve = (way: Name): { points: { size: number; ns: number }[]; exponent: number } => ({
    points: points[way],
    // How it begins is the price of a call, and not of its input.
    exponent: exponentOf(points[way].slice(-5)),
  });
  const crossing = crossingOf(points.baseline, points.candidate);
  return {
    baseline: curve('baseline'),
    candidate: curve('candidate'),
    ...(crossing === undefined ? {} : { crossing }),
  };
}
