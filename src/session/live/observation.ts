/**
 * Which functions of a live program report, and how much: all of a file that is
 * looked at are counted, one that a person has opened shows its values. A
 * version that reports is put over the one the program has, and taken away when
 * nobody looks; it is no change of the program.
 */
import type { LiveModule } from '../../patch/live-module.js';
import { planObservation } from '../../patch/observe.js';
import type { Step } from '../../wire/steps.js';
import type { LiveRecord, LiveState, ObservedUnit } from '../../record/live.js';
import type { Observe } from '../../wire/modules.js';
import type { RawFrame } from '../../wire/reports.js';
import type { Translator } from '../../instrument/translator.js';
import { quietRanges } from '../program-facts.js';
import { PlacedUnits } from './placed-units.js';
import { newFileState, toldUnit, wantedFunctions, type FileState, type Part, type Unit } from './observed-parts.js';
import { completeSteps, functionAround, slotsOf } from './observed-functions.js';
import type { Selected } from '../../syntax/selection.js';
import type { Outline } from '../../syntax/outline.js';
import type { Stop } from '../../patch/stops.js';
import { LineTable } from '../../syntax/positions.js';

/**
 * Calls per second that are counted in all: to count one costs some tens of nanoseconds, so that is a few hundredths of
 * the time. Beyond, those that are called most are left alone.
 */
const MOST_CALLS = 500_000;

/** What is to be sent to the target, and what is known when it has been taken. */
export interface ObservationPlan {
  observe: Observe;
  /** The module's state once it is. */
  next: LiveModule;
  /**
   * To be called when it has been taken, with the steps that could not be; a second time where that is known only
   * later.
   */
  taken(failed: readonly { step: number; message: string }[]): void;
}

/** What the observations of one program share. */
export interface ObservationBook {
  /** Values of all functions that are looked at are told. */
  readonly tellsAll: boolean;
  readonly records: LiveRecord;
  /** A new unit of counts. */
  unit(): number;
  /** The first of so many site numbers. */
  sites(count: number): number;
  /** The text of a file is another one. */
  text(file: string, lines: LineTable): void;
  /** The breakpoints of a file, in a text of it. */
  stops(file: string, outline: Outline): readonly Stop[];
  /** Functions are known by their number among those of a unit. */
  known(unit: number, file: string, outline: Outline): void;
  /** A text runs from now on. */
  placed(file: string, outline: Outline): void;
}

/** Which functions of one target report. */
export class Observation {
  private readonly files = new Map<string, FileState>();
  private readonly units = new Map<number, Unit>();
  private readonly placed = new PlacedUnits();
  /** Functions that could not be observed, by file and path, and why. */
  private readonly refused = new Map<string, string>();

  constructor(
    private readonly program: ObservationBook,
    private readonly translator: Translator,
    private readonly moduleOf: (file: string) => LiveModule | undefined,
    /** It stands still where versions ask, and nowhere else. */
    private readonly atPoints = false,
  ) {}

  private get records(): LiveRecord {
    return this.program.records;
  }

  /** A file of which functions report, with its text as it is now. */
  fileOf(file: string): Omit<LiveState['files'][number], 'notes'> {
    const { lines, quiet } = this.files.get(file)!;
    return { file, lines, quiet, written: this.moduleOf(file)?.outline.parsed.written };
  }

  /** Files that are looked at. */
  get observed(): string[] {
    return [...this.files].flatMap(([file, { looked }]) => (looked ? [file] : []));
  }

  /** Files of which functions have versions that report, or stop. */
  get touched(): string[] {
    return [...this.files.keys()];
  }

  observes(file: string): boolean {
    return this.files.get(file)?.looked === true;
  }

  /** Functions of the file have versions that report, or stop. */
  has(file: string): boolean {
    return this.files.has(file);
  }

  /**
   * A file is looked at from now on.
   *
   * @param opened path of the function whose values are shown
   * @param selected an expression in it that reports too
   */
  begin(file: string, opened?: string, selected?: Selected): void {
    const module = this.moduleOf(file);
    const known = this.files.get(file);
    if (!module || known?.looked) return;
    const { text, shown } = module.outline.parsed;
    const lines = new LineTable(shown ?? text);
    if (known) {
      Object.assign(known, { looked: true, opened, selected });
      this.program.text(file, lines);
      return;
    }
    this.files.set(file, newFileState(module.outline, lines, opened, selected));
    this.program.text(file, lines);
  }

  /** Functions of a file stop from now on, whether somebody looks at it or not. */
  beginStops(file: string): void {
    const isLooked = this.observes(file);
    this.begin(file);
    this.files.get(file)!.looked = isLooked;
  }

  /**
   * Whom calls of the file's functions work for is known from now on, or no longer.
   *
   * @param serving paths of functions whose values are told for the calls that are asked for
   */
  join(file: string, on: boolean, serving: ReadonlySet<string> = new Set()): void {
    if (on) this.beginStops(file);
    const state = this.files.get(file);
    if (!state) return;
    state.joins = on;
    state.serving = on ? serving : new Set();
  }

