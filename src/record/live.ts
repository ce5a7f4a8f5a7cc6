/**
 * The record of a program that runs on: what its observed functions said lately,
 * in the places of the text as it is now. Counts are exact since a function was
 * observed; of values, console lines and errors the last ones are kept.
 */
import type { Site } from '../instrument/sites.js';
import type { Batch, RawFrame } from '../wire/reports.js';
import { Tag } from '../wire/samples.js';
import type { Value } from '../wire/value.js';
import { LineTable } from '../syntax/positions.js';
import type { Written } from '../syntax/written.js';
import type { Program, ProgramFile } from './program.js';
import { lineMap } from './line-map.js';
import { placedAsWritten, wholeLine } from './live-places.js';
import { RecordBuilder } from './builder.js';
import type { ConsoleEntry, PadRecord, RecordError } from './record.js';

/** Functions that report through the probes of one unit. */
export interface ObservedUnit {
  unit: number;
  /** First site number. */
  base: number;
  file: string;
  sites: readonly Site[];
  /** Ranges of its sites, one for each function, and how far the function has moved since it was compiled. */
  parts: { from: number; to: number; moved: number }[];
}

/** What a record is made of besides what was reported. */
export interface LiveState {
  /** Files of the program with their text as it is now. */
  files: readonly {
    file: string;
    lines: LineTable;
    quiet: ProgramFile['quiet'];
    notes: ProgramFile['notes'];
    /** What a person wrote, where the text was made of that: places are told in it. */
    written?: Written | undefined;
  }[];
  entry: string;
  units: readonly ObservedUnit[];
  ended: boolean;
  /** Texts that were not taken: what is wrong with them. */
  problems: readonly { file: string; start: number; end: number; message: string; lines: LineTable }[];
}

interface Row {
  site: number;
  visit: number;
  moment: number;
  tag: Tag;
  number: number;
  rest: Value | string | undefined;
}

/** Values of one place that are kept. */
const MOST_VALUES = 200;
/** Values in all, before those of each place are thinned to the last. */
const MOST_ROWS = 20_000;
const MOST_LINES = 4_000;
const MOST_ERRORS = 200;
/** Milliseconds over which rates are taken. */
const RATE_MS = 1_000;

export class LiveRecord {
  private rows: Row[] = [];
  private readonly counts = new Map<number, { at: number; cells: Float64Array }[]>();
  /** What was there when it began anew: counts by unit, and the last visit by site. */
  private readonly before = { cells: new Map<number, Float64Array>(), visits: new Map<number, number>() };
  private console: ConsoleEntry[] = [];
  private omitted = 0;
  /** Omitted lines as the target counts them. */
  private omittedThere = 0;
  private omittedBefore = 0;
  private errors: RecordError[] = [];
  private moments = 0;
  private from = 0;
  private elapsed = 0;

  /** @param placed gives frames in the text as it is now, and console lines of observed places a frame */
  constructor(private readonly program: (of: { site: number } | undefined) => { program: Program; frame?: RawFrame }) {}

  add(batch: Batch): void {
    this.moments = Math.max(this.moments, batch.moment);
    if (batch.time !== undefined) this.elapsed = batch.time;
    const { samples } = batch;
    if (samples)
      for (let i = 0; i < samples.site.length; i++) {
        const tag = samples.tag[i] as Tag;
        this.rows.push({
          site: samples.site[i]!,
          visit: samples.visit[i]!,
          moment: samples.moment[i]!,
          tag,
          number: samples.number[i]!,
          rest: tag === Tag.Rest ? samples.rest[samples.number[i]!] : undefined,
        });
      }
    if (this.rows.length > MOST_ROWS) this.thin();
    for (const { unit, cells } of batch.counts ?? []) {
      const list = this.counts.get(unit) ?? [];
      list.push({ at: this.elapsed, cells });
      // One older than a second is what the rate is measured from.
      while (list.length > 2 && list[1]!.at <= this.elapsed - RATE_MS) list.shift();
      this.counts.set(unit, list);
    }
    if (batch.consoleOmitted !== undefined) this.omittedThere = batch.consoleOmitted;
    if (batch.console || batch.errors) this.addLines(batch);
  }

  private addLines(batch: Batch): void {
    const { program } = this.program(undefined);
    const builder = new RecordBuilder(program);
    const console = batch.console?.map((entry) => {
      const frame = entry.site < 0 ? undefined : this.program({ site: entry.site }).frame;
      return { ...entry, site: -1, ...(frame ? { frame } : {}) };
    });
    builder.add({
      moment: batch.moment,
      ...(console ? { console } : {}),
      ...(batch.errors ? { errors: batch.errors } : {}),
    });
    const made = builder.record({ ended: false, durationMs: 0, target: 'process' });
    this.console.push(...made.console);
    if (this.console.length > MOST_LINES) {
      const drop = this.console.length - MOST_LINES / 2;
      this.console.splice(0, drop);
      this.omitted += drop;
    }
    for (const error of made.errors) {
      const same = this.errors.findIndex(
        (one) =>
          one.message === error.message &&
          one.name === error.name &&
          one.file === error.file &&
          one.range.start.line === error.range.start.line,
      );
      const times = same < 0 ? 1 : (this.errors.splice(same, 1)[0]!.times ?? 1) + 1;
      this.errors.push({ ...error, ...(times > 1 ? { times } : {}), range: wholeLine(program, error) });
    }
    if (this.errors.length > MOST_ERRORS) this.errors.splice(0, this.errors.length - MOST_ERRORS);
  }

