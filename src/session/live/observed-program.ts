/**
 * What is observed in all targets of a program makes one record: where a function runs in several, its counts are added
 * up.
 */
import type { Translator } from '../../instrument/translator.js';
import type { LiveModule } from '../../patch/live-module.js';
import { LiveRecord } from '../../record/live.js';
import type { Program } from '../../record/program.js';
import type { PadRecord } from '../../record/record.js';
import type { RawFrame } from '../../wire/reports.js';
import type { LineTable } from '../../syntax/positions.js';
import type { Stop } from '../../patch/stops.js';
import type { Outline } from '../../syntax/outline.js';
import { KnownFunctions } from './entries/known-functions.js';
import { Breakpoints } from './pausing/breakpoints.js';
import { Observation, type ObservationBook } from './observation.js';

export class ObservedProgram implements ObservationBook {
  readonly records: LiveRecord;
  readonly breakpoints = new Breakpoints();
  /** Functions by the numbers under which targets tell of them. */
  readonly functions = new KnownFunctions();
  private readonly targets = new Set<Observation>();
  private nextUnit = 1_000_000;
  private nextBase = 0;
  /** Texts in which targets are told. */
  private readonly texts = new Map<string, LineTable>();

  constructor(
    private readonly entry: () => string,
    private readonly translator: Translator,
    readonly tellsAll = false,
  ) {
    this.records = new LiveRecord((of) => this.placeFor(of));
  }

  /** The program as it is now, and where a site of it stands. */
  placeFor(of: { site: number } | undefined): { program: Program; frame?: RawFrame } {
    const frame = of && this.frameOf(of.site);
    return { program: this.program(), ...(frame ? { frame } : {}) };
  }

  /** A target takes part. @param atPoints it stands still where versions ask, and nowhere else */
  join(moduleOf: (file: string) => LiveModule | undefined, atPoints: boolean): Observation {
    const target = new Observation(this, this.translator, moduleOf, atPoints);
    this.targets.add(target);
    return target;
  }

  /** What was reported of a target is let go of with it. */
  leave(target: Observation): void {
    for (const file of target.touched) target.end(file);
    this.targets.delete(target);
  }

  /** A new unit of counts. */
  unit(): number {
    return this.nextUnit++;
  }

  /** The first of so many site numbers. */
  sites(count: number): number {
    const base = this.nextBase;
    this.nextBase += count;
    return base;
  }

  /** The text of a file is another one. */
  text(file: string, lines: LineTable): void {
    const before = this.texts.get(file);
    this.texts.set(file, lines);
    if (before && before.text !== lines.text) this.records.moved(file, before, lines);
  }

  stops(file: string, outline: Outline): readonly Stop[] {
    return this.breakpoints.stopsOf(file, outline);
  }

  known(unit: number, file: string, outline: Outline): void {
    this.functions.add(unit, file, outline);
  }

  placed(file: string, outline: Outline): void {
    this.breakpoints.moved(file, outline);
  }

  /** Files that are looked at, in the first target that has each. */
  private get files(): Map<string, Observation> {
    const all = new Map<string, Observation>();
    for (const target of this.targets) for (const file of target.observed) if (!all.has(file)) all.set(file, target);
    return all;
  }

  private program(): Program {
    return {
      entry: this.entry(),
      files: [...this.files].map(([file, target], unit) => ({
        unit,
        base: 0,
        sites: [],
        notes: [],
        ...target.fileOf(file),
      })),
    };
  }

  /** Where a site stands now. */
  frameOf(site: number): RawFrame | undefined {
    for (const target of this.targets) {
      const frame = target.frameOf(site);
      if (frame) return frame;
    }
    return undefined;
  }

  /** What is known now. */
  record(state: {
    ended: boolean;
    problems: readonly { file: string; start: number; end: number; message: string; lines: LineTable }[];
  }): PadRecord {
    return this.records.record({
      ...state,
      entry: this.entry(),
      units: [...this.targets].flatMap((target) => target.unitsNow()),
      files: [...this.files].map(([file, target]) => ({
        ...target.fileOf(file),
        notes: [...this.targets].flatMap((one) => (one.observes(file) ? one.notesOf(file) : [])),
      })),
    });
  }
  /** The record that was gathered of some files, apart from the one of those that are looked at. */
  recordOf(records: LiveRecord, files: readonly string[]): PadRecord {
    const targets = [...this.targets];
    return records.record({
      ended: false,
      problems: [],
      entry: this.entry(),
      units: targets.flatMap((target) => target.unitsNow()),
      files: files.flatMap((file) => {
        const target = targets.find((one) => one.has(file));
        return target ? [{ ...target.fileOf(file), notes: [] }] : [];
      }),
    });
  }
}
