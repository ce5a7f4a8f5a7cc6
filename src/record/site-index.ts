/** Samples by site and line, made once for each record. */
import { COUNTING, type Site, type SiteKind } from '../instrument/sites.js';
import type { Range } from '../syntax/positions.js';
import type { Value } from '../wire/value.js';
import type { ProgramFile } from './program.js';
import { type PadRecord, valueAt } from './record.js';

export interface Sample {
  /** Site number within its file. */
  site: number;
  kind: SiteKind;
  name: string;
  range: Range;
  visit: number;
  moment: number;
  value: Value;
}

export function fileOf(record: PadRecord, file: string | undefined): ProgramFile | undefined {
  return record.program.files.find((one) => one.file === (file ?? record.file));
}

/** The rows of each site, by moment. */
export class SiteRows {
  constructor(
    readonly record: PadRecord,
    readonly file: ProgramFile,
    readonly site: Site,
    /** Rows of all sites, grouped; this site's are `from` to `to`. */
    private readonly rows: Int32Array,
    private readonly from: number,
    private readonly to: number,
  ) {}

  /** How many rows are there up to a moment. */
  until(moment: number): number {
    if (moment === Infinity) return this.to - this.from;
    let low = this.from;
    let high = this.to;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.record.samples.moment[this.rows[middle]!]! <= moment) low = middle + 1;
      else high = middle;
    }
    return low - this.from;
  }

  row(index: number): number {
    return this.rows[this.from + index]!;
  }

  sample(index: number): Sample {
    const { samples } = this.record;
    const row = this.row(index);
    const { file, site } = this;
    return {
      site: site.id,
      kind: site.kind,
      name: site.name,
      range: file.lines.rangeOf(site.start, site.end),
      visit: samples.visit[row]!,
      moment: samples.moment[row]!,
      value: valueAt(samples, row),
    };
  }
}

interface SiteIndex {
  rows: Int32Array;
  /** Where each site's rows begin; one more than there are sites. */
  starts: Int32Array;
  /** Value sites of each file by line, in source order. */
  lines: Map<ProgramFile, Map<number, SiteRows[]>>;
}

const indexCache = new WeakMap<PadRecord, SiteIndex>();

/** Rows grouped by site: one counting pass over the record, kept with it. */
function indexOf(record: PadRecord): SiteIndex {
  let index = indexCache.get(record);
  if (index) return index;
  const { samples } = record;
  let most = 0;
  for (const file of record.program.files) most = Math.max(most, file.base + file.sites.length);
  const starts = new Int32Array(most + 1);
  for (let row = 0; row < samples.length; row++) starts[samples.site[row]! + 1]!++;
  for (let i = 1; i <= most; i++) starts[i]! += starts[i - 1]!;
  const next = starts.slice();
  const rows = new Int32Array(samples.length);
  // Rows come in the order of their moments, so each group is in that order too.
  for (let row = 0; row < samples.length; row++) rows[next[samples.site[row]!]!++] = row;
  index = { rows, starts, lines: new Map() };
  indexCache.set(record, index);
  return index;
}

export function rowsOf(record: PadRecord, file: ProgramFile, site: Site): SiteRows | undefined {
  const { rows, starts } = indexOf(record);
  const from = starts[file.base + site.id]!;
  const to = starts[file.base + site.id + 1]!;
  return to > from ? new SiteRows(record, file, site, rows, from, to) : undefined;
}

/**
 * The zero-based line beside which a site's values stand: a statement's value at its end, everything else where it
 * begins.
 */
export function lineOfSite(file: ProgramFile, site: Site): number {
  return file.lines.lineAt(AT_END.has(site.kind) ? Math.max(site.start, site.end - 1) : site.start);
}

const AT_END: ReadonlySet<SiteKind> = new Set<SiteKind>(['expression', 'await', 'stage', 'mark']);

export function linesOf(record: PadRecord, file: ProgramFile): Map<number, SiteRows[]> {
  const index = indexOf(record);
  let lines = index.lines.get(file);
  if (lines) return lines;
  lines = new Map();
  const all: SiteRows[] = [];
  for (const site of file.sites) {
    const rows = COUNTING.has(site.kind) || site.kind === 'step' ? undefined : rowsOf(record, file, site);
    if (rows) all.push(rows);
  }
  all.sort((a, b) => a.site.start - b.site.start || b.site.end - a.site.end);
  for (const rows of all) {
    const line = lineOfSite(file, rows.site);
    const list = lines.get(line);
    if (list) list.push(rows);
    else lines.set(line, [rows]);
  }
  index.lines.set(file, lines);
  return lines;
}
