/**
 * The life of a program that keeps running: started once, then each save is
 * compared, planned and applied, or refused with a reason.
 */
import { compile, type Compiled } from '../instrument/compile.js';
import type { Waiting } from '../patch/emit.js';
import { liveModule, presentLine, rootsOf, type LiveModule } from '../patch/live-module.js';
import { planText } from '../patch/notes.js';
import { planChanges, type Plan } from '../patch/plan.js';
import type { Step } from '../patch/steps.js';
import { withImporters } from '../patch/importers.js';
import type { Program } from '../record/program.js';
import type { PadRecord } from '../record/record.js';
import { enter, giveWay, joinedText, type EntryProblem, type Joined } from '../patch/entry.js';
import type { LookAnswer, LookRequest, NameFound, NamesRequest } from '../runtime/look.js';
import type { LiveAnswer } from '../runtime/target.js';
import type { Batch, ModuleCode, ModuleLink, RawError, RawFrame, Value } from '../runtime/wire.js';
import { outlineOf, type Outline } from '../syntax/outline.js';
import { parse } from '../syntax/parse.js';
import { nearest } from '../syntax/names.js';
import { LineTable } from '../syntax/positions.js';
import { bindingScope, scopesOf, usesWithin } from '../syntax/scopes.js';
import type { Problem } from '../syntax/problems.js';
import type { Files, Host, Language, RawStop, RunHandle, RunRequest, RunSink } from './host.js';
import { Linker, servedCode, type Linked } from './linker.js';
import { alsoText, errorLine, failedEvent, pathOf, placesText } from './live-text.js';
import { Numbering, Place, type Guest, type LiveTarget } from './places.js';
import { WatchedProgram, type Watched } from './watching.js';

export interface LiveSink extends RunSink {
  news(
    news:
      | { is: 'undone' }
      | { is: 'extension'; file: string; from: string }
      | { is: 'output'; stream: 'stdout' | 'stderr'; text: string; omitted: number },
  ): void;
}

export interface LiveHost extends Omit<Host, 'run' | 'warm'> {
  start(request: RunRequest, sink: LiveSink): Omit<RunHandle, 'look' | 'act'> & LiveTarget;
}

export interface LiveEvent {
  kind: 'patched' | 'reloaded' | 'refused' | 'failed' | 'undone' | 'error' | 'ended';
  file: string;
  /** One line. */
  text: string;
  /** Reasons and places, a line each. */
  details: string[];
  plan?: Plan;
  /** It answers an edit that is being typed, not a save. */
  typed?: true;
}

/** What became of something entered for a module. */
export type Entered =
  | { is: 'incomplete' }
  | { is: 'wrong'; problems: EntryProblem[] }
  /** Nothing was changed, or what was to run threw. */
  | { is: 'failed'; text: string; details: string[] }
  | {
      is: 'done';
      /** What it changed, in one line; empty where it changed nothing. */
      changes: string;
      /** What the last statement gave, if there was one: it can be opened under its moment. */
      result?: { value: Value; moment: number };
      pauseMs: number;
      /** Where, if not in the program itself. */
      where?: string;
    };

/** Something the program wrote. */
export interface LiveOutput {
  stream: 'stdout' | 'stderr';
  text: string;
  /** Characters of a flood that are left out. */
  omitted: number;
}

/** Code of a module for a guest. */
export interface Served {
  code: string;
  format: 'module' | 'commonjs';
  /** Number of the version, which the module tells when it is executed. */
  version: number;
  compiled: Compiled;
}

/** Plans for one place. */
interface Work {
  place: Place;
  plans: Plan[];
}

/** What can be taken back: the modules of each place that took part, as they were. */
type Before = Map<Place, Map<string, LiveModule>>;

export interface LiveParts {
  files: Files;
  language: Language;
  /** Where the program runs; without it, there are only guests. */
  host?: LiveHost;
}

/** Functions that are given versions which report in one job of the program. */
const WATCHED_AT_ONCE = 50;
/** Versions of a file that are kept as they were served. */
const SERVED_WHOLE = 10;
/** Saves that can be taken back. */
const MOST_UNDONE = 100;
/** Of these, those whose versions are kept as they were compared. */
const WHOLE_VERSIONS = 3;

export class LiveSession {
  private readonly linker: Linker;
  /** The program itself. */
  private readonly main: Place;
  /** All places in which modules of the program run, the program itself first. */
  private readonly places: Place[];
  private nextPlace = 1;
  private readonly numbering = new Numbering();
  /** Every version of a file that a guest may have loaded. */
  private readonly served = new Map<string, { outline: Outline; code: Map<string, Compiled> }[]>();
  private handle: ReturnType<LiveHost['start']> | undefined;
  private linked: Linked | undefined;
  private program: Program | undefined;
  private queue: Promise<void> = Promise.resolve();
  /** Texts that were refused already: a second look at the same one says nothing new. */
  private readonly refused = new Map<string, string>();
  private readonly listeners = new Set<(event: LiveEvent) => void>();
  /** What the modules were before each change that can be taken back. */
  private readonly before: Before[] = [];
  /** Modules that hosts in the program put in and take out. */
  private readonly extensions = new Set<string>();
  /** Declarations that were entered and that no file has. */
  private readonly joined = new WeakMap<Outline, Joined[]>();
  private readonly outputListeners = new Set<(output: LiveOutput) => void>();
  /** Milliseconds that the program stood still for the last change. */
  lastPauseMs = 0;
  private readonly watching: WatchedProgram;
  private readonly recordListeners = new Set<() => void>();
  /** Texts that do not parse, by file. */
  private readonly problems = new Map<string, { problems: readonly Problem[]; lines: LineTable }>();
  /** An edit that is being typed is answered. */
  private typed = false;
  private ended = false;

  constructor(
    /** First file of the program; one that has only guests learns it from them. */
    public file: string,
    private readonly parts: LiveParts,
  ) {
    this.linker = new Linker(parts.files, parts.language, { depth: 'off', patchable: true });
    this.watching = new WatchedProgram(() => this.file, parts.language.translator);
    this.main = this.newPlace(0, '');
    this.places = [this.main];
  }

  private newPlace(index: number, label: string, guest?: Guest): Place {
    const place = new Place(index, label, guest);
    place.watching = this.watching.join((file) => place.modules.get(file));
    return place;
  }

  /** The program runs in a process of its own, beside which others may take part. */
  private get hasProgram(): boolean {
    return this.parts.host !== undefined;
  }

