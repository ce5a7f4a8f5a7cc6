import {
  crossingOf,
  exponentOf,
  median,
  randomFrom,
  ratioOf,
  signedRank,
  verdictOf,
} from '#dist/compare/statistics.js';

describe('the signed-rank test', () => {
  // Published tables of its critical values (two-sided), as in Siegel, Nonparametric Statistics, table G: the largest
  // sum of ranks of the rarer sign that is significant at a level.
  test.each([
    [6, 0, 0.05],
    [7, 2, 0.05],
    [8, 3, 0.05],
    [9, 5, 0.05],
    [10, 8, 0.05],
    [15, 25, 0.05],
    [20, 52, 0.05],
    [25, 89, 0.05],
    [8, 0, 0.01],
    [10, 3, 0.01],
    [15, 15, 0.01],
    [20, 37, 0.01],
    [25, 68, 0.01],
  ])('of %i pairs is significant up to a sum of %i at %f', (pairs, critical, level) => {
    expect(signedRank(withSum(pairs, critical))).toBeLessThanOrEqual(level);
    expect(signedRank(withSum(pairs, critical + 1))).toBeGreaterThan(level);
  });

  test('is exact for the smallest samples, with ties and without anything', () => {
    expect(signedRank([1, 2, 3])).toBeCloseTo(0.25, 10);
    expect(signedRank([1, 2, -3])).toBeCloseTo(1, 10);
    // All the same: as often above as below is as good as any.
    expect(signedRank([2, 2, 2, 2, 2])).toBeCloseTo(2 / 32, 10);
    expect(signedRank([0, 0])).toBe(1);
    expect(signedRank([])).toBe(1);
    // Of many pairs it goes on where the exact one ends.
    const many = (length: number): number => signedRank(Array.from({ length }, (_, i) => (i % 3 ? 1 : -1) * (i + 1)));
    expect(many(41) / many(40)).toBeGreaterThan(0.5);
    expect(many(41) / many(40)).toBeLessThan(2);
  });

  /** Pairs of which those that are below have ranks with this sum. */
  function withSum(pairs: number, sum: number): number[] {
    let left = sum;
    return Array.from({ length: pairs }, (_, i) => pairs - i).map((rank) => {
      if (rank > left) return rank;
      left -= rank;
      return -rank;
    });
  }
});

describe('the interval of a ratio', () => {
  test('holds the ratio in about 95 of 100 samples of known numbers', () => {
    const random = randomFrom(1);
    let within = 0;
    for (let sample = 0; sample < 60; sample++) {
      const ratios = Array.from({ length: 24 }, () => 1.3 * Math.exp(0.3 * normal(random)));
      const { low, high } = ratioOf(ratios);
      if (low <= 1.3 && high >= 1.3) within++;
    }
    expect(within / 60).toBeGreaterThan(0.8);
  });

  test('is one number for one pair, and not moved by a process that was disturbed', () => {
    expect(ratioOf([1.5])).toEqual({ value: 1.5, low: 1.5, high: 1.5 });
    const { value } = ratioOf([1, 1.01, 0.99, 1, 1.02, 0.98, 1, 9, 1, 1]);
    expect(value).toBeCloseTo(1, 1);
  });
});

describe('the verdict', () => {
  test('is wrong for less than five of a hundred comparisons of equal ways, however wild the pairs are', () => {
    const random = randomFrom(7);
    let wrong = 0;
    for (let comparison = 0; comparison < 200; comparison++) {
      // Ratios from a half to two, now and then far beyond.
      const ratios = Array.from({ length: 40 }, () => Math.exp((random() < 0.1 ? 1.5 : 0.35) * normal(random)));
      if (verdictOf(ratios) !== 'cannot be told') wrong++;
    }
    expect(wrong / 200).toBeLessThan(0.05);
  });

  test('finds a third in most of what thirty pairs tell, in both directions', () => {
    const random = randomFrom(11);
    const found = { faster: 0, slower: 0, 'cannot be told': 0 };
    for (let comparison = 0; comparison < 200; comparison++)
      found[
        verdictOf(Array.from({ length: 28 }, () => (comparison % 2 ? 1.3 : 1 / 1.3) * Math.exp(0.2 * normal(random))))
      ]++;
    expect(found.faster).toBeGreaterThan(93);
    expect(found.slower).toBeGreaterThan(93);
  });

  test('is none before ten pairs', () => {
    expect(verdictOf(Array.from({ length: 9 }, (_, i) => 2 + i / 10))).toBe('cannot be told');
    expect(verdictOf(Array.from({ length: 10 }, (_, i) => 2 + i / 10))).toBe('slower');
    expect(verdictOf(Array.from({ length: 10 }, (_, i) => 0.4 + i / 100))).toBe('faster');
  });
});

describe('growth', () => {
  const sizes = [1, 10, 100, 1_000];

  test('is the power of the size', () => {
    expect(exponentOf(sizes.map((size) => ({ size, ns: 40 * size ** 2 })))).toBeCloseTo(2, 10);
    expect(exponentOf(sizes.map((size) => ({ size, ns: 500 })))).toBeCloseTo(0, 10);
  });

  test('crosses where both take as long, and nowhere where they are one', () => {
    const straight = sizes.map((size) => ({ size, ns: 1_000 * size }));
    const square = sizes.map((size) => ({ size, ns: 50 * size ** 2 }));
    expect(crossingOf(straight, square)).toBeCloseTo(20, 5);
    expect(crossingOf(straight, straight)).toBeUndefined();
    expect(
      crossingOf(
        straight,
        straight.map(({ size, ns }) => ({ size, ns: ns * 3 })),
      ),
    ).toBeUndefined();
  });
});

test('random numbers are the same for the same seed, and spread evenly', () => {
  expect([randomFrom(5)(), randomFrom(5)()]).toEqual([randomFrom(5)(), randomFrom(5)()]);
  const random = randomFrom(3);
  const drawn = Array.from({ length: 10_000 }, random);
  expect(median(drawn)).toBeCloseTo(0.5, 1);
  expect(Math.min(...drawn)).toBeGreaterThanOrEqual(0);
  expect(Math.max(...drawn)).toBeLessThan(1);
});

/** Box and Muller, A Note on the Generation of Random Normal Deviates, 1958. */
function normal(random: () => number): number {
  return Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
}
