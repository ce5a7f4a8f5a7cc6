// Comparisons of ways of which it is known how much they differ: how often each is told faster, slower, or not to be told.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { compareWays } from '../dist/hosts/node/comparing/compare.js';

/** A loop of so many turns: the time goes with them. */
const wayOf = (turns) =>
  `export const data = 7\nexport default (by) => { let sum = 0; for (let i = 0; i < ${turns}; i++) sum = (sum * 31 + i * by) % 1_000_003; return 0 * sum }\n`;
const TURNS = 4_000;
const WAYS = { equal: 1, 'a tenth slower': 1.1, '30 % slower': 1.3, '30 % faster': 1 / 1.3 };

/**
 * @param times comparisons of each kind
 * @param seconds that each may take
 */
export async function compareBench(dir, times, seconds) {
  const file = (name, factor) => {
    const path = join(dir, `${name}.mjs`);
    writeFileSync(path, wayOf(Math.round(TURNS * factor)));
    return path;
  };
  const baseline = { file: file('baseline', 1), export: 'default', name: 'baseline' };
  const rows = [];
  for (const [name, factor] of Object.entries(WAYS)) {
    const candidate = { file: file(`candidate-${rows.length}`, factor), export: 'default', name };
    const found = { faster: 0, slower: 0, 'cannot be told': 0 };
    const ratios = [];
    const took = [];
    for (let i = 0; i < times; i++) {
      const { timing } = await compareWays({ baseline, candidate, forMs: seconds * 1_000, most: 0 });
      found[timing.verdict]++;
      ratios.push(timing.ratio.value);
      took.push(timing.tookMs / 1_000);
    }
    rows.push({ name, found, ratios, took });
  }
  return rows;
}