  joins(file: string): boolean {
    return this.files.get(file)?.joins === true;
  }

  /** Calls of the file's functions are held from now on where they fail, or no longer. */
  hold(file: string, on: boolean): void {
    if (on) this.beginStops(file);
    const state = this.files.get(file);
    if (state) state.holds = on;
  }

  /** Further functions of a file ask before each of their statements from now on: by path, all, or none besides. */
  step(file: string, which: 'all' | 'none' | readonly string[]): void {
    if (which !== 'none') this.beginStops(file);
    const state = this.files.get(file);
    if (!state) return;
    if (which === 'all') state.steps = 'all';
    else if (which === 'none') state.steps = new Set();
    else if (state.steps !== 'all') for (const path of which) state.steps.add(path);
  }

  /** Functions of a file ask before each of their statements. */
  steps(file: string): boolean {
    const steps = this.files.get(file)?.steps;
    return steps === 'all' || (steps !== undefined && steps.size > 0);
  }

  /** Nobody looks at a file any more; what stops in it stays. */
  rest(file: string): void {
    const state = this.files.get(file);
    if (state) Object.assign(state, { looked: false, opened: undefined, selected: undefined });
  }

  /** Nothing of a file reports or stops any more: gives what takes its versions away. */
  end(file: string): Observe {
    const state = this.files.get(file);
    this.files.delete(file);
    const slots = [...(state?.parts.values() ?? [])].flatMap((part) => part.slots);
    return { steps: [], units: [], release: [{ file, slots }], gone: this.unused() };
  }

  /** A file is executed, perhaps once more: its functions are new ones, and none of them reports or stops yet. */
  executed(file: string): void {
    this.files.get(file)?.parts.clear();
    this.forgive(file);
  }

  /** What could not be observed in a file may be now. */
  forgive(file: string): void {
    for (const key of [...this.refused.keys()]) if (key.startsWith(`${file} `)) this.refused.delete(key);
  }

  /** The function at a place shows its values; gives its name, or undefined where there is none. */
  open(file: string, line: number | undefined, selected?: Selected): string | undefined {
    const state = this.files.get(file);
    const module = this.moduleOf(file);
    if (!state || !module) return undefined;
    const index = line === undefined ? -1 : functionAround(module.outline, state.lines, line);
    if (state.selected?.start !== selected?.start || state.selected?.end !== selected?.end) state.selected = selected;
    state.opened = index < 0 ? undefined : module.outline.functions[index]!.path;
    return state.opened;
  }

  /**
   * What it takes to observe a file as it is wanted.
   *
   * @param module the version that will run
   * @param changed slots to which a change gives a later version
   * @param anew all of it, whatever is observed already
   */
  plan(
    file: string,
    module: LiveModule,
    changed: ReadonlySet<number> = new Set(),
    anew = false,
  ): ObservationPlan | undefined {
    const state = this.files.get(file);
    if (!state) return undefined;
    const { outline } = module;
    const { text } = outline.parsed;
    const released = new Set<number>();
    for (const part of state.parts.values()) for (const slot of part.slots) released.add(slot);
    const stops = this.program.stops(file, outline);
    const isRefused = (path: string): boolean => this.refused.has(`${file} ${path}`);
    const { atPoints } = this;
    const how = { changed, anew, isRefused, atPoints, tellsAll: this.program.tellsAll };
    const { wanted, kept, holds, joins, serves, asks, stopsKey } = wantedFunctions(module, state, stops, how);
    const unit = this.program.unit();
    this.program.known(unit, file, outline);
    const plan = planObservation(module, wanted, unit, this.translator, state.selected, stops, asks, serves);
    const { sites } = plan;
    const lines = new LineTable(outline.parsed.shown ?? text);
    completeSteps(plan, { unit, lines, holds, joins, asks });
    const base = this.program.sites(sites.length);
    const made = plan.parts.map(({ index, depth, from, to }): Part => {
      const info = outline.functions[index]!;
      const entry = sites.findIndex(
        (site, id) => id >= from && id < to && site.kind === 'function' && site.start === info.start,
      );
      return {
        path: info.path,
        text: text.slice(info.start, info.end),
        start: info.start,
        depth,
        selected: depth === 'values' ? state.selected : undefined,
        stops: stopsKey(info),
        holds: holds.has(index),
        joins: joins.has(index),
        serves: serves.has(index),
        unit,
        from,
        to,
        slots: slotsOf(plan.next, index),
        entry,
      };
    });
    for (const part of [...kept.values(), ...made]) for (const slot of part.slots) released.delete(slot);
    const units = sites.length > 0 ? [toldUnit(unit, base, sites, outline.functions.length)] : [];
    const observe: Observe = { steps: plan.steps, units, release: [{ file, slots: [...released] }], gone: [] };
    // Units that nothing uses once this is taken.
    const using = new Set([...kept.values()].map((part) => part.unit));
    observe.gone = [...this.units.values()]
      .filter((one) => one.file === file && !using.has(one.unit))
      .map((one) => one.unit);
    return {
      observe,
      next: plan.next,
      taken: (failed) => {
        const bad = new Set(failed.map(({ step }) => (plan.steps[step] as Extract<Step, { kind: 'function' }>).slot));
        for (const gone of observe.gone) {
          this.units.delete(gone);
          this.records.forget(gone);
        }
        if (units.length > 0) this.units.set(unit, { unit, base, file, sites, lines });
        state.parts = kept;
        this.placed.add(unit, lines, made);
        for (const part of made) {
          const why = failed.find(({ step }) =>
            part.slots.includes((plan.steps[step] as Extract<Step, { kind: 'function' }>).slot),
          )?.message;
          if (part.slots.some((slot) => bad.has(slot))) {
            this.refused.set(`${file} ${part.path}`, why ?? '');
            state.parts.delete(part.path);
          } else state.parts.set(part.path, part);
        }
        this.program.placed(file, outline);
        if (state.text !== text) {
          if (state.looked) this.program.text(file, lines);
          state.lines = lines;
          state.text = text;
          state.quiet = quietRanges(outline);
        }
      },
    };
  }

