/** Ways that a pad compares, as plain modules: the pad's text, and what calls each of its ways. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import type { Comparison } from '../../../compare/comparison.js';
import type { Timing } from '../../../compare/timing.js';
import { COMPARED, exportingText, type WrittenComparison } from '../../../syntax/comparisons.js';
import { compareWays } from './compare.js';
import type { Texts } from './plain.js';

export interface PadComparison {
  /** The pad, and its text. */
  file: string;
  text: string;
  written: WrittenComparison;
  /** Texts of other files, in place of those on disk. */
  texts: Texts;
  /** Milliseconds for the times of each pair of ways; 0 for none. */
  forMs: number;
  /** Times at growing sizes are left out. */
  isCoarse?: boolean;
  /** May throw, which ends it. */
  progress?(candidate: string, what: string, timing?: Timing): void;
}

/**
 * Compares the first way of a pad with each of the others, one after the other.
 *
 * @throws AnvilError `E_COMPARE` where one of them cannot be loaded or called
 */
export async function comparePadWays(asked: PadComparison): Promise<Comparison[]> {
  const { file, text, written, texts, forMs, isCoarse = false, progress } = asked;
  const { names } = written;
  const folder = mkdtempSync(join(tmpdir(), 'usher-anvil-pad-ways-'));
  try {
    const call = join(folder, 'call.mjs');
    writeFileSync(
      call,
      [
        `import { ${COMPARED} as compared } from ${JSON.stringify(file)};`,
        ...names.map((name, index) => `export const way${index} = compared.ways[${JSON.stringify(name)}];`),
        'export const data = compared.data;',
        'export const inputs = compared.options.inputs ?? [];',
        'export const { generate, sized } = compared.options;',
        '',
      ].join('\n'),
    );
    const own = exportingText(text, written);
    const all: Texts = (path) => (path === file ? own : path === call ? undefined : texts(path));
    const found: Comparison[] = [];
    for (let index = 1; index < names.length; index++) {
      const way = (number: number) => ({ file: call, export: `way${number}`, name: names[number]!, texts: all });
      const name = names[index]!;
      const comparison = await compareWays({
        ...{ baseline: way(0), candidate: way(index), forMs, isCoarse, cwd: dirname(file) },
        progress: (what, timing) => progress?.(name, what, timing),
      });
      const placed = (one: Comparison['baseline']): Comparison['baseline'] => ({ ...one, file, export: one.name });
      found.push({
        ...comparison,
        baseline: placed(comparison.baseline),
        candidate: placed(comparison.candidate),
      });
    }
    return found;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
