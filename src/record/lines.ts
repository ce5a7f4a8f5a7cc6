/** The state of each line: what ran, what failed, what never ran. */
import { COUNTING, type Site } from '../instrument/sites.js';
import { countOf, countsAt } from './counts.js';
import type { ProgramFile } from './program.js';
import type { PadRecord, RecordError } from './record.js';
import { fileOf } from './site-index.js';

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
    if (!COUNTING.has(site.kind)) continue;
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
      // Nothing here reports: of a program that runs on, only functions are observed.
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