  private unused(): number[] {
    const used = new Set(
      [...this.files.values()].flatMap((state) => [...state.parts.values()].map((part) => part.unit)),
    );
    const gone = [...this.units.keys()].filter((unit) => !used.has(unit));
    for (const unit of gone) {
      this.units.delete(unit);
      this.records.forget(unit);
    }
    return gone;
  }

  /** Finds functions that have become too hot to be counted; gives the files in which there are some. */
  tooHot(): string[] {
    const counted: { file: string; state: FileState; part: Part; rate: number }[] = [];
    let sum = 0;
    for (const [file, state] of this.files)
      for (const part of state.parts.values()) {
        const rate =
          part.entry < 0 || part.depth !== 'counts' || part.stops !== '[]' || state.hot.has(part.path)
            ? 0
            : this.records.rateOf(part.unit, part.entry);
        if (rate === 0) continue;
        sum += rate;
        counted.push({ file, state, part, rate });
      }
    if (sum <= MOST_CALLS) return [];
    const found = new Set<string>();
    counted.sort((a, b) => b.rate - a.rate);
    for (const { file, state, part, rate } of counted) {
      if (sum <= MOST_CALLS) break;
      sum -= rate;
      state.hot.set(part.path, { text: part.text, rate });
      found.add(file);
    }
    return [...found];
  }

  /** What is said at the lines of functions that are not counted. */
  notesOf(file: string): { start: number; end: number; message: string }[] {
    const state = this.files.get(file)!;
    const outline = this.moduleOf(file)?.outline;
    if (!outline) return [];
    return outline.functions.flatMap(({ path, start, end }) => {
      const hot = state.hot.get(path);
      if (!hot || state.parts.has(path) || hot.text !== outline.parsed.text.slice(start, end)) return [];
      const rate = Number(hot.rate.toPrecision(2)).toLocaleString('en-US');
      return [{ start, end, message: `about ${rate}/s, no longer counted: that would slow the program` }];
    });
  }

  /** Where a line stands now of a version that reports, by its unit. */
  presentLine(file: string, line: number, unit: number): number | undefined {
    const module = this.moduleOf(file);
    return module && this.placed.presentLine(unit, line, module.outline);
  }

  /** Where a site stands now. */
  frameOf(site: number): RawFrame | undefined {
    for (const unit of this.units.values()) {
      const found = unit.sites[site - unit.base];
      if (site < unit.base || !found) continue;
      const state = this.files.get(unit.file);
      if (!state) return undefined;
      const { line, character } = unit.lines.positionAt(found.start);
      return {
        name: '',
        file: unit.file,
        line: this.presentLine(unit.file, line, unit.unit) ?? line,
        character,
        local: true,
        isAsync: false,
      };
    }
    return undefined;
  }

  /** What reports, with how far each function has moved since it was compiled. */
  unitsNow(): ObservedUnit[] {
    return [...this.units.values()].map((unit): ObservedUnit => {
      const outline = this.moduleOf(unit.file)?.outline;
      const parts = [...(this.files.get(unit.file)?.parts.values() ?? [])].filter((part) => part.unit === unit.unit);
      return {
        unit: unit.unit,
        base: unit.base,
        file: unit.file,
        sites: unit.sites,
        parts: parts.flatMap(({ path, from, to, start }) => {
          const info = outline?.functions.find((one) => one.path === path);
          return info ? [{ from, to, moved: info.start - start }] : [];
        }),
      };
    });
  }
}
