/** Compares two ways of files, in processes of their own. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { compareLoaded, type CompareOptions } from '../../../compare/comparing.js';
import type { ComparedWay, Comparison } from '../../../compare/comparison.js';
import type { LoadedWay } from '../../../wire/comparing.js';
import { type Texts, writePlain } from './plain.js';
import { ComparedProcess } from './process.js';

export interface AskedWay extends ComparedWay {
  /** Texts that count in place of those on disk. */
  texts?: Texts;
}

export interface CompareAsked extends CompareOptions {
  baseline: AskedWay;
  candidate: AskedWay;
  /** Folder in which both are called; by default that of the baseline's file. */
  cwd?: string;
}

type Name = 'baseline' | 'candidate';

/**
 * @throws AnvilError `E_COMPARE` where one of them cannot be loaded, called, or does not come to an end
 */
export async function compareWays(asked: CompareAsked): Promise<Comparison> {
  const { baseline, candidate } = asked;
  const folder = mkdtempSync(join(tmpdir(), 'usher-anvil-compare-'));
  try {
    const ways = await modulesOf(baseline, candidate, folder);
    const { cwd = dirname(baseline.file) } = asked;
    return await compareLoaded({ baseline: described(baseline), candidate: described(candidate) }, asked, {
      ways,
      data: ways.baseline.module,
      start: () => new ComparedProcess(cwd),
      now: () => performance.now(),
    });
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
