/** All places to stop at, as steps of a run in their order. */
import type { DebugProtocol } from '@vscode/debugprotocol';
import type { PadRecord } from '../record/record.js';
import type { Walk } from '../record/walk/walk.js';
import { AnvilError } from '../syntax/problems.js';
import { FILTERS } from './capabilities.js';
import { entries, failures, type Hit, hitCounts, hitsOf, type Place, stoppingLines } from './stop-places.js';

/** A place as a client is told of it; the line is zero-based. */
export interface SetPlace {
  id: number;
  verified: boolean;
  line: number;
  message?: string;
}

export class StopSet {
  private last = 0;
  private readonly lines = new Map<string, Place[]>();
  private functions: { id: number; name: string }[] = [];
  private writes: { id: number; at: number; path: string }[] = [];
  private filters: ReadonlySet<string> = new Set([FILTERS.failures]);
  private walked: { record: PadRecord; run: Walk } | undefined;
  /** In the order of their steps; made anew when something was set. */
  private hits: Hit[] | undefined;

  /**
   * @param say takes what is to be said of conditions that cannot be asked
   * @param changed told of places of which more is known than when they were set
   */
  constructor(
    private readonly say: (text: string) => void,
    private readonly changed: (place: DebugProtocol.Breakpoint) => void,
  ) {}

  get stopsAtFailures(): boolean {
    return this.filters.has(FILTERS.failures);
  }

  /** A person wants to stop at something of their own. */
  get hasPlaces(): boolean {
    return [...this.lines.values()].some((list) => list.length > 0) || this.functions.length > 0;
  }

  /** A run that is walked through from now on. */
  take(record: PadRecord, run: Walk): void {
    this.walked = { record, run };
    this.writes = [];
    this.hits = undefined;
    if (run.hasMore(1) || run.hasMore(-1)) return;
    for (const place of [...this.lines.values()].flat())
      if (run.where((file, { start }) => file === place.file && start.line === place.line).length === 0)
        this.changed({ id: place.id, verified: true, message: 'The run did not come by here.' });
  }

  /** The lines of a file on which something runs. */
  linesOf(file: string, text: () => string | undefined): number[] {
    const known = this.walked?.record.program.files.find((one) => one.file === file)?.lines.text ?? text();
    return known === undefined ? [] : (stoppingLines(known, file) ?? []);
  }

  setLines(
    file: string,
    asked: readonly (Omit<DebugProtocol.SourceBreakpoint, never> & { line: number })[],
    text: () => string | undefined,
  ): SetPlace[] {
    this.hits = undefined;
    const lines = this.linesOf(file, text);
    const places: Place[] = [];
    const told = asked.map(({ line, column, condition, hitCondition, logMessage }): SetPlace => {
      const id = ++this.last;
      const real = lines.find((one) => one >= line);
      if (real === undefined) return { id, verified: false, line, message: 'Nothing runs from here on.' };
      try {
        if (hitCondition !== undefined && hitCondition !== '') hitCounts(hitCondition);
      } catch (error) {
        if (!(error instanceof AnvilError)) throw error;
        return { id, verified: false, line, message: error.message };
      }
      places.push({
        id,
        file,
        line: real,
        ...(column !== undefined && real === line ? { column } : {}),
        ...(condition ? { condition } : {}),
        ...(hitCondition ? { hitCondition } : {}),
        ...(logMessage ? { logMessage } : {}),
      });
      return { id, verified: true, line: real };
    });
    this.lines.set(file, places);
    return told;
  }

  setFunctions(names: readonly string[]): { id: number; verified: boolean }[] {
    this.hits = undefined;
    this.functions = names.map((name) => ({ id: ++this.last, name }));
    return this.functions.map(({ id }) => ({ id, verified: true }));
  }

  setFilters(filters: readonly string[]): void {
    this.hits = undefined;
    this.filters = new Set(filters);
  }

  /** @param ids as a client was given them: the step at which a path was looked up, and the path */
  setWrites(ids: readonly string[]): { id: number; verified: boolean; message?: string }[] {
    this.hits = undefined;
    this.writes = [];
    return ids.map((text) => {
      const id = ++this.last;
      const parsed = parsedId(text);
      if (!parsed || !this.walked || parsed.at >= this.walked.run.length)
        return { id, verified: false, message: 'That was of another run.' };
      this.writes.push({ id, ...parsed });
      return { id, verified: true };
    });
  }

  /** The next place to stop at from a step, and what was printed on the way there. */
  next(from: number, by: 1 | -1): { hit?: Hit; printed: string[] } {
    const hits = (this.hits ??= this.all());
    const printed: string[] = [];
    for (let i = by === 1 ? 0 : hits.length - 1; i >= 0 && i < hits.length; i += by) {
      const hit = hits[i]!;
      if (by === 1 ? hit.step <= from : hit.step >= from) continue;
      if (hit.prints === undefined) return { hit, printed };
      printed.push(hit.prints);
    }
    return { printed };
  }

  private all(): Hit[] {
    if (!this.walked) return [];
    const { record, run } = this.walked;
    const hits: Hit[] = [...this.lines.values()].flat().flatMap((place) => hitsOf(run, place, this.say));
    for (const { id, name } of this.functions) hits.push(...entries(run, name, id));
    for (const { id, at, path } of this.writes)
      for (const step of run.writes(at, path)) hits.push({ step, id, reason: 'data breakpoint' });
    if (this.stopsAtFailures) hits.push(...failures(run, failedMoments(record), 0));
    if (this.filters.has(FILTERS.caught)) hits.push(...failures(run, caughtMoments(record), 0));
    // At one step what prints comes before what stops.
    return hits.sort((a, b) => a.step - b.step || Number(a.prints === undefined) - Number(b.prints === undefined));
  }
}

function failedMoments({ errors, tests }: PadRecord): number[] {
  return [...errors.map(({ moment }) => moment), ...tests.flatMap(({ error }) => (error ? [error.moment] : []))];
}

/** The last moments before errors were caught. */
function caughtMoments({ program, samples }: PadRecord): number[] {
  const sites = new Set<number>();
  for (const { base, sites: all } of program.files)
    for (const { id, kind } of all) if (kind === 'caught') sites.add(base + id);
  const found: number[] = [];
  for (let row = 0; row < samples.length; row++)
    if (sites.has(samples.site[row]!)) found.push(samples.moment[row]! - 1);
  return found;
}

function parsedId(text: string): { at: number; path: string } | undefined {
  try {
    const [at, path] = JSON.parse(text) as unknown[];
    return typeof at === 'number' && at >= 0 && typeof path === 'string' ? { at, path } : undefined;
  } catch {
    return undefined;
  }
}