  onEvent(listener: (event: LiveEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Local modules of the program. */
  get files(): string[] {
    const all = new Set(this.program?.files.map((file) => file.file) ?? (this.hasProgram ? [this.file] : []));
    for (const { modules } of this.places) for (const file of modules.keys()) all.add(file);
    // Of pages: one that is loaded anew has them again.
    if (!this.hasProgram) for (const file of this.served.keys()) all.add(file);
    return [...all];
  }

  // ---- guests -----------------------------------------------------------------------

  /** A thread, process or page takes part from now on. */
  join(guest: Guest): void {
    this.places.push(this.newPlace(this.nextPlace++, guest.label, guest));
    for (const listener of this.recordListeners) listener();
    if (this.looks || (guest.console && this.outputListeners.size > 0)) void guest.change({ do: 'report', on: true });
  }

  leave(id: string): void {
    const at = this.places.findIndex((one) => one.guest?.id === id);
    if (at < 0) return;
    this.watching.leave(this.places[at]!.watching);
    this.places.splice(at, 1);
    for (const listener of this.recordListeners) listener();
  }

  /** How many threads, processes and pages take part besides the program itself. */
  get participating(): number {
    return this.places.length - 1;
  }

  /** Where the program runs, in words. */
  whereabouts(pid: number): string {
    const guests = this.participating;
    if (this.hasProgram)
      return `process ${pid}${guests === 0 ? '' : ` and ${guests === 1 ? this.places[1]!.label : `${guests} threads and processes`}`}`;
    return guests === 0 ? 'no page is open' : guests === 1 ? '1 page' : `${guests} pages`;
  }

  /** Threads, processes and pages that take part, with the files that each has. */
  get guests(): { label: string; files: string[] }[] {
    return this.places.slice(1).map(({ label, modules }) => ({ label, files: [...modules.keys()] }));
  }

  private placeOfGuest(id: string): Place | undefined {
    return this.places.find((one) => one.guest?.id === id);
  }

  /** Places in which a file runs, the program itself first. */
  private placesOf(file: string): Place[] {
    return this.places.filter((place) => place.modules.has(file));
  }

  /** Where a file runs, as it is told. */
  whereIs(file: string): string[] {
    return this.placesOf(file).map((place) => place.label);
  }

  /**
   * Code that a guest is to load for a local file; undefined for one that it loads by itself.
   *
   * @param text what it would load; by default the file as this session sees it
   */
  serve(file: string, text?: string): Served | undefined {
    const outline =
      text === undefined || text === this.linker.textOf(file)
        ? this.linker.unit(file).outline
        : this.outlineFor(file, text);
    // With a syntax error it is the engine that says so.
    if (!outline) return undefined;
    const list = this.served.get(file) ?? [];
    this.served.set(file, list);
    let version = list.findIndex((one) => one.outline.parsed.text === outline.parsed.text);
    if (version < 0) version = list.push({ outline, code: new Map() }) - 1;
    const form = outline.parsed.goal === 'module' ? 'module' : 'script';
    const { code } = list[version]!;
    const compiled =
      code.get(form) ??
      compile(list[version]!.outline, {
        depth: 'off',
        form,
        patchable: true,
        version,
        translator: this.parts.language.translator,
      });
    code.set(form, compiled);
    // Of texts that lie far back only what is compared is kept.
    list[list.length - SERVED_WHOLE - 1]?.code.clear();
    return { code: compiled.code, format: form === 'module' ? 'module' : 'commonjs', version, compiled };
  }

  /** A guest executes a module that it was served. */
  executed(id: string, file: string, version: number): void {
    const place = this.placeOfGuest(id);
    const served = this.served.get(file)?.[version];
    if (!place || !served) return;
    const { outline } = served;
    const goal = outline.parsed.goal === 'module' ? 'module' : 'script';
    place.modules.set(file, liveModule(outline, goal === 'module' ? 'module' : 'linked'));
    if (!this.hasProgram && (this.placesOf(this.file).length === 0 || this.importsFrom(outline, this.file)))
      this.file = file;
    const compiled = served.code.get(goal);
    if (compiled) place.guest!.know?.(servedCode(outline, compiled, file));
    // It may be an older text than the one others have, and others may be looked at.
    if (this.hasUnsaved(file)) void this.then(file, () => this.apply([file], true));
    if (this.looked.has(file)) void this.then(file, () => this.watchIn(place, file));
  }

  private hasUnsaved(file: string): boolean {
    return this.linker.overlay.has(file);
  }

  /** What a guest reports. */
  reportedBy(id: string, batch: Batch): void {
    const place = this.placeOfGuest(id);
    if (place) this.take(place, batch);
  }

  /** A guest has stopped a change that did not end, and taken it back. */
  stoppedIn(id: string): void {
    const place = this.placeOfGuest(id);
    const last = place && [...this.before].reverse().find((one) => one.has(place));
    if (!place || !last) return;
    place.modules = last.get(place)!;
    last.delete(place);
    const seen = place.watching.watched;
    if (seen.length > 0) void this.then(seen[0]!, () => this.rewatch(seen, true, [place]));
    const where = this.hasProgram || this.places.length > 2 ? ` in ${place.label}` : '';
    this.say({
      kind: 'undone',
      file: this.file,
      text: `a change did not end${where}, was stopped and is undone${where === '' ? '; the page goes on with what it had before' : ' there'}`,
      details: [],
    });
  }

  /**
   * Starts the program. Returns the problems that keep it from starting, if any.
   *
   * @param onEnd called once, when the program has ended
   */
  start(onEnd: (stop: RawStop | undefined) => void): { file: string; line: number; message: string }[] {
    const linked = (this.linked = this.linker.link(this.file));
    this.program = linked.program;
    if (linked.problems.length > 0) {
      return linked.problems.map(({ file, problem }) => ({
        file,
        line: this.linker.unit(file).lines.lineAt(problem.start),
        message: problem.message,
      }));
    }
    this.remember();
    if (!this.parts.host) return [];
    this.handle = this.parts.host.start(
      { id: 1, entry: linked.entry, modules: linked.modules, hangMs: Infinity, asked: {} },
      {
        batch: (batch) => this.take(this.main, batch),
        settled: () => undefined,
        idle: () => undefined,
        stopped: (stop) => {
          this.ended = true;
          this.tellRepeated();
          for (const listener of this.recordListeners) listener();
          onEnd(stop);
        },
        needsProcess: () => undefined,
        looked: () => undefined,
        resolve: (specifier, from) => this.resolve(specifier, from),
        news: (news) => {
          if (news.is === 'extension') this.extensions.add(news.file);
          else if (news.is === 'output') for (const listener of this.outputListeners) listener(news);
          else
            this.tookBack(
              'a change did not end, was stopped and is undone; the program goes on with what it had before',
            );
        },
      },
    );
    this.main.target = this.handle;
    if (this.outputListeners.size > 0) void this.handle.change({ do: 'listen', on: true });
    return [];
  }

  /** An error with its places in the text as it is now. */
  private asOfNow(place: Place, error: RawError): RawError {
    return { ...error, frames: error.frames.map((frame) => this.frameNow(place, frame)) };
  }

  private frameNow(place: Place, frame: RawFrame): RawFrame {
    const module = frame.local ? place.modules.get(frame.file) : undefined;
    if (!module || frame.line < 0) return frame;
    const line = frame.watched
      ? place.watching.presentLine(frame.file, frame.line)
      : presentLine(module, frame.line, frame.name);
    return line === undefined ? frame : { ...frame, line };
  }

  // ---- looking at the program -----------------------------------------------------

  /** Files that somebody looks at, with the path of the function whose values are shown. */
  private readonly looked = new Map<string, string | undefined>();
  /** What is looked at is reported. */
  private looks = false;

  /** What a place reports. */
  private take(place: Place, reported: Batch): void {
    const batch = this.numbering.batch(place.index, reported);
    const errors = batch.errors?.map((given) => this.asOfNow(place, given));
    const where = this.told(place) ? ` · in ${place.label}` : '';
    const lineText = (frame: RawFrame): string => this.lineText(place, frame);
    for (const error of errors ?? [])
      this.tellError({
        kind: 'error',
        file: error.frames.find((frame) => frame.local)?.file ?? this.file,
        text: `${errorLine(error, lineText)}${where}`,
        details: pathOf(error, lineText),
      });
    if (place.guest?.console && this.outputListeners.size > 0) this.wrote(batch);
    if (!this.looks) return;
    // What a thread prints goes through the program's own output, and is told by the thread itself.
    const threads = place === this.main && this.places.some((one) => one.label.startsWith('thread'));
    const lines = threads ? batch.console?.filter((entry) => entry.method !== 'piped') : batch.console;
    const console = lines?.map((entry) => ({
      ...entry,
      ...(entry.frame ? { frame: this.frameNow(place, entry.frame) } : {}),
      ...(entry.frames ? { frames: entry.frames.map((frame) => this.frameNow(place, frame)) } : {}),
    }));
    this.watching.records.add({ ...batch, ...(console ? { console } : {}), ...(errors ? { errors } : {}) });
    const hot = batch.counts ? place.watching.tooHot() : [];
    if (hot.length > 0) void this.then(hot[0]!, () => this.rewatch(hot));
    for (const listener of this.recordListeners) listener();
  }

  /** A line as it is told: what was entered stands in no file. */
  private lineText(place: Place, { file, line }: RawFrame): string {
    const outline = place.modules.get(file)?.outline;
    const joined = outline && this.joined.get(outline);
    if (!joined || joined.length === 0) return `line ${line + 1}`;
    const own = outline.parsed.text.slice(0, -joinedText(joined).length).split('\n').length;
    return line < own ? `line ${line + 1}` : `line ${line - own + 1} of what was entered`;
  }

  /** Lines of a console as output. */
  private wrote({ console = [] }: Batch): void {
    for (const { level, text, indent } of console) {
      const stream = level === 'error' || level === 'warn' ? 'stderr' : 'stdout';
      for (const listener of this.outputListeners)
        listener({ stream, text: `${'  '.repeat(indent)}${text}\n`, omitted: 0 });
    }
  }

  /** A place is named where there is more than one to speak of. */
  private told(place: Place): boolean {
    return place !== this.main && (this.hasProgram || this.places.length > 2);
  }

  /**
   * Looks at a file: its functions are counted from their next call on, wherever it runs, and what it prints and where
   * it fails is recorded. It is no change of the program, and {@link unwatch} takes it away.
   *
   * @returns false where the file is no module of the program
   */
  async watch(file: string): Promise<boolean> {
    await this.then(file, async () => {
      if (!this.looked.has(file)) this.looked.set(file, undefined);
      for (const place of this.placesOf(file)) await this.watchIn(place, file);
    });
    return this.watches(file);
  }

  private watches(file: string): boolean {
    return this.places.some((place) => place.watching.watches(file));
  }

  private async watchIn(place: Place, file: string): Promise<void> {
    if (!place.target || !place.modules.has(file) || !this.looked.has(file)) return;
    await this.report(true);
    place.watching.begin(file, this.looked.get(file));
    await this.rewatch([file], true, [place]);
  }

  private async report(on: boolean): Promise<void> {
    if (this.looks === on) return;
    this.looks = on;
    for (const { target, guest } of this.places)
      if (on || !guest?.console || this.outputListeners.size === 0) await target?.change({ do: 'report', on });
  }

  /** Nobody looks at a file any more. */
  async unwatch(file: string): Promise<void> {
    await this.then(file, async () => {
      this.looked.delete(file);
      for (const place of this.places)
        if (place.watching.watches(file)) await place.target?.change({ do: 'watch', watch: place.watching.end(file) });
      if (!this.places.some((place) => place.watching.watched.length > 0)) await this.report(false);
    });
  }

  /**
   * Shows the values of the function at a line, and of no other of the file; without a line, of none.
   *
   * @param line zero-based, of the text that runs
   * @returns its path in the file, or undefined where no function is that can be looked into
   */
  async openFunction(file: string, line: number | undefined): Promise<string | undefined> {
    let opened: string | undefined;
    await this.then(file, async () => {
      const before = this.openedFunction(file);
      for (const { watching } of this.places) if (watching.watches(file)) opened = watching.open(file, line) ?? opened;
      if (this.looked.has(file)) this.looked.set(file, opened);
      if (opened !== before) await this.rewatch([file]);
    });
    return opened;
  }

  /** The function of a file whose values are shown, by its path. */
  openedFunction(file: string): string | undefined {
    return this.looked.get(file);
  }

  /** What the program reported lately; see {@link watch}. */
  get record(): PadRecord {
    const problems = [...this.problems].flatMap(([file, { problems, lines }]) =>
      problems.map(({ start, end, message }) => ({ file, start, end, message, lines })),
    );
    return this.watching.record({ ended: this.ended, problems });
  }

  /** True for a text that was not taken because it does not parse. */
  isWrong(file: string): boolean {
    return this.problems.has(file);
  }

  /** The text of a file that runs, with what was entered for it. */
  runningText(file: string): string | undefined {
    return this.placesOf(file)[0]?.modules.get(file)?.outline.parsed.text;
  }

  /** Calls back when the record is a new one. */
  onRecord(listener: () => void): () => void {
    this.recordListeners.add(listener);
    return () => this.recordListeners.delete(listener);
  }

  /** Forgets what was printed and what went wrong. */
  clear(): void {
    this.watching.records.clear();
    for (const listener of this.recordListeners) listener();
  }

  /** Text of a file as this session sees it: unsaved before saved. */
  textOf(file: string): string {
    return this.linker.textOf(file);
  }

  /** Takes an unsaved text of a file. */
  edit(file: string, text: string): Promise<void> {
    return this.then(file, async () => {
      this.linker.overlay.set(file, text);
      this.typed = true;
      try {
        await this.apply([file], true);
      } finally {
        this.typed = false;
      }
    });
  }

  /** The text of a file is the one on disk from now on. */
  forgetEdit(file: string): Promise<void> {
    // Behind the edits that are on their way.
    return this.then(file, () => Promise.resolve(void this.linker.overlay.delete(file)));
  }

  /** Watches files anew, as they run now. */
  private async rewatch(files: readonly string[], anew = false, places: readonly Place[] = this.places): Promise<void> {
    for (const place of places)
      for (const file of files) {
        const module = place.modules.get(file);
        const watched = module && place.watching.plan(file, module, undefined, anew);
        const { target } = place;
        if (!watched || !target) continue;
        const { steps, units, release, gone } = watched.watch;
        const failed: { step: number; message: string }[] = [];
        let ended = false;
        this.lastPauseMs = 0;
        // A large file in several jobs: each function is watched by itself, and the program is not to stand still for all.
        for (let from = 0; from === 0 || from < steps.length; from += WATCHED_AT_ONCE) {
          const last = from + WATCHED_AT_ONCE >= steps.length;
          const watch = {
            steps: steps.slice(from, from + WATCHED_AT_ONCE),
            units: from === 0 ? units : [],
            release: from === 0 ? release : [],
            gone: last ? gone : [],
          };
          const answer = await target.change({ do: 'watch', watch });
          ended ||= answer.failed !== undefined;
          this.lastPauseMs = Math.max(this.lastPauseMs, answer.pauseMs);
          failed.push(...(answer.unwatched ?? []).map(({ step, message }) => ({ step: step + from, message })));
        }
        if (ended) continue;
        place.modules.set(file, watched.next);
        watched.taken(failed);
      }
    for (const listener of this.recordListeners) listener();
  }

  private resolve(specifier: string, from: string): { link: ModuleLink; modules: ModuleCode[] } {
    const { link, modules, program } = this.linker.extend(this.linked!, specifier, from);
    this.program = program;
    this.remember();
    return { link, modules };
  }

  /**
   * Takes a save of one or more files: compares, plans, applies. Calls are taken one after the other.
   *
   * @param settled false while an editor may still be writing: a file that is empty now is left for later
   */
  changed(files: readonly string[], settled = true): Promise<void> {
    return this.then(files[0] ?? this.file, () => this.apply(files, settled));
  }

  /** Takes the last change back; false where there is none. The files stay as they are. */
  async undo(): Promise<boolean> {
    let done = false;
    await this.then(this.file, async () => {
      const last = this.before[this.before.length - 1];
      if (!last) return;
      if (last.has(this.main) && (await this.main.target?.change({ do: 'undo' }))?.failed) return;
      this.tookBack('the last change is undone', last);
      done = true;
    });
    return done;
  }

  /** Statements that saves brought and that were not run, by file. */
  get waitingStatements(): ReadonlyMap<string, readonly Waiting[]> {
    const all = new Map<string, readonly Waiting[]>();
    for (const { waiting } of this.places) for (const [file, list] of waiting) if (!all.has(file)) all.set(file, list);
    return all;
  }

  /** Runs the statements of a file that wait, in their order, wherever the file runs; all, or the one on a line (from 0). */
  async runWaiting(file: string, line?: number): Promise<void> {
    await this.then(file, async () => {
      for (const place of this.placesOf(file)) {
        const list = place.waiting.get(file) ?? [];
        for (const entry of list.filter((one) => line === undefined || one.line === line)) {
          await this.takeStep(
            place,
            { kind: 'run', file, name: entry.text, code: entry.code },
            `line ${entry.line + 1} ran: ${entry.text}`,
          );
          list.splice(list.indexOf(entry), 1);
        }
      }
    });
  }

  /** Gives a name whose live value was kept the value that the text gives it now; false where nothing was kept. */
  async reset(file: string, name: string): Promise<boolean> {
    const places = this.places.filter((place) => place.resets.get(file)?.has(name));
    if (places.length === 0) return false;
    await this.then(file, async () => {
      for (const place of places) {
        const resets = place.resets.get(file);
        const step = resets?.get(name);
        if (step) await this.takeStep(place, step, `${name} reset`);
        resets?.delete(name);
      }
    });
    return true;
  }

  /** Tells what the program writes, beside where it writes it. */
  onOutput(listener: (output: LiveOutput) => void): () => void {
    const listen = (on: boolean): void => {
      if (this.outputListeners.size > 0) return;
      void this.handle?.change({ do: 'listen', on });
      if (!this.looks) for (const { guest } of this.places) if (guest?.console) void guest.change({ do: 'report', on });
    };
    listen(true);
    this.outputListeners.add(listener);
    return () => {
      this.outputListeners.delete(listener);
      listen(false);
    };
  }

  /** The place that a person means: the one with a label, else the program itself, else the first that has the file. */
  private placeFor(file: string, where: string | undefined): Place | undefined {
    const places = this.placesOf(file);
    return where === undefined ? places[0] : places.find((place) => place.label === where);
  }

  /**
   * Evaluates what a person enters inside a module: statements run once, functions and classes that the module has
   * are patched, other declarations join the module until it is executed again.
   *
   * @param where label of the place, where the file runs in several; see {@link whereIs}
   */
  async evaluate(file: string, text: string, where?: string): Promise<Entered> {
    let entered: Entered | undefined;
    let last: Promise<LiveAnswer> | undefined;
    let firstLine = 0;
    let changes = '';
    let place!: Place;
    await this.then(file, async () => {
      const found = this.placeFor(file, where);
      const module = found?.modules.get(file);
      if (!module || !found?.target) {
        entered = { is: 'failed', text: module ? 'the program does not run' : this.whyNot(file, where), details: [] };
        return;
      }
      place = found;
      const entry = enter(module.outline, this.joined.get(module.outline) ?? [], text);
      if (entry.is !== 'ready') {
        entered = entry;
        return;
      }
      ({ firstLine } = entry);
      const outline = this.outlineFor(file, entry.text);
      if (!outline) {
        entered = {
          is: 'wrong',
          problems: [{ line: 0, message: 'it cannot stand beside what the module has already' }],
        };
        return;
      }
      const plan = planChanges(module, outline, this.parts.language.translator);
      const { waiting } = plan;
      plan.waiting = [];
      plan.notes = plan.notes.filter((note) => note.kind !== 'waits');
      for (const name of entry.assigned) {
        const reset = plan.resets.get(name);
        if (!reset) continue;
        plan.steps.push(reset);
        plan.resets.delete(name);
        for (const note of plan.notes) if (note.name === name && note.kind === 'kept') note.kind = 'assigned';
      }
      // What ran once is no part of the module.
      const lasting = entry.statements > 0 ? this.outlineFor(file, entry.lasting)! : outline;
      if (entry.statements > 0) plan.next = planChanges(plan.next, lasting, this.parts.language.translator).next;
      this.joined.set(lasting, entry.joined);
      const failed =
        plan.steps.length > 0 || plan.notes.length > 0
          ? await this.patch([{ place, plans: this.following(place, [plan]) }], 'entered')
          : undefined;
      if (failed) {
        entered = failed;
        return;
      }
      place.modules.set(file, plan.next);
      changes = plan.notes.length > 0 ? planText(plan) : '';
      if (waiting.length > 0)
        last = found.target.change({
          do: 'evaluate',
          file,
          codes: waiting.map(({ code }) => ({ code, awaits: /^\s*\(\(async /.test(code) })),
        });
    });
    if (entered) return entered;
    const answer = await last;
    if (answer?.failed) {
      const { error } = answer.failed;
      const at = error.frames.find((frame) => frame.local && frame.line >= 0);
      const place = !at
        ? ''
        : at.file === file && at.line >= firstLine
          ? `line ${at.line - firstLine + 1} of what was entered  `
          : `${at.file} line ${at.line + 1}  `;
      return {
        is: 'failed',
        text: `${place}${error.message === '' ? error.name : `${error.name}: ${error.message}`}`,
        details: changes === '' ? [] : [changes],
      };
    }
    return {
      is: 'done',
      changes,
      pauseMs: answer?.pauseMs ?? 0,
      ...(answer?.result
        ? { result: { ...answer.result, moment: this.numbering.result(place.index, answer.result.moment) } }
        : {}),
      ...(this.placesOf(file).length > 1 || (place !== this.main && this.hasProgram) ? { where: place.label } : {}),
    };
  }

  private whyNot(file: string, where: string | undefined): string {
    const known = this.whereIs(file);
    if (known.length > 0)
      return `it does not run in ${where}; it runs in ${known.map((one) => one || 'the program').join(', ')}`;
    return this.hasProgram || this.participating > 0
      ? `${file} is no module of this program`
      : 'no page is open: open one, and enter it again';
  }

  /** Names that can be written behind a text, from the objects that live; no getter is run. */
  async complete(file: string, text: string, where?: string): Promise<{ from: number; names: NameFound[] }> {
    const found =
      /(?:^|[^\p{ID_Continue}$.#])((?:[\p{ID_Start}$_][\p{ID_Continue}$]*|this)(?:\??\.[\p{ID_Start}$_][\p{ID_Continue}$]*|\[\d+\])*)?(\??\.)?([\p{ID_Start}$_][\p{ID_Continue}$]*)?$/u.exec(
        text,
      );
    const place = this.placeFor(file, where);
    const module = place?.modules.get(file);
    if (!found || !module || !place?.target) return { from: text.length, names: [] };
    const dotted = found[2] !== undefined;
    // Behind something else than names nothing is known without running it.
    if (dotted && found[1] === undefined) return { from: text.length, names: [] };
    const written = `${found[1] ?? ''}${dotted ? '' : (found[3] ?? '')}`;
    const steps = [...written.matchAll(/[\p{ID_Start}$_][\p{ID_Continue}$]*|\d+/gu)].map((match) => match[0]);
    const prefix = dotted ? (found[3] ?? '') : (steps.pop() ?? '');
    const from = text.length - prefix.length;
    const look = async (request: NamesRequest): Promise<NameFound[]> => {
      const answer = await place.target!.look(request);
      return answer.is === 'names' ? answer.names : [];
    };
    if (steps.length > 0) {
      const [root, ...path] = steps;
      const known =
        module.outline.topLevel.has(root!) ||
        module.outline.imports.some((entry) => entry.names.some((name) => name.local === root));
      const code = known ? this.codeOf(module, root!) : undefined;
      return {
        from,
        names: await look({
          do: 'names',
          file,
          path: known ? path : steps,
          prefix,
          ...(code === undefined ? {} : { code }),
        }),
      };
    }
    const own: NameFound[] = [...module.outline.topLevel]
      .filter(([name, kind]) => kind !== 'type' && name.startsWith(prefix))
      .map(([name, kind]) => ({
        name,
        kind: kind === 'function' ? 'function' : kind === 'class' ? 'class' : 'value',
        text: kind,
      }));
    for (const entry of module.outline.imports)
      for (const { local } of entry.names)
        if (local.startsWith(prefix)) own.push({ name: local, kind: 'value', text: `import ${entry.specifier}` });
    const globals = prefix === '' ? [] : await look({ do: 'names', file, path: [], prefix });
    return {
      from,
      names: [
        ...own,
        ...globals
          .filter(({ name }) => !own.some((one) => one.name === name))
          .map((one) => ({ ...one, from: 'globalThis' })),
      ],
    };
  }

  /** Opens what was reported or evaluated, or what was reached from it. */
  async look(request: LookRequest): Promise<LookAnswer> {
    const found = this.numbering.request(request);
    const place = found && this.places.find((one) => one.index === found.place);
    if (!place) return { is: 'gone', why: found ? 'What held it has ended.' : 'It was reported too long ago.' };
    if (!place.target) return { is: 'gone', why: 'The program does not run.' };
    return this.numbering.answer(place.index, await place.target.look(found.request));
  }

  /** Code that reads a name inside a module. */
  private codeOf(module: LiveModule, name: string): string | undefined {
    const outline = this.outlineFor(module.file, `${module.outline.parsed.text}\n;(${name});`);
    return outline ? planChanges(module, outline, this.parts.language.translator).waiting[0]?.code : undefined;
  }

  private outlineFor(file: string, text: string): Outline | undefined {
    const parsed = parse(text, {
      file,
      packageType: this.parts.files.packageType(file),
      settings: this.parts.files.settings(file),
    });
    return parsed.program && parsed.problems.length === 0 ? outlineOf(parsed) : undefined;
  }

  /** The outline of a file that was saved, with what was entered for it. */
  private withJoined(module: LiveModule, outline: Outline): Outline {
    const joined = this.joined.get(module.outline);
    if (!joined || joined.length === 0) return outline;
    const left = giveWay(joined, outline);
    const whole = left.length === 0 ? undefined : this.outlineFor(module.file, outline.parsed.text + joinedText(left));
    if (whole) this.joined.set(whole, left);
    return whole ?? outline;
  }

  /** Executes a module and what imports it again, in order; state that it carries stays. */
  reload(file: string): Promise<void> {
    return this.then(file, () => this.execute([file]));
  }

  stop(): void {
    this.handle?.cancel();
  }

  private then(file: string, work: () => Promise<void>): Promise<void> {
    this.queue = this.queue
      .then(work)
      .catch((error: unknown) =>
        this.say({ kind: 'failed', file, text: `could not be applied: ${(error as Error).message}`, details: [] }),
      );
    return this.queue;
  }

  private async takeStep(place: Place, step: Step, text: string): Promise<void> {
    if (!place.target) return;
    const answer = await place.target.change({ do: 'patch', steps: [step], links: [], modules: [] });
    if (answer.failed) this.say(failedEvent(answer, [step], step.file));
    else {
      this.keep(new Map([[place, new Map(place.modules)]]));
      this.say({
        kind: 'patched',
        file: step.file,
        text: `${text}${this.told(place) ? ` in ${place.label}` : ''}`,
        details: [],
      });
    }
  }

  private keep(before: Before): void {
    this.before.push(before);
    if (this.before.length > MOST_UNDONE) this.before.shift();
    this.slim();
  }

  /** Versions that lie further back are kept as text: their trees would be most of what this session holds. */
  private slim(): void {
    const old = this.before[this.before.length - 1 - WHOLE_VERSIONS];
    if (!old) return;
    const used = new Set<LiveModule>();
    for (const { modules } of this.places) for (const module of modules.values()) used.add(module);
    for (const entry of this.before.slice(-WHOLE_VERSIONS))
      for (const modules of entry.values()) for (const module of modules.values()) used.add(module);
    for (const modules of old.values())
      for (const [file, module] of modules) if (!used.has(module)) modules.set(file, this.slimOf(module));
  }

  private readonly slimmed = new WeakMap<LiveModule, LiveModule>();

  private slimOf(module: LiveModule): LiveModule {
    let slim = this.slimmed.get(module);
    if (slim) return slim;
    const { text, file } = module.outline.parsed;
    // What was entered at a prompt belongs to its outline, and names that are gone to theirs.
    if (this.joined.has(module.outline) || module.gone.size > 0) return module;
    let outline: Outline | undefined;
    const again = (): Outline => (outline ??= this.outlineFor(file, text)!);
    slim = Object.defineProperty({ ...module }, 'outline', { get: again, enumerable: true });
    this.slimmed.set(module, slim);
    this.slimmed.set(slim, slim);
    return slim;
  }

  /**
   * Plans a change of the program's largest file that nobody has made, and forgets it: so the engine has made its mind up
   * about this code before the first save. A step takes as long as a save does.
   */
  rehearse(step: number): void {
    const modules = this.places
      .flatMap((place) => [...place.modules.values()])
      .sort((a, b) => b.outline.parsed.text.length - a.outline.parsed.text.length);
    const module = modules[0];
    const { parsed, functions } = module?.outline ?? { parsed: undefined, functions: [] };
    const bodies = functions.filter(({ node }) => node.body.type === 'BlockStatement');
    const body = bodies[step % Math.max(1, bodies.length)]?.node.body as { end: number } | undefined;
    if (!module || !parsed || !body || this.ended) return;
    const outline = this.outlineFor(
      module.file,
      `${parsed.text.slice(0, body.end - 1)};void 0;${parsed.text.slice(body.end - 1)}`,
    );
    if (outline) planChanges(module, outline, this.parts.language.translator);
  }

  /** A change is taken back: the program itself has done so, the others are told. */
  private tookBack(text: string, before = this.before.filter((one) => one.has(this.main)).at(-1)): void {
    if (before) this.before.splice(this.before.indexOf(before), 1);
    const changed = new Set<string>();
    for (const [place, modules] of before ?? []) {
      if (!this.places.includes(place)) continue;
      for (const [file, module] of modules) if (place.modules.get(file) !== module) changed.add(file);
      place.modules = new Map(modules);
      if (place !== this.main) void place.target?.change({ do: 'undo' });
    }
    for (const file of changed) this.refused.set(file, this.linker.unit(file).text);
    const seen = [...changed].filter((file) => this.watches(file));
    // Behind what is going on: an undo is itself taken in turn.
    if (seen.length > 0) void this.then(seen[0]!, () => this.rewatch(seen, true));
    this.say({ kind: 'undone', file: [...changed][0] ?? this.file, text, details: [] });
  }

  /** Names that a text uses anew, and that neither it nor the program has. */
  private async unknownNames(target: LiveTarget, before: Outline, after: Outline): Promise<Problem[]> {
    const freeOf = ({ parsed }: Outline): { name: string; start: number }[] =>
      usesWithin(scopesOf(parsed.program!), 0, parsed.text.length).filter(
        (use) => bindingScope(use.scope, use.name) === undefined,
      );
    const known = new Set(freeOf(before).map((use) => use.name));
    const fresh = freeOf(after).filter(({ name }) => !known.has(name) && name !== 'arguments');
    const found: Problem[] = [];
    for (const { name, start } of fresh) {
      if (after.parsed.goal === 'script' && ['require', 'module', 'exports', '__filename', '__dirname'].includes(name))
        continue;
      const answer = await target.look({ do: 'names', file: after.parsed.file, path: [], prefix: name });
      if (answer.is !== 'names' || answer.names.some((one) => one.name === name)) continue;
      const near = nearest(name, [...after.topLevel.keys()]);
      found.push({
        code: 'E_NAME',
        message: `${name} is not defined. ${near ? `Did you mean "${near}"? ` : ''}The program goes on with what it had; a save takes it as it is.`,
        start,
        end: start + name.length,
      });
    }
    return found;
  }

  private remember(): void {
    for (const { file } of this.program?.files ?? []) {
      if (this.main.modules.has(file)) continue;
      const { outline } = this.linker.unit(file);
      if (outline) this.main.modules.set(file, liveModule(outline));
    }
  }

  private async apply(files: readonly string[], settled: boolean): Promise<void> {
    const outlines: Outline[] = [];
    for (const file of files) {
      const places = this.placesOf(file);
      const first = places[0];
      if (!first) continue;
      let unit;
      try {
        unit = this.linker.unit(file);
      } catch (error) {
        if (settled)
          this.say({
            kind: 'refused',
            file,
            text: 'nothing changed: the file cannot be read now',
            details: [(error as Error).message],
          });
        return;
      }
      if (unit.text === '' && !settled) return;
      if (this.refused.get(file) === unit.text) continue;
      this.problems.delete(file);
      if (unit.outline === undefined) {
        this.refused.set(file, unit.text);
        const problems = await this.parts.language.recover(file, unit.text, unit.parsed.problems);
        this.problems.set(file, { problems, lines: unit.lines });
        for (const listener of this.recordListeners) listener();
        const details = problems.map((problem) => `line ${unit.lines.lineAt(problem.start) + 1}  ${problem.message}`);
        this.say({
          kind: 'refused',
          file,
          text: `syntax error${problems.length === 1 ? '' : 's'}, nothing changed`,
          details,
        });
        return;
      }
      const unknown =
        this.typed && first.target
          ? await this.unknownNames(first.target, first.modules.get(file)!.outline, unit.outline)
          : [];
      if (unknown.length > 0) {
        // Half a name is typed: the program is not to fail for it. A save is meant as it is.
        this.problems.set(file, { problems: unknown, lines: unit.lines });
        for (const listener of this.recordListeners) listener();
        return;
      }
      this.refused.delete(file);
      outlines.push(unit.outline);
    }
    if (outlines.length === 0) return;
    const extensions = new Set(
      outlines
        .map((outline) => outline.parsed.file)
        .filter(
          (file) =>
            this.main.modules.get(file) !== undefined &&
            this.differs(this.main, file) &&
            this.extensionOf(file) !== undefined,
        ),
    );
    if (extensions.size > 0) await this.execute([...extensions]);
    const works = this.places.flatMap((place): Work[] => {
      const plans = outlines.flatMap((outline) => {
        const { file } = outline.parsed;
        const module = place.modules.get(file);
        if (!module || (place === this.main && extensions.has(file))) return [];
        const whole = this.withJoined(module, outline);
        return whole.parsed.text === module.outline.parsed.text
          ? []
          : [planChanges(module, whole, this.parts.language.translator)];
      });
      return plans.length > 0 ? [{ place, plans: this.following(place, plans) }] : [];
    });
    if (works.length > 0) await this.patch(works, 'saved');
  }

  private following(place: Place, plans: readonly Plan[]): Plan[] {
    return withImporters(place.modules, plans, this.parts.language.translator, (specifier, from) =>
      this.localFile(specifier, from),
    );
  }

  private localFile(specifier: string, from: string): string | undefined {
    const found = this.parts.files.resolve(specifier, from, 'import');
    return found.kind === 'local' ? found.file : undefined;
  }

  private differs(place: Place, file: string): boolean {
    const module = place.modules.get(file)!;
    const { outline } = this.linker.unit(file);
    return outline !== undefined && this.withJoined(module, outline).parsed.text !== module.outline.parsed.text;
  }

  /** Places that begin anew where a change cannot be made in place are asked to; gives the others. */
  private withoutReloads(works: readonly Work[]): Work[] {
    const told = new Set<string>();
    return works.filter(({ place, plans }) => {
      if (!place.guest?.reload) return true;
      const cannot = plans.flatMap((plan) =>
        plan.notes.filter((note) => note.kind === 'cannot').map((note) => ({ plan, note })),
      );
      if (cannot.length === 0) return true;
      const details = cannot.map(({ note }) => `${note.name}: ${note.reason ?? ''}`);
      const { file } = cannot[0]!.plan;
      const key = `${file}\n${details.join('\n')}`;
      if (!told.has(key)) this.say({ kind: 'reloaded', file, text: 'the page is loaded anew', details });
      told.add(key);
      place.guest.reload(details.join('; '));
      this.leave(place.guest.id);
      return false;
    });
  }

  /**
   * Applies plans, the program's own last. Whole or not at all: where one place cannot, the others take it back.
   *
   * @returns why not, for what was entered
   */
  private async patch(
    given: readonly Work[],
    how: 'saved' | 'entered',
  ): Promise<Extract<Entered, { is: 'failed' }> | undefined> {
    const refuse = (
      kind: 'refused' | 'failed',
      file: string,
      text: string,
      details: string[],
    ): Extract<Entered, { is: 'failed' }> | undefined => {
      if (how === 'entered') return { is: 'failed', text, details };
      this.refused.set(file, this.linker.unit(file).text);
      this.say({ kind, file, text, details });
      return undefined;
    };
    const works = this.withoutReloads(given);
    const { program } = this;
    const loads = new Map<Work, { links: { file: string; name: string; link: ModuleLink }[]; modules: ModuleCode[] }>();
    for (const work of works) {
      const load = { links: [] as { file: string; name: string; link: ModuleLink }[], modules: [] as ModuleCode[] };
      loads.set(work, load);
      for (const step of work.plans.flatMap((plan) => plan.steps)) {
        if (step.kind === 'fields') step.roots = [...work.place.modules.values()].map(rootsOf);
        if (step.kind !== 'link') continue;
        const { link, modules } = await this.linkIn(work.place, step.specifier, step.file);
        const wrong = link.kind === 'missing' ? link.target : this.missingName(link, step.names);
        if (wrong !== undefined) {
          this.withdraw(program);
          return refuse('refused', step.file, `nothing changed: import '${step.specifier}'`, [wrong]);
        }
        load.links.push({ file: step.file, name: step.name, link: { ...link, names: step.names } });
        load.modules.push(...modules);
      }
    }
    const done: { work: Work; answer: LiveAnswer | undefined; applied: boolean; watched: Watched[] }[] = [];
    for (const work of [...works].sort((a, b) => Number(a.place === this.main) - Number(b.place === this.main))) {
      const { place, plans } = work;
      const steps = plans.flatMap((plan) => plan.steps);
      const watched = plans.flatMap((plan): Watched[] => {
        const slots = plan.steps.flatMap((step) => (step.kind === 'function' ? [step.slot] : []));
        const one = place.watching.plan(plan.file, plan.next, new Set(slots));
        if (one) plan.next = one.next;
        return one ? [one] : [];
      });
      const watch = watched.length > 0 ? { watch: together(watched) } : {};
      const answer =
        place.target && (steps.length > 0 || watched.length > 0)
          ? await place.target.change({ do: 'patch', steps, ...loads.get(work)!, ...watch })
          : undefined;
      if (answer?.failed) {
        for (const one of done) if (one.applied) void one.work.place.target?.change({ do: 'undo' });
        await this.rewatch(
          works.flatMap((one) => one.plans.map((plan) => plan.file)),
          true,
        );
        // Modules that were loaded stay in the target; asked for again, they are found there.
        const event = failedEvent(answer, steps, plans[0]!.file, this.told(place) ? ` in ${place.label}` : '');
        if (how === 'entered') return { is: 'failed', text: event.text, details: event.details };
        if (place !== this.main) this.refused.set(event.file, this.linker.unit(event.file).text);
        this.say(event);
        return undefined;
      }
      done.push({ work, answer, applied: answer !== undefined && steps.length > 0, watched });
    }
    const before: Before = new Map();
    for (const { work, applied } of done) if (applied) before.set(work.place, new Map(work.place.modules));
    if (before.size > 0) this.keep(before);
    for (const { work, answer, watched } of done) {
      const { place, plans } = work;
      for (const plan of plans) {
        place.modules.set(plan.file, plan.next);
        if (plan.waiting.length > 0)
          place.waiting.set(plan.file, [...(place.waiting.get(plan.file) ?? []), ...plan.waiting]);
        const resets = place.resets.get(plan.file) ?? new Map<string, Step>();
        for (const [name, step] of plan.resets) resets.set(name, step);
        place.resets.set(plan.file, resets);
      }
      let from = 0;
      for (const one of watched) {
        const to = from + one.watch.steps.length;
        one.taken(
          (answer?.unwatched ?? []).flatMap(({ step, message }) =>
            step >= from && step < to ? [{ step: step - from, message }] : [],
          ),
        );
        from = to;
      }
    }
    this.lastPauseMs = done.at(-1)?.answer?.pauseMs ?? this.lastPauseMs;
    this.sayDone(done, how);
    return undefined;
  }

  /** One line for each file: what became of it in the program itself, or where there is none, in the first place that has it. */
  private sayDone(done: readonly { work: Work; answer: LiveAnswer | undefined }[], how: 'saved' | 'entered'): void {
    const files = new Set(done.flatMap(({ work }) => work.plans.map((plan) => plan.file)));
    for (const file of files) {
      const all = done.filter(({ work }) => work.plans.some((plan) => plan.file === file));
      const spoken = all.find(({ work }) => work.place === this.main) ?? all[0]!;
      const plan = spoken.work.plans.find((one) => one.file === file)!;
      const others = all
        .filter((one) => one !== spoken || one.work.place !== this.main)
        .map(({ work }) => work.place.label);
      const where = this.hasProgram ? placesText(others, spoken.work.place === this.main) : '';
      this.say({
        kind: 'patched',
        file,
        text: `${how === 'entered' ? 'entered: ' : ''}${planText(plan)}${alsoText(spoken.answer)}${where}`,
        details: plan.notes.filter((note) => note.reason !== undefined).map((note) => `${note.name}: ${note.reason}`),
        plan,
      });
    }
  }

  /** How a place reaches a module that is imported only now. */
  private async linkIn(
    place: Place,
    specifier: string,
    from: string,
  ): Promise<{ link: ModuleLink; modules: ModuleCode[] }> {
    if (place === this.main) return this.resolve(specifier, from);
    if (place.guest?.resolve) return { link: await place.guest.resolve(specifier, from), modules: [] };
    const found = this.parts.files.resolve(specifier, from, 'import');
    const target = found.kind === 'local' ? found.file : found.kind === 'missing' ? found.message : specifier;
    return { link: { specifier, kind: found.kind, target, names: [] }, modules: [] };
  }

  /** Modules that were looked at for a change which is refused take no part. */
  private withdraw(program: Program | undefined): void {
    if (!program) return;
    this.program = program;
    this.linker.restore(program);
    const known = new Set(program.files.map((file) => file.file));
    for (const file of this.main.modules.keys()) if (!known.has(file)) this.main.modules.delete(file);
  }

  /** A name that a module of the program has not. */
  private missingName(link: ModuleLink, names: readonly string[]): string | undefined {
    const outline = link.kind === 'local' ? this.linker.unit(link.target).outline : undefined;
    if (!outline || outline.parsed.goal === 'script' || outline.exports.some((entry) => entry.exported === '*'))
      return undefined;
    const known = outline.exports.map((entry) => entry.exported);
    const missing = names.find((name) => name !== '*' && !known.includes(name));
    if (missing === undefined) return undefined;
    const near = nearest(missing, known);
    return `'${link.specifier}' has no export named '${missing}'.${near ? ` Did you mean '${near}'?` : ''}`;
  }

  // ---- reload -------------------------------------------------------------------

  /** Files that import a file, directly. */
  private importersOf(file: string): string[] {
    return [...this.main.modules.values()]
      .filter((module) => this.importsFrom(module.outline, file))
      .map((module) => module.file);
  }

  private importsFrom(outline: Outline, file: string): boolean {
    return outline.imports.some(
      (entry) => !entry.typeOnly && this.localFile(entry.specifier, outline.parsed.file) === file,
    );
  }

  /** The extension that a file belongs to: the file itself, or one through which alone it is imported. */
  private extensionOf(file: string, seen = new Set<string>()): string | undefined {
    if (this.extensions.has(file)) return file;
    if (seen.has(file)) return undefined;
    seen.add(file);
    const owners = this.importersOf(file).map((one) => this.extensionOf(one, seen));
    return owners.length > 0 && owners.every((owner) => owner !== undefined) ? owners[0] : undefined;
  }

  /** The files and what imports them, each after what it imports. Stops at extensions: their hosts stay. */
  private orderOf(files: readonly string[]): string[] {
    const all = new Set<string>();
    const climb = (file: string): void => {
      if (all.has(file)) return;
      all.add(file);
      if (this.extensions.has(file)) return;
      for (const importer of this.importersOf(file)) climb(importer);
    };
    for (const file of files) climb(file);
    const order: string[] = [];
    const visit = (file: string): void => {
      if (order.includes(file)) return;
      const module = this.main.modules.get(file);
      const unit = this.linker.unit(file);
      all.delete(file);
      for (const entry of (unit.outline ?? module?.outline)?.imports ?? []) {
        const target = this.parts.files.resolve(entry.specifier, file, 'import');
        if (target.kind === 'local' && all.has(target.file)) visit(target.file);
      }
      order.push(file);
    };
    while (all.size > 0) visit([...all][0]!);
    return order;
  }

  private async execute(files: readonly string[]): Promise<void> {
    if (!this.main.modules.has(files[0]!)) {
      const guests = this.placesOf(files[0]!).flatMap(({ guest }) => (guest ? [guest] : []));
      for (const guest of guests) guest.reload?.('it was asked for');
      if (!guests.some((guest) => guest.reload))
        this.say({
          kind: 'refused',
          file: files[0]!,
          text: 'nothing reloaded: only modules of the program itself are executed again',
          details: [],
        });
      return;
    }
    const order = this.orderOf(files);
    const entry = order.includes(this.file);
    if (entry && !this.extensions.has(this.file)) {
      this.say({
        kind: 'refused',
        file: files[0]!,
        text: 'nothing reloaded: the program itself depends on it',
        details: [
          `${order.length} modules would be executed again, the first of the program among them: restart it, or load the part as an extension`,
        ],
      });
      return;
    }
    const modules: ModuleCode[] = [];
    const steps: Step[] = [];
    const names = new Set(order);
    for (const file of order) {
      const more = this.linker.link(file);
      const problem = more.problems[0];
      if (problem) {
        const line = this.linker.unit(problem.file).lines.lineAt(problem.problem.start);
        this.refused.set(file, this.linker.unit(file).text);
        this.say({
          kind: 'refused',
          file: problem.file,
          text: 'nothing reloaded',
          details: [`line ${line + 1}  ${problem.problem.message}`],
        });
        return;
      }
      for (const code of more.modules) {
        const wanted = code.file === file || (!this.main.modules.has(code.file) && !names.has(code.file));
        if (wanted && !modules.some((one) => one.file === code.file)) modules.push(this.numbered(code));
      }
    }
    // New modules stand before what imports them.
    modules.sort((a, b) => Number(names.has(a.file)) - Number(names.has(b.file)));
    if (!this.handle) return;
    const answer = await this.handle.change({ do: 'reload', modules, steps });
    if (answer.failed) {
      const { error } = answer.failed;
      const at = error.frames.find((frame) => frame.local && frame.line >= 0);
      this.say({
        kind: 'failed',
        file: files[0]!,
        text: 'reload failed: the modules stay as they were, what they disposed of stays so',
        details: [`${at ? `line ${at.line + 1}  ` : ''}${error.name}: ${error.message}`],
      });
      return;
    }
    this.before.length = 0;
    for (const { file } of modules) {
      const { outline } = this.linker.unit(file);
      if (outline) this.main.modules.set(file, liveModule(outline));
      this.main.waiting.delete(file);
      this.main.resets.delete(file);
    }
    await this.rewatch(
      modules.map((one) => one.file).filter((file) => this.watches(file)),
      true,
      [this.main],
    );
    const others = modules.filter((one) => !files.includes(one.file)).length;
    this.say({
      kind: 'reloaded',
      file: files[0]!,
      text: `reloaded${others > 0 ? ` with ${others} that depend${others === 1 ? 's' : ''} on it` : ''}${alsoText(answer)}`,
      details: [],
    });
  }

  private numbered(code: ModuleCode): ModuleCode {
    const known = this.program?.files.find((one) => one.file === code.file);
    if (known) return { ...code, unit: known.unit, base: known.base };
    const unit = Math.max(-1, ...(this.program?.files.map((one) => one.unit) ?? [])) + 1;
    const outline = this.linker.unit(code.file);
    if (this.program)
      this.program = {
        ...this.program,
        files: [
          ...this.program.files,
          { file: code.file, unit, base: 0, sites: [], lines: outline.lines, quiet: [], notes: [] },
        ],
      };
    return { ...code, unit };
  }

  /** An error that comes again and again is told at once, and then at most once a second, with how often. */
  private tellError(event: LiveEvent): void {
    const key = `${event.file} ${event.text}`;
    const now = Date.now();
    if (this.repeated?.key !== key) {
      this.tellRepeated();
      this.say(event);
      this.repeated = { key, event, times: 0, at: now };
      return;
    }
    this.repeated.times++;
    if (now - this.repeated.at >= 1_000) {
      this.tellRepeated();
      this.repeated = { key, event, times: 0, at: now };
    }
  }

  private repeated: { key: string; event: LiveEvent; times: number; at: number } | undefined;

  private tellRepeated(): void {
    const { repeated } = this;
    this.repeated = undefined;
    if (repeated && repeated.times > 0)
      this.say({ ...repeated.event, text: `${repeated.event.text} · ${repeated.times} times more`, details: [] });
  }

  private say(event: LiveEvent): void {
    this.tellRepeated();
    const told: LiveEvent = this.typed ? { ...event, typed: true } : event;
    for (const listener of this.listeners) listener(told);
  }
}

function together(watched: readonly Watched[]): Watched['watch'] {
  return {
    steps: watched.flatMap((one) => one.watch.steps),
    units: watched.flatMap((one) => one.watch.units),
    release: watched.flatMap((one) => one.watch.release),
    gone: watched.flatMap((one) => one.watch.gone),
  };
}
