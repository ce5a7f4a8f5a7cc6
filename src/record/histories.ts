/** The values of a place over the run. */
import type { Site, SiteKind } from '../instrument/sites.js';
import type { Range } from '../syntax/positions.js';
import { countOf } from './counts.js';
import type { ProgramFile } from './program.js';
import type { PadRecord } from './record.js';
import { type Sample, SiteRows, fileOf, linesOf, rowsOf } from './site-index.js';

export interface History {
  site: number;
  kind: SiteKind;
  name: string;
  range: Range;
  /** Site number of the innermost function around it, or -1. */
  within: number;
  /** How often the site was reached, as far as its counter tells; at least the number of samples. */
  visits: number;
  /** The same at the end of the run, where `visits` is as of a moment. */
  total: number;
  /** What a mark asked for, where the site is one. */
  mark?: Site['mark'];
  /** Number of samples, and one of them: for long histories of which little is wanted. */
  readonly length: number;
  at(index: number): Sample;
  readonly samples: Sample[];
}

/**
 * All samples beside one line, site by site in source order, visit by visit.
 *
 * @param where zero-based line, and the file (default: the pad)
 * @param until only samples up to this moment
 */
export function samplesAt(record: PadRecord, where: { line: number; file?: string }, until = Infinity): Sample[] {
  return historiesAt(record, where, until).flatMap((history) => history.samples);
}

/** The histories of the sites beside one line, in source order. */
export function historiesAt(record: PadRecord, where: { line: number; file?: string }, until = Infinity): History[] {
  const file = fileOf(record, where.file);
  if (!file) return [];
  return (linesOf(record, file).get(where.line) ?? [])
    .map((rows) => new SiteHistory(rows, until))
    .filter((history) => history.length > 0);
}

/** Histories of all sites of a file by line: one pass for a whole listing. */
export function historiesByLine(
  record: PadRecord,
  fileName?: string,
  until = Infinity,
  wants?: (line: number) => boolean,
): Map<number, History[]> {
  const file = fileOf(record, fileName);
  const result = new Map<number, History[]>();
  if (!file) return result;
  for (const [line, list] of linesOf(record, file)) {
    if (wants && !wants(line)) continue;
    const histories = list.map((rows) => new SiteHistory(rows, until)).filter((history) => history.length > 0);
    if (histories.length > 0) result.set(line, histories);
  }
  return result;
}

/** The history of one site, by its number within its file. */
export function historyOf(record: PadRecord, site: number, fileName?: string, until = Infinity): History | undefined {
  const file = fileOf(record, fileName);
  const rows = file?.sites[site] && rowsOf(record, file, file.sites[site]);
  return rows ? new SiteHistory(rows, until) : undefined;
}

class SiteHistory implements History {
  readonly length: number;
  private made: Sample[] | undefined;

  constructor(
    private readonly rows: SiteRows,
    private readonly until: number,
  ) {
    this.length = rows.until(until);
  }

  get site(): number {
    return this.rows.site.id;
  }
  get kind(): SiteKind {
    return this.rows.site.kind;
  }
  get name(): string {
    return this.rows.site.name;
  }
  get within(): number {
    return this.rows.site.within;
  }
  get mark(): Site['mark'] {
    return this.rows.site.mark;
  }
  get range(): Range {
    return this.rows.file.lines.rangeOf(this.rows.site.start, this.rows.site.end);
  }
  get visits(): number {
    const last = this.length > 0 ? this.rows.record.samples.visit[this.rows.row(this.length - 1)]! : 0;
    return this.until === Infinity ? Math.max(last, this.total) : last;
  }
  get total(): number {
    const { record, file, site } = this.rows;
    const cells = record.counts.get(file.unit);
    const counted = site.reach >= 0 ? countOf(cells, site.reach) + countOf(cells, site.plus) : 0;
    const all = this.rows.until(Infinity);
    return Math.max(all > 0 ? record.samples.visit[this.rows.row(all - 1)]! : 0, counted);
  }
  get samples(): Sample[] {
    return (this.made ??= Array.from({ length: this.length }, (_, index) => this.rows.sample(index)));
  }
  at(index: number): Sample {
    return this.made?.[index] ?? this.rows.sample(index);
  }
}

/**
 * The visit before or after a moment, of the site at a place of the source.
 *
 * @param where zero-based line and character; the innermost site there is taken, else the first beside the line
 * @param by -1 for the visit before, 1 for the one after
 */
export function visitBeside(
  record: PadRecord,
  where: { line: number; character?: number; file?: string },
  moment: number,
  by: -1 | 1,
): Sample | undefined {
  const file = fileOf(record, where.file);
  if (!file) return undefined;
  const rows = siteAt(record, file, where.line, where.character);
  if (!rows) return undefined;
  const count = rows.until(moment);
  const index =
    by > 0 ? count : count > 0 && record.samples.moment[rows.row(count - 1)] === moment ? count - 2 : count - 1;
  return index >= 0 && index < rows.until(Infinity) ? rows.sample(index) : undefined;
}

/**
 * The site and history at a place of the source: the innermost that holds the place, else the first beside its line.
 */
export function historyUnder(
  record: PadRecord,
  where: { line: number; character?: number; file?: string },
  until = Infinity,
): History | undefined {
  const file = fileOf(record, where.file);
  const rows = file && siteAt(record, file, where.line, where.character);
  if (!rows || rows.until(until) === 0) return undefined;
  return new SiteHistory(rows, until);
}

/** The sample of a visit of the site at a place; of the nearest visit that was sampled. */
export function visitAt(
  record: PadRecord,
  where: { line: number; character?: number; file?: string },
  visit: number,
): Sample | undefined {
  const file = fileOf(record, where.file);
  const rows = file && siteAt(record, file, where.line, where.character);
  if (!rows) return undefined;
  const count = rows.until(Infinity);
  let best = 0;
  for (let i = 1; i < count; i++)
    if (Math.abs(record.samples.visit[rows.row(i)]! - visit) < Math.abs(record.samples.visit[rows.row(best)]! - visit))
      best = i;
  return rows.sample(best);
}

function siteAt(
  record: PadRecord,
  file: ProgramFile,
  line: number,
  character: number | undefined,
): SiteRows | undefined {
  const beside = linesOf(record, file).get(line) ?? [];
  if (character !== undefined) {
    const offset = file.lines.offsetAt({ line, character });
    let best: SiteRows | undefined;
    for (const list of linesOf(record, file).values())
      for (const rows of list)
        if (
          rows.site.start <= offset &&
          rows.site.end >= offset &&
          (!best || rows.site.end - rows.site.start < best.site.end - best.site.start)
        )
          best = rows;
    // A site of many lines is under every cursor in it: the line's own are meant then.
    if (best && (beside.length === 0 || beside.includes(best))) return best;
  }
  return beside.find((rows) => rows.site.name !== '') ?? beside[0];
}