  private thin(): void {
    const left = new Map<number, number>();
    const kept: Row[] = [];
    for (let i = this.rows.length - 1; i >= 0; i--) {
      const row = this.rows[i]!;
      const taken = left.get(row.site) ?? 0;
      if (taken >= MOST_VALUES) continue;
      left.set(row.site, taken + 1);
      kept.push(row);
    }
    kept.reverse();
    // Many places: the oldest go, whatever they belong to.
    this.rows = kept.length > MOST_ROWS / 2 ? kept.slice(-MOST_ROWS / 2) : kept;
    this.from = this.rows[0]?.moment ?? this.from;
  }

  /** Begins anew: what was reported so far is no part of it. */
  restart(): void {
    this.clear();
    for (const { site, visit } of this.rows) this.before.visits.set(site, visit);
    this.rows = [];
    for (const [unit, list] of this.counts) this.before.cells.set(unit, list[list.length - 1]!.cells);
    this.counts.clear();
  }

  /** Forgets what was printed and what went wrong. */
  clear(): void {
    this.omitted = 0;
    this.omittedBefore = this.omittedThere;
    this.console = [];
    this.errors = [];
  }

  /** The text of a file has changed: what stands below the change moves with it, what went wrong inside it is over. */
  moved(file: string, before: LineTable, after: LineTable): void {
    const lineOf = lineMap(before, after);
    const shifted = <T extends { line: number }>(at: T): T | undefined => {
      const line = lineOf(at.line);
      return line === undefined ? undefined : { ...at, line };
    };
    this.console = this.console.map((entry) => {
      if (entry.file !== file || !entry.range) return entry;
      const start = shifted(entry.range.start);
      if (start) return { ...entry, range: { start, end: start } };
      // The line it was printed by is another one now.
      const rest = { ...entry };
      delete rest.file;
      delete rest.range;
      return rest;
    });
    this.errors = this.errors.flatMap((error) => {
      const frames = error.frames.map((frame) => {
        const start = frame.file === file ? shifted(frame.range.start) : frame.range.start;
        return start ? { ...frame, range: { start, end: start } } : frame;
      });
      if (error.file !== file) return [{ ...error, frames }];
      const start = shifted(error.range.start);
      const end = shifted(error.range.end);
      return start && end ? [{ ...error, frames, range: { start, end } }] : [];
    });
  }

  /** By site: visits that were before it began anew. */
  private visitsBefore(units: LiveState['units']): Map<number, number> {
    const found = new Map<number, number>();
    for (const { unit, base, sites } of units) {
      const cells = this.before.cells.get(unit);
      if (!cells) continue;
      sites.forEach(({ reach, plus }, id) => {
        // A place that nothing counts numbers its visits by itself.
        const visits = reach < 0 ? this.before.visits.get(base + id) : cells[reach]! + (plus < 0 ? 0 : cells[plus]!);
        if (visits) found.set(base + id, visits);
      });
    }
    return found;
  }

  /** Counts of units that are gone are let go of. */
  forget(unit: number): void {
    this.counts.delete(unit);
    this.before.cells.delete(unit);
  }

  /** Counts per second of a cell, over the last second. */
  rateOf(unit: number, cell: number): number {
    const list = this.counts.get(unit);
    const last = list?.[list.length - 1];
    const first = list?.[0];
    if (!first || !last || last.at - first.at < RATE_MS / 2) return 0;
    return ((last.cells[cell]! - first.cells[cell]!) * 1000) / (last.at - first.at);
  }

