/** What of a project its tests reach: line by line, over the records of all of them. */
import { COUNTING, type Site } from '../instrument/sites.js';
import { countOf } from './counts.js';
import { lineStates, type LineReport } from './lines.js';
import type { ProgramFile } from './program.js';
import type { PadRecord } from './record.js';

/** A test that reaches a place. */
export interface Reaching {
  /** The file of tests. */
  file: string;
  /** Names from the outermost suite in, and the test's own. */
  path: string[];
  state: PadRecord['tests'][number]['state'];
  line: number;
}

export interface CoveredFile {
  file: string;
  /** Lines that hold code. */
  lines: LineReport[];
  /** How many of them ran, in part or as a whole. */
  ran: number;
}

interface Merged {
  program: ProgramFile;
  cells: Float64Array;
  /** By cell. */
  tests: Map<number, Set<Reaching>>;
}

export class Coverage {
  private readonly merged = new Map<string, Merged>();

  /** A file that no test has loaded: none of it ran. */
  addUnreached(program: ProgramFile): void {
    if (!this.merged.has(program.file))
      this.merged.set(program.file, { program, cells: new Float64Array(program.sites.length), tests: new Map() });
  }

  /** Takes the record of one file of tests. */
  add(record: PadRecord): void {
    const places = new Map<number, Merged>();
    for (const program of record.program.files) {
      const cells = record.counts.get(program.unit);
      const known = this.merged.get(program.file);
      // The same text has the same sites; one that was saved meanwhile counts from now on.
      const isSame =
        known?.program.sites.length === program.sites.length && known.program.lines.text === program.lines.text;
      const merged = isSame ? known : { program, cells: new Float64Array(program.sites.length), tests: new Map() };
      this.merged.set(program.file, merged);
      places.set(program.unit, merged);
      for (let i = 0; i < (cells?.length ?? 0); i++) merged.cells[i]! += cells![i]!;
    }
    for (const { path, name, state, line, reached } of record.tests) {
      const test: Reaching = { file: record.file, path: [...path, name], state, line };
      for (const { unit, cells } of reached ?? []) {
        const merged = places.get(unit);
        for (const cell of cells) {
          const tests = merged?.tests.get(cell);
          if (tests) tests.add(test);
          else merged?.tests.set(cell, new Set([test]));
        }
      }
    }
  }

  /** Files by name, without those that are left out. */
  files(isLeftOut: (file: string) => boolean): CoveredFile[] {
    return [...this.merged.values()]
      .filter(({ program }) => !isLeftOut(program.file) && program.sites.length > 0)
      .map(({ program, cells }) => {
        const lines = lineStates(alone(program, cells), program.file);
        return { file: program.file, lines, ran: lines.filter(({ state }) => state !== 'never').length };
      })
      .sort((a, b) => (a.file < b.file ? -1 : 1));
  }

  /**
   * Tests that reach a line.
   *
   * @param line zero-based
   */
  testsAt(file: string, line: number): Reaching[] {
    const merged = this.merged.get(file);
    if (!merged) return [];
    const { lines, sites } = merged.program;
    const own = sites.filter(
      (site) => COUNTING.has(site.kind) && lines.lineAt(site.start) === line && site.name !== 'module',
    );
    const around = own.length > 0 ? own : innermost(sites, lines.starts[line] ?? 0);
    const found = new Set<Reaching>();
    for (const site of around) for (const test of merged.tests.get(site.cell) ?? []) found.add(test);
    return [...found].sort((a, b) => (a.file === b.file ? a.line - b.line : a.file < b.file ? -1 : 1));
  }

  /** In the format that tools for coverage share, with paths as `nameOf` gives them. */
  lcov(isLeftOut: (file: string) => boolean, nameOf: (file: string) => string): string {
    const out: string[] = [];
    for (const { file, lines, ran } of this.files(isLeftOut)) {
      const { program, cells } = this.merged.get(file)!;
      out.push('TN:', `SF:${nameOf(file)}`);
      const functions = program.sites.filter((site) => site.kind === 'function');
      const names = new Map<string, number>();
      const named = functions.map((site) => {
        const name = site.name === '' ? '(anonymous)' : site.name.replace(/[\r\n,]/g, ' ');
        const times = (names.get(name) ?? 0) + 1;
        names.set(name, times);
        return { site, name: times === 1 ? name : `${name}#${times}` };
      });
      for (const { site, name } of named) out.push(`FN:${program.lines.lineAt(site.start) + 1},${name}`);
      for (const { site, name } of named) out.push(`FNDA:${countOf(cells, site.cell)},${name}`);
      out.push(`FNF:${functions.length}`, `FNH:${functions.filter((site) => countOf(cells, site.cell) > 0).length}`);
      const branches = program.sites.filter((site) => site.kind === 'branch' && site.name !== 'module');
      branches.forEach((site, number) =>
        out.push(`BRDA:${program.lines.lineAt(site.start) + 1},${number},0,${countOf(cells, site.cell) || '-'}`),
      );
      out.push(`BRF:${branches.length}`, `BRH:${branches.filter((site) => countOf(cells, site.cell) > 0).length}`);
      for (const { line, hits, state } of lines)
        out.push(`DA:${line + 1},${state === 'never' ? 0 : Math.max(1, hits)}`);
      out.push(`LF:${lines.length}`, `LH:${ran}`, 'end_of_record');
    }
    return `${out.join('\n')}\n`;
  }
}

/** The record of one file by itself, as far as its lines go. */
function alone(program: ProgramFile, cells: Float64Array): PadRecord {
  return {
    program: { entry: program.file, files: [program] },
    counts: new Map([[program.unit, cells]]),
    errors: [],
    tests: [],
    moments: Infinity,
  } as unknown as PadRecord;
}

function innermost(sites: readonly Site[], offset: number): Site[] {
  const around = sites.filter((site) => COUNTING.has(site.kind) && site.start <= offset && site.end > offset);
  const last = around.sort((a, b) => a.start - b.start || b.end - a.end).at(-1);
  return last ? [last] : [];
}
