/** Questions asked of a record. All are functions of the record and, where it matters, of a moment. */
import { COUNTING, type Site, type SiteKind } from '../instrument/sites.js';
import type { Range } from '../syntax/positions.js';
import type { Value } from '../runtime/wire.js';
import type { ProgramFile } from './program.js';
import { valueAt, type ConsoleEntry, type PadRecord, type RecordError, type TestResult } from './record.js';

export type LineState = 'ran' | 'partly' | 'never' | 'failed';

export interface LineReport {
  /** Zero-based. */
  line: number;
  state: LineState;
  /** How often the line's first statement ran. */
  hits: number;
  /** What of it never ran, in words: `the else part`. */
  missing: string[];
  /** Number of parts that were looked at. */
  parts: number;
  /** On the call path to an error. */
  way: boolean;
}

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

export interface History {
  site: number;
  kind: SiteKind;
  name: string;
  range: Range;
  /** Site number of the innermost function around it, or -1. */
  within: number;
  /** How often the site was reached, as far as its counter tells; at least the number of samples. */
  visits: number;
  samples: Sample[];
}

function fileOf(record: PadRecord, file: string | undefined): ProgramFile | undefined {
  return record.program.files.find((one) => one.file === (file ?? record.file));
}

function countOf(cells: Float64Array | undefined, cell: number): number {
  return cell >= 0 && cells ? (cells[cell] ?? 0) : 0;
}

/**
 * The state of every line that holds code, in order. Blank lines, comments and
 * types are left out.
 *
 * @param file one of the record's files; the pad itself when absent
 */
export function lineStates(record: PadRecord, file?: string): LineReport[] {
  const at = fileOf(record, file);
  if (!at) return [];
  const cells = record.counts.get(at.unit);
  const { lines } = at;
  const starters = new Map<number, Site[]>();
  const regions: { start: number; end: number; count: number }[] = [];
  for (const site of at.sites) {
    if (!COUNTING.has(site.kind) || site.name === 'last values') continue;
    regions.push({ start: site.start, end: site.end, count: countOf(cells, site.cell) });
    const line = lines.lineAt(site.start);
    // A block that goes on below says nothing of its first line; a function's head belongs to the function.
    if (site.name === 'module' || (site.kind !== 'statement' && site.kind !== 'function' && lines.lineAt(Math.max(site.start, site.end - 1)) !== line))
      continue;
    const list = starters.get(line);
    if (list) list.push(site);
    else starters.set(line, [site]);
  }
  regions.sort((a, b) => a.start - b.start || b.end - a.end);
  const { failed, way } = errorLines(record, at.file);
  const reports: LineReport[] = [];
  const open: { end: number; count: number }[] = [];
  let next = 0;
  for (let line = 0; line < lines.lineCount; line++) {
    const start = lines.starts[line]!;
    const text = lines.line(line);
    const indent = text.search(/\S/);
    if (indent < 0) continue;
    const first = start + indent;
    while (next < regions.length && regions[next]!.start <= first) {
      const region = regions[next++]!;
      open.push(region);
    }
    for (let i = open.length - 1; i >= 0; i--) if (open[i]!.end <= first) open.splice(i, 1);
    const sites = starters.get(line);
    let report: LineReport | undefined;
    if (sites) {
      const counts = sites.map((site) => countOf(cells, site.cell));
      const ran = counts.filter((count) => count > 0).length;
      const statement = sites.findIndex((site) => site.kind === 'statement');
      report = {
        line,
        state: ran === 0 ? 'never' : ran === sites.length ? 'ran' : 'partly',
        hits: statement >= 0 ? counts[statement]! : Math.max(...counts),
        missing: ran === 0 ? [] : sites.filter((_, index) => counts[index] === 0).map(describe),
        parts: sites.length,
        way: false,
      };
    } else if (!isQuiet(at, first, start + text.trimEnd().length)) {
      const inner = open[open.length - 1];
      const hits = inner?.count ?? 0;
      report = { line, state: hits > 0 ? 'ran' : 'never', hits, missing: [], parts: 1, way: false };
    }
    if (report) {
      if (failed.has(line)) report.state = 'failed';
      report.way = way.has(line);
      reports.push(report);
    } else if (failed.has(line)) reports.push({ line, state: 'failed', hits: 0, missing: [], parts: 1, way: false });
  }
  return reports;
}

function describe(site: Site): string {
  switch (site.kind) {
    case 'function':
      return site.name ? `the function ${site.name}` : 'the function';
    case 'statement':
      return 'a statement';
    default:
      return `the ${site.name}`;
  }
}

function isQuiet(file: ProgramFile, start: number, end: number): boolean {
  let from = start;
  for (const range of file.quiet) {
    if (range.end <= from) continue;
    if (range.start > from) return false;
    from = range.end;
    while (from < end && /\s/.test(file.lines.text[from]!)) from++;
    if (from >= end) return true;
  }
  return false;
}

