/** Statistics of two ways that were timed in pairs of processes: the ratio, its interval, and whether they differ. */
import { cumulativeStdNormalProbability, mean, medianSorted, quantileSorted } from 'simple-statistics';

/** Numbers from 0 to 1, the same ones for the same seed (mulberry32). */
export function randomFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/** The middle of numbers. @throws Error for an empty list */
export function median(numbers: readonly number[]): number {
  return medianSorted([...numbers].sort((a, b) => a - b));
}

/** Mean without the lowest and the highest fifth: one process that was disturbed does not move it. */
function trimmedMean(numbers: readonly number[]): number {
  const sorted = [...numbers].sort((a, b) => a - b);
  const cut = Math.floor(sorted.length / 5);
  return mean(sorted.slice(cut, sorted.length - cut));
}

export interface Interval {
  value: number;
  low: number;
  high: number;
}

const RESAMPLES = 2_000;

/**
 * The ratio of two ways, from one ratio of each pair of processes, with its interval: a percentile bootstrap over the
 * pairs of the trimmed mean of logarithms (Efron and Tibshirani, An Introduction to the Bootstrap, chapter 13).
 *
 * @param ratios above 0, at least one
 * @param level of the interval, as 0.95
 */
export function ratioOf(ratios: readonly number[], level = 0.95): Interval {
  const logs = ratios.map((ratio) => Math.log(ratio));
  const random = randomFrom(ratios.length);
  const means = Array.from({ length: RESAMPLES }, () =>
    trimmedMean(logs.map(() => logs[Math.floor(random() * logs.length)]!)),
  ).sort((a, b) => a - b);
  return {
    value: Math.exp(trimmedMean(logs)),
    low: Math.exp(quantileSorted(means, (1 - level) / 2)),
    high: Math.exp(quantileSorted(means, (1 + level) / 2)),
  };
}

/**
 * How probable it is, where two ways are equal, that pairs differ as much as these or more: the exact two-sided
 * signed-rank test (Wilcoxon, Individual comparisons by ranking methods, 1945). Ties share their ranks; zeros count for
 * neither side.
 *
 * @param differences one of each pair, 0 where both are the same
 */
export function signedRank(differences: readonly number[]): number {
  const found = differences.filter((one) => one !== 0).sort((a, b) => Math.abs(a) - Math.abs(b));
  const { length } = found;
  if (length === 0) return 1;
  // Twice the ranks, so that shared ones are whole numbers.
  const ranks: number[] = [];
  for (let from = 0; from < length;) {
    let to = from;
    while (to < length && Math.abs(found[to]!) === Math.abs(found[from]!)) to++;
    for (let i = from; i < to; i++) ranks.push(from + to + 1);
    from = to;
  }
  const total = ranks.reduce((sum, rank) => sum + rank, 0);
  const above = found.reduce((sum, one, i) => (one > 0 ? sum + ranks[i]! : sum), 0);
  const extreme = Math.min(above, total - above);
  if (length > MOST_EXACT) return normalTail(extreme, ranks);
  // Of each sum of ranks, in how many of all choices of signs it comes about.
  let ways = new Float64Array(total + 1);
  ways[0] = 1;
  for (const rank of ranks) {
    const next = Float64Array.from(ways, (count) => count / 2);
    for (let sum = rank; sum <= total; sum++) next[sum]! += ways[sum - rank]! / 2;
    ways = next;
  }
  let tail = 0;
  for (let sum = 0; sum <= extreme; sum++) tail += ways[sum]!;
  return Math.min(1, 2 * tail);
}

/** Pairs of which all choices of signs are counted; sums of more are as good as normal. */
const MOST_EXACT = 40;

/** Two-sided probability of a sum of ranks, all of them doubled, by the normal distribution with their variance. */
function normalTail(extreme: number, ranks: readonly number[]): number {
  const middle = ranks.reduce((sum, rank) => sum + rank, 0) / 2;
  const deviation = Math.sqrt(ranks.reduce((sum, rank) => sum + rank ** 2, 0)) / 2;
  return Math.min(1, 2 * cumulativeStdNormalProbability((extreme + 1 - middle) / deviation));
}

/** Pairs after which it is looked whether two ways differ. Between them nobody looks: each look may be wrong by chance. */
const LOOKS = [10, 14, 20, 28, 40, 56, 80, 112, 160, 224, 320];
/** Of all looks together, how often two equal ways may be told to differ. */
const MOST_WRONG = 0.05;

/** What is known of the speed of two ways. */
export type Verdict = 'faster' | 'slower' | 'cannot be told';

/**
 * Whether the second way is faster or slower than the first: only what a look at one of some numbers of pairs shows, at
 * a level at which all looks together are wrong at most in one of twenty comparisons of equal ways (Bonferroni).
 *
 * @param ratios of the second way's time to the first's, in the order in which pairs were measured
 */
export function verdictOf(ratios: readonly number[]): Verdict {
  let verdict: Verdict = 'cannot be told';
  for (const look of LOOKS) {
    if (look > ratios.length) break;
    const logs = ratios.slice(0, look).map((ratio) => Math.log(ratio));
    if (signedRank(logs) > MOST_WRONG / LOOKS.length) continue;
    verdict = median(logs) < 0 ? 'faster' : 'slower';
  }
  return verdict;
}

/** A number of pairs at which it is looked. */
export function isLook(pairs: number): boolean {
  return LOOKS.includes(pairs);
}

/** How time grows with size: the exponent of the power that fits best, by least squares over logarithms. */
export function exponentOf(points: readonly { size: number; ns: number }[]): number {
  const logs = points.map(({ size, ns }) => [Math.log(size), Math.log(ns)] as const);
  const x = mean(logs.map(([size]) => size));
  const y = mean(logs.map(([, ns]) => ns));
  const above = logs.reduce((sum, [size, ns]) => sum + (size - x) * (ns - y), 0);
  return above / logs.reduce((sum, [size]) => sum + (size - x) ** 2, 0);
}

/**
 * Where two curves cross: the size, between two that were measured, at which both take as long, by straight lines over
 * logarithms; undefined where one is below the other all along.
 */
export function crossingOf(
  first: readonly { size: number; ns: number }[],
  second: readonly { size: number; ns: number }[],
): number | undefined {
  const gaps = first.map(({ size, ns }, i) => ({ size: Math.log(size), gap: Math.log(second[i]!.ns / ns) }));
  // Where they are within a tenth of each other all along, they do not cross: they are one.
  if (gaps.every(({ gap }) => Math.abs(gap) < 0.1)) return undefined;
  for (let i = 1; i < gaps.length; i++) {
    const [a, b] = [gaps[i - 1]!, gaps[i]!];
    if (Math.sign(a.gap) === Math.sign(b.gap) || Math.abs(a.gap - b.gap) < 0.1) continue;
    return Math.exp(a.size + ((b.size - a.size) * a.gap) / (a.gap - b.gap));
  }
  return undefined;
}
