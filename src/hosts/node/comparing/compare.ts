/** Compares two ways: the same first, then their times, then how those grow. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { COMPARISON_FORMAT, type ComparedWay, type Comparison } from '../../../compare/comparison.js';
import { crossingOf, exponentOf } from '../../../compare/statistics.js';
import { timingOf, type TimedProcess, type Timing } from '../../../compare/timing.js';
import type { LoadedWay } from '../../../wire/comparing.js';
import { type Texts, writePlain } from './plain.js';
import { ComparedProcess } from './process.js';

export interface AskedWay extends ComparedWay {
  /** Texts that count in place of those on disk. */
  texts?: Texts;
}

export interface CompareAsked {
  baseline: AskedWay;
  candidate: AskedWay;
  /** Milliseconds for the times of one size; 0 for none. */
  forMs: number;
  /** Inputs that are generated at most. Default 20,000, for 3 seconds at most. */
  most?: number;
  /** Times at growing sizes are left out. */
  isCoarse?: boolean;
  /** Folder in which both are called; by default that of the baseline's file. */
  cwd?: string;
  /** Told as it goes. */
  progress?(what: string, timing?: Timing): void;
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

/**
 * @throws AnvilError `E_COMPARE` where one of them cannot be loaded, called, or does not come to an end
 */
export async function compareWays(asked: CompareAsked): Promise<Comparison> {
  const { forMs, progress } = asked;
  const folder = mkdtempSync(join(tmpdir(), 'usher-anvil-compare-'));
  try {
    const ways = await modulesOf(asked.baseline, asked.candidate, folder);
    const { cwd = dirname(asked.baseline.file) } = asked;
    const data = ways.baseline.module;
    progress?.('asks both for the same');
    const { tried, differing, smallest } = await withProcess(cwd, (one) =>
      one.ask('equal', { ...ways, data, most: asked.most ?? GENERATED, patienceMs: GENERATED_MS }),
    );
    const found: Comparison = {
      format: COMPARISON_FORMAT,
      baseline: described(asked.baseline),
      candidate: described(asked.candidate),
      equality: { tried, differing, ...(smallest ? { smallest } : {}) },
    };
    if (forMs <= 0) return found;
    let isSized = false;
    const begin = async (way: Name): Promise<TimedProcess> => {
      const one = new ComparedProcess(cwd);
      try {
        ({ isSized } = await one.ask('load', { way: ways[way], data }));
      } catch (error) {
        one.end();
        throw error;
      }
      return timed(one);
    };
    const timing = await timingOf(
      {
        begin,
        now: () => performance.now(),
        progress: (so) => progress?.('times', so),
      },
      forMs,
    );
    progress?.('asks for memory');
    const memory = (way: Name): Promise<number | undefined> =>
      withProcess(cwd, async (one) => {
        await one.ask('load', { way: ways[way], data });
        await one.ask('warm', {});
        return (await one.ask('memory', {})).bytes;
      });
    for (const way of ['baseline', 'candidate'] as const) {
      const bytes = await memory(way);
      if (bytes !== undefined) Object.assign(timing[way], { bytes });
    }
    const growth =
      isSized && !asked.isCoarse
        ? await growthOf(ways, data, cwd, (size) => progress?.(`times at size ${size}`))
        : undefined;
    return { ...found, timing, ...(growth ? { growth } : {}) };
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Of one text both are one module, so that classes are the same for both. */
async function modulesOf(baseline: AskedWay, candidate: AskedWay, folder: string): Promise<Record<Name, LoadedWay>> {
  const way = ({ export: name }: AskedWay, module: string): LoadedWay => ({
    module: join(folder, `${module}.mjs`),
    name,
  });
  if (baseline.texts !== candidate.texts) {
    await writePlain({ baseline: baseline.file }, folder, baseline.texts);
    await writePlain({ candidate: candidate.file }, folder, candidate.texts);
  } else if (baseline.file === candidate.file) {
    await writePlain({ baseline: baseline.file }, folder, baseline.texts);
    return { baseline: way(baseline, 'baseline'), candidate: way(candidate, 'baseline') };
  } else await writePlain({ baseline: baseline.file, candidate: candidate.file }, folder, baseline.texts);
  return { baseline: way(baseline, 'baseline'), candidate: way(candidate, 'candidate') };
}

function described({ name, file, export: exported, revision }: AskedWay): ComparedWay {
  return { name, file, export: exported, ...(revision === undefined ? {} : { revision }) };
}

async function withProcess<T>(cwd: string, work: (one: ComparedProcess) => Promise<T>): Promise<T> {
  const one = new ComparedProcess(cwd);
  try {
    return await work(one);
  } finally {
    one.end();
  }
}

function timed(one: ComparedProcess): TimedProcess {
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
  ways: Record<Name, LoadedWay>,
  data: string,
  cwd: string,
  tell: (size: number) => void,
): Promise<NonNullable<Comparison['growth']>> {
  const points = { baseline: [] as { size: number; ns: number }[], candidate: [] as { size: number; ns: number }[] };
  for (const size of SIZES) {
    tell(size);
    let slowest = 0;
    for (const way of ['baseline', 'candidate'] as const) {
      const ns = await withProcess(cwd, async (one) => {
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
