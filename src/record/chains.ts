/** Chains of calls, stage by stage. */
import type { Site } from '../instrument/sites.js';
import type { Range } from '../syntax/positions.js';
import type { ProgramFile } from './program.js';
import type { PadRecord } from './record.js';
import { type Sample, fileOf, rowsOf } from './site-index.js';

/** A chain of calls with the value of each stage, as of a moment: the stages of the last evaluation by then. */
export interface Chain {
  range: Range;
  stages: Sample[];
}

/** The chains of calls that touch a line, each with its stages in order. */
export function chainsAt(record: PadRecord, where: { line: number; file?: string }, until = Infinity): Chain[] {
  const file = fileOf(record, where.file);
  if (!file) return [];
  const chains: { around: Site; stages: Site[] }[] = [];
  for (const site of file.sites) {
    if (site.kind !== 'stage') continue;
    let around: Site | undefined;
    for (const other of file.sites)
      if (
        other.within === site.within &&
        isWhole(file, other, site) &&
        (!around || other.end - other.start < around.end - around.start)
      )
        around = other;
    const known = chains.find((chain) => chain.around === (around ?? site) && chain.stages[0]!.start === site.start);
    if (known) known.stages.push(site);
    else chains.push({ around: around ?? site, stages: [site] });
  }
  return chains.flatMap(({ around, stages }) => {
    const sorted = stages.sort((a, b) => a.end - b.end);
    const last = sorted[sorted.length - 1]!;
    const range = file.lines.rangeOf(Math.min(around.start, sorted[0]!.start), Math.max(around.end, last.end));
    // The last call of a chain in a declaration has no site of its own: its line is the next.
    if (where.line < range.start.line || where.line > Math.max(range.end.line, file.lines.lineAt(last.end) + 1))
      return [];
    const samples: Sample[] = [];
    for (const site of around.kind === 'stage' ? sorted : [...sorted, around]) {
      const rows = rowsOf(record, file, site);
      const count = rows?.until(until) ?? 0;
      if (count > 0) samples.push(rows!.sample(count - 1));
    }
    return samples.length > 0 ? [{ range, stages: samples }] : [];
  });
}

/** True for the site whose value is that of the whole chain. */
function isWhole(file: ProgramFile, outer: Site, stage: Site): boolean {
  switch (outer.kind) {
    case 'expression':
    case 'return':
    case 'assignment':
    case 'await':
      return outer.start <= stage.start && outer.end > stage.end;
    case 'declaration':
      // Its site is the name; the chain stands behind it.
      return outer.end <= stage.start && /^\s*(?::[^=;]*)?=\s*$/.test(file.lines.text.slice(outer.end, stage.start));
    default:
      return false;
  }
}
