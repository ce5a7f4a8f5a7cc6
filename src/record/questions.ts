/** Questions asked of a record. All are functions of the record and, where it matters, of a moment. */
import { COUNTING, type Site, type SiteKind } from '../instrument/sites.js';
import type { Range } from '../syntax/positions.js';
import type { Value } from '../wire/value.js';
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
  /** The same at the end of the run, where `visits` is as of a moment. */
  total: number;
  /** What a mark asked for, where the site is one. */
  mark?: Site['mark'];
  /** Number of samples, and one of them: for long histories of which little is wanted. */
  readonly length: number;
  at(index: number): Sample;
  readonly samples: Sample[];
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
 * @param until as of this moment: see {@link countsAt}
 */
export function lineStates(record: PadRecord, file?: string, until = Infinity): LineReport[] {
  const at = fileOf(record, file);
  if (!at) return [];
  const cells = until === Infinity ? record.counts.get(at.unit) : countsAt(record, at, until);
  const { lines } = at;
  const starters = new Map<number, Site[]>();
  const regions: { start: number; end: number; count: number }[] = [];
  for (const site of at.sites) {
    if (!COUNTING.has(site.kind) || site.name === 'last values') continue;
    regions.push({ start: site.start, end: site.end, count: countOf(cells, site.cell) });
    const line = lines.lineAt(site.start);
    // A block that goes on below says nothing of its first line; a function's head belongs to the function.
    if (
      site.name === 'module' ||
      (site.kind !== 'statement' &&
        site.kind !== 'function' &&
        lines.lineAt(Math.max(site.start, site.end - 1)) !== line)
    )
      continue;
    const list = starters.get(line);
    if (list) list.push(site);
    else starters.set(line, [site]);
  }
  regions.sort((a, b) => a.start - b.start || b.end - a.end);
  const { failed, way } = errorLines(record, at.file, until);
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
    let sites = starters.get(line);
    let report: LineReport | undefined;
    if (sites) {
      // Of a program that runs on: a function that was not called says nothing of what stands beside it.
      const entered = record.live
        ? sites.filter((site) => site.kind === 'function' || site.within < 0 || countOf(cells, site.within) > 0)
        : sites;
      if (entered.length > 0) sites = entered;
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
      // Nothing here reports: of a program that runs on, only functions are watched.
      if (!inner) continue;
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
  // Outer places next: what says nothing shares the fate of what stands before it in its block, else of what is around it.
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
function errorLines(record: PadRecord, file: string, until: number): { failed: Set<number>; way: Set<number> } {
  const failed = new Set<number>();
  const way = new Set<number>();
  const add = (error: RecordError): void => {
    if (error.file === file) failed.add(error.range.start.line);
    for (const frame of error.frames) {
      if (!frame.local || frame.file !== file) continue;
      way.add(frame.range.start.line);
      for (const line of branchLines(record, file, frame.range.start)) way.add(line);
    }
  };
  for (const error of record.errors) if (error.moment <= until) add(error);
  for (const test of record.tests) if (test.error && test.error.moment <= until) add(test.error);
  if (until >= record.moments && record.stop?.file === file && record.stop.range && record.outcome === 'stopped')
    failed.add(record.stop.range.start.line);
  for (const line of failed) way.delete(line);
  return { failed, way };
}

/** Lines at which the branches and loops begin that hold a place, within its function. */
function branchLines(record: PadRecord, fileName: string, at: { line: number; character: number }): number[] {
  const file = fileOf(record, fileName);
  if (!file) return [];
  const offset = file.lines.offsetAt(at);
  let around = -1;
  for (const site of file.sites)
    if (site.kind === 'function' && site.start <= offset && site.end > offset && site.start > around)
      around = site.start;
  return file.sites
    .filter(
      (site) =>
        (site.kind === 'branch' || site.kind === 'loop') &&
        site.name !== 'module' &&
        site.start > around &&
        site.start <= offset &&
        site.end > offset,
    )
    .map((site) => file.lines.lineAt(site.start));
}

/** The rows of each site, by moment. */
class SiteRows {
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

function rowsOf(record: PadRecord, file: ProgramFile, site: Site): SiteRows | undefined {
  const { rows, starts } = indexOf(record);
  const from = starts[file.base + site.id]!;
  const to = starts[file.base + site.id + 1]!;
  return to > from ? new SiteRows(record, file, site, rows, from, to) : undefined;
}

/** The zero-based line beside which a site's values stand: a statement's value at its end, everything else where it begins. */
export function lineOfSite(file: ProgramFile, site: Site): number {
  return file.lines.lineAt(AT_END.has(site.kind) ? Math.max(site.start, site.end - 1) : site.start);
}

const AT_END: ReadonlySet<SiteKind> = new Set<SiteKind>(['expression', 'await', 'stage', 'mark']);

function linesOf(record: PadRecord, file: ProgramFile): Map<number, SiteRows[]> {
  const index = indexOf(record);
  let lines = index.lines.get(file);
  if (lines) return lines;
  lines = new Map();
  const all: SiteRows[] = [];
  for (const site of file.sites) {
    const rows = COUNTING.has(site.kind) ? undefined : rowsOf(record, file, site);
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
export function historiesByLine(record: PadRecord, fileName?: string, until = Infinity): Map<number, History[]> {
  const file = fileOf(record, fileName);
  const result = new Map<number, History[]>();
  if (!file) return result;
  for (const [line, list] of linesOf(record, file)) {
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

/** The site and history at a place of the source: the innermost that holds the place, else the first beside its line. */
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