  /** The record as of now. */
  record(state: LiveState): PadRecord {
    const counts = new Map<number, Float64Array>();
    const rates = new Map<number, Float64Array>();
    const numberOf = new Map<number, number>();
    let base = 0;
    const files: ProgramFile[] = state.files.map(({ file, lines, quiet, notes, written }, index) => {
      const units = state.units.filter((one) => one.file === file);
      const { sites, sources } = mergedSites(units, written, (site, number) => numberOf.set(site, base + number));
      const cells = new Float64Array(sites.length);
      const rate = new Float64Array(sites.length);
      sources.forEach((list, number) => {
        for (const { unit, cell } of list) {
          const all = this.counts.get(unit);
          const now = all?.[all.length - 1]?.cells[cell];
          if (now !== undefined) cells[number]! += now - (this.before.cells.get(unit)?.[cell] ?? 0);
          rate[number]! += this.rateOf(unit, cell);
        }
      });
      counts.set(index, cells);
      rates.set(index, rate);
      const made: ProgramFile = {
        file,
        unit: index,
        base,
        sites,
        lines: written?.lines ?? lines,
        quiet: written ? [] : quiet,
        notes: written ? notes.map((note) => ({ ...note, ...(written.range(note) ?? { start: 0, end: 0 }) })) : notes,
      };
      base += sites.length;
      return made;
    });
    const visitsBefore = this.visitsBefore(state.units);
    const rows = this.rows.filter((row) => numberOf.has(row.site));
    const rest: (Value | string)[] = [];
    const samples: PadRecord['samples'] = {
      length: rows.length,
      site: Int32Array.from(rows, (row) => numberOf.get(row.site)!),
      visit: Float64Array.from(rows, (row) => row.visit - (visitsBefore.get(row.site) ?? 0)),
      moment: Float64Array.from(rows, (row) => row.moment),
      tag: Uint8Array.from(rows, (row) => row.tag),
      number: Float64Array.from(rows, (row) => (row.tag === Tag.Rest ? rest.push(row.rest!) - 1 : row.number)),
      rest,
    };
    const problems: RecordError[] = state.problems.map(({ file, start, end, message, lines }) => ({
      kind: 'syntax',
      moment: this.moments,
      name: 'SyntaxError',
      message,
      file,
      range: lines.rangeOf(start, end),
      frames: [],
    }));
    const writtenOf = state.files.some(({ written }) => written)
      ? (file: string): Written | undefined => state.files.find((one) => one.file === file)?.written
      : undefined;
    // Few programs have such files, and this is done for each record.
    const placed = writtenOf ? this.errors.map((error) => placedAsWritten(error, writtenOf)) : this.errors;
    const errors = [...placed, ...problems];
    return {
      format: 'usher-anvil/record@1',
      file: state.entry,
      outcome: errors.length > 0 ? 'failed' : 'ok',
      durationMs: this.elapsed,
      ended: state.ended,
      program: { entry: state.entry, files },
      samples,
      counts,
      timings: new Map(),
      kept: new Map(),
      console: writtenOf ? this.console.map((entry) => placedAsWritten(entry, writtenOf)) : this.console,
      consoleOmitted: this.omitted + this.omittedThere - this.omittedBefore,
      shown: [],
      waits: [],
      timers: [],
      requests: [],
      dials: [],
      gates: [],
      errors,
      tests: [],
      target: 'process',
      moments: this.moments,
      live: { rates, from: this.from },
    };
  }
}

/**
 * The sites of one file, of which parts may be compiled by themselves and several times: each place once.
 *
 * @param joined told for each site of a unit, by its number in the program, which of the merged ones it is
 * @returns the merged sites and, for each, the cells that count it
 */
function mergedSites(
  units: LiveState['units'],
  written: Written | undefined,
  joined: (site: number, number: number) => void,
): { sites: Site[]; sources: { unit: number; cell: number }[][] } {
  const sites: Site[] = [];
  const known = new Map<string, number>();
  const sources: { unit: number; cell: number }[][] = [];
  for (const { unit, base: first, sites: all, parts } of units) {
    const merged = new Map<number, number>();
    for (const { from, to, moved } of parts) {
      const seen = new Map<string, number>();
      for (let id = from; id < to; id++) {
        const site = all[id]!;
        const placed = ({ start, end }: { start: number; end: number }): { start: number; end: number } | undefined => {
          const here = { start: start + moved, end: end + moved };
          return written ? written.range(here) : here;
        };
        const range = placed(site);
        // What other tools have put into the code is nobody's business.
        if (!range) continue;
        // A function inside another may be compiled with it and by itself: its places are the same.
        const place = `${site.kind} ${range.start} ${range.end} ${site.name}`;
        const nth = (seen.get(place) ?? 0) + 1;
        seen.set(place, nth);
        const key = `${place} ${nth}`;
        let number = known.get(key);
        if (number === undefined) {
          number = sites.length;
          known.set(key, number);
          const { tried, ...own } = site;
          const around = tried && placed(tried);
          sites.push({ ...own, ...range, id: number, cell: number, ...(around ? { tried: around } : {}) });
          sources.push([]);
        }
        merged.set(id, number);
        sources[number]!.push({ unit, cell: site.cell });
        joined(first + id, number);
      }
    }
    const local = (id: number): number => (id < 0 ? -1 : (merged.get(id) ?? -1));
    for (const [id, number] of merged) {
      const site = all[id]!;
      const at = sites[number]!;
      if (sources[number]!.length > 1 && at.owner >= 0) continue;
      at.within = local(site.within);
      at.owner = local(site.owner);
      at.reach = local(site.reach);
      at.plus = local(site.plus);
    }
  }
  return { sites, sources };
}
