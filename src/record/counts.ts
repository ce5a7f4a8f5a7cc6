/** Exact counts, as of a moment. */
import { COUNTING, type Site } from '../instrument/sites.js';
import type { ProgramFile } from './program.js';
import type { PadRecord } from './record.js';
import { fileOf, rowsOf } from './site-index.js';

export function countOf(cells: Float64Array | undefined, cell: number): number {
  return cell >= 0 && cells ? (cells[cell] ?? 0) : 0;
}

/**
 * How often each cell was counted as of a moment. Counts are exact at the end
 * of a run; before it they are read off what was reported by then: the visit
 * number of a site's last sample is how often its place was reached. A place
 * that reports nothing itself takes what its parts say, and else the share of
 * what is around it. So a count as of a moment is exact while every visit is
 * sampled, and otherwise at most the distance of two samples behind.
 */
export function countsAt(record: PadRecord, file: ProgramFile, until: number): Float64Array {
  const totals = record.counts.get(file.unit) ?? new Float64Array(file.sites.length);
  if (until >= record.moments) return totals;
  const known = new Float64Array(totals.length).fill(-1);
  const note = (cell: number, count: number): void => {
    if (cell >= 0) known[cell] = Math.max(known[cell]!, Math.min(count, totals[cell] ?? 0));
  };
  const printed = new Map<string, number>();
  for (const entry of record.console) {
    if (entry.moment > until) break;
    if (entry.file === file.file && entry.range) {
      const key = `${entry.range.start.line}:${entry.range.start.character}`;
      printed.set(key, (printed.get(key) ?? 0) + 1);
    }
  }
  for (const site of file.sites) {
    if (site.reach < 0 || site.plus >= 0) continue;
    if (site.kind === 'console') {
      const { start } = file.lines.rangeOf(site.start, site.end);
      note(site.reach, printed.get(`${start.line}:${start.character}`) ?? 0);
    } else if (!COUNTING.has(site.kind)) {
      const rows = rowsOf(record, file, site);
      if (!rows) continue;
      const count = rows.until(until);
      note(site.reach, count === 0 ? 0 : record.samples.visit[rows.row(count - 1)]!);
    }
  }
  // Inner places first: what ran inside says that the outside was entered.
  const counting = file.sites
    .filter((site) => COUNTING.has(site.kind))
    .sort((a, b) => a.start - b.start || b.end - a.end);
  const open: { site: Site; inside: number }[] = [];
  const close = (entry: { site: Site; inside: number }): void => {
    const { site } = entry;
    if (known[site.cell]! < 0 && entry.inside >= 0) note(site.cell, entry.inside);
    const parent = open[open.length - 1];
    const count = known[site.cell]!;
    if (!parent || count < 0) return;
    const direct = site.within === parent.site.within || site.within === parent.site.id;
    // The body of a function runs when it is called, not where it is written.
    if (site.kind === 'function' || !direct) return;
    const once = site.owner === parent.site.owner || site.owner === parent.site.id;
    parent.inside = Math.max(parent.inside, once || count === 0 ? count : 1);
  };
  for (const site of counting) {
    while (open.length > 0 && open[open.length - 1]!.site.end <= site.start) close(open.pop()!);
    open.push({ site, inside: -1 });
  }
  while (open.length > 0) close(open.pop()!);
  // Outer places next: what says nothing shares the fate of what stands before it in its block, else of what is around
  // it.
  const before = new Map<Site | undefined, Site>();
  for (const site of counting) {
    while (open.length > 0 && open[open.length - 1]!.site.end <= site.start) open.pop();
    const around = open[open.length - 1]?.site;
    if (known[site.cell]! < 0) {
      const total = totals[site.cell] ?? 0;
      const guide = site.kind === 'function' ? undefined : (before.get(around) ?? around);
      const whole = guide ? (totals[guide.cell] ?? 0) : record.moments;
      const part = guide ? Math.max(0, known[guide.cell]!) : until;
      known[site.cell] = whole > 0 ? Math.min(total, Math.floor((total * part) / whole)) : 0;
    }
    if (site.kind === 'statement') before.set(around, site);
    open.push({ site, inside: -1 });
  }
  for (let cell = 0; cell < known.length; cell++) if (known[cell]! < 0) known[cell] = 0;
  return known;
}

/** How often a site's cell was counted; exact. */
export function countAt(record: PadRecord, site: number, file?: string): number {
  const at = fileOf(record, file);
  return at ? countOf(record.counts.get(at.unit), at.sites[site]?.cell ?? -1) : 0;
}