/** Lines where an error stands, and lines on the call path to one. */
function errorLines(record: PadRecord, file: string): { failed: Set<number>; way: Set<number> } {
  const failed = new Set<number>();
  const way = new Set<number>();
  const add = (error: RecordError): void => {
    if (error.file === file) failed.add(error.range.start.line);
    for (const frame of error.frames) if (frame.local && frame.file === file) way.add(frame.range.start.line);
  };
  for (const error of record.errors) add(error);
  for (const test of record.tests) if (test.error) add(test.error);
  if (record.stop?.file === file && record.stop.range && record.outcome === 'stopped') failed.add(record.stop.range.start.line);
  for (const line of failed) way.delete(line);
  return { failed, way };
}

interface SiteRows {
  file: ProgramFile;
  site: Site;
  rows: number[];
}

const rowsCache = new WeakMap<PadRecord, Map<number, number[]>>();

function rowsBySite(record: PadRecord): Map<number, number[]> {
  let rows = rowsCache.get(record);
  if (!rows) {
    rows = new Map();
    const { samples } = record;
    for (let row = 0; row < samples.length; row++) {
      const list = rows.get(samples.site[row]!);
      if (list) list.push(row);
      else rows.set(samples.site[row]!, [row]);
    }
    rowsCache.set(record, rows);
  }
  return rows;
}

/** The zero-based line beside which a site's values stand: a statement's value at its end, everything else where it begins. */
export function lineOfSite(file: ProgramFile, site: Site): number {
  return file.lines.lineAt(site.kind === 'expression' || site.kind === 'await' ? Math.max(site.start, site.end - 1) : site.start);
}

function sitesOnLine(record: PadRecord, file: ProgramFile, line: number): SiteRows[] {
  const rows = rowsBySite(record);
  const found: SiteRows[] = [];
  for (const site of file.sites) {
    if (COUNTING.has(site.kind) || lineOfSite(file, site) !== line) continue;
    const list = rows.get(file.base + site.id);
    if (list) found.push({ file, site, rows: list });
  }
  return found.sort((a, b) => a.site.start - b.site.start || b.site.end - a.site.end);
}

function sampleOf(record: PadRecord, { file, site }: SiteRows, row: number): Sample {
  const { samples } = record;
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
  return sitesOnLine(record, file, where.line)
    .map((entry) => historyOf(record, entry, until))
    .filter((history) => history.samples.length > 0);
}

/** Histories of all sites of a file by line: one pass for a whole listing. */
export function historiesByLine(record: PadRecord, fileName?: string, until = Infinity): Map<number, History[]> {
  const file = fileOf(record, fileName);
  const result = new Map<number, History[]>();
  if (!file) return result;
  const rows = rowsBySite(record);
  const entries: SiteRows[] = [];
  for (const site of file.sites) {
    const list = COUNTING.has(site.kind) ? undefined : rows.get(file.base + site.id);
    if (list) entries.push({ file, site, rows: list });
  }
  entries.sort((a, b) => a.site.start - b.site.start || b.site.end - a.site.end);
  for (const entry of entries) {
    const history = historyOf(record, entry, until);
    if (history.samples.length === 0) continue;
    const line = lineOfSite(file, entry.site);
    const list = result.get(line);
    if (list) list.push(history);
    else result.set(line, [history]);
  }
  return result;
}

function historyOf(record: PadRecord, entry: SiteRows, until: number): History {
  const { file, site } = entry;
  const samples: Sample[] = [];
  for (const row of entry.rows) if (record.samples.moment[row]! <= until) samples.push(sampleOf(record, entry, row));
  const cells = record.counts.get(file.unit);
  const counted = site.reach >= 0 ? countOf(cells, site.reach) + countOf(cells, site.plus) : 0;
  const last = samples.length > 0 ? samples[samples.length - 1]!.visit : 0;
  return {
    site: site.id,
    kind: site.kind,
    name: site.name,
    range: file.lines.rangeOf(site.start, site.end),
    within: site.within,
    visits: until === Infinity ? Math.max(last, counted) : last,
    samples,
  };
}

/** Console lines up to a moment, in order. */
export function consoleAt(record: PadRecord, until = Infinity): ConsoleEntry[] {
  return record.console.filter((entry) => entry.moment <= until);
}

/** Console lines of one line of a file. */
export function consoleOfLine(record: PadRecord, where: { line: number; file?: string }): ConsoleEntry[] {
  const file = where.file ?? record.file;
  return record.console.filter((entry) => entry.file === file && entry.range?.start.line === where.line);
}

/** Errors up to a moment. */
export function errorsAt(record: PadRecord, until = Infinity): RecordError[] {
  return record.errors.filter((error) => error.moment <= until);
}

/** Tests declared on one line of a file. */
export function testsOfLine(record: PadRecord, where: { line: number; file?: string }): TestResult[] {
  const file = where.file ?? record.file;
  return record.tests.filter((test) => test.file === file && test.line === where.line);
}

/** How often a site's cell was counted; exact. */
export function countAt(record: PadRecord, site: number, file?: string): number {
  const at = fileOf(record, file);
  return at ? countOf(record.counts.get(at.unit), at.sites[site]?.cell ?? -1) : 0;
}
