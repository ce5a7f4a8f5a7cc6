/**
 * The life of a program that keeps running: started once, then each save is
 * compared, planned and applied, or refused with a reason. This is the one
 * that speaks; what it does is done by the files beside it.
 */
import type { Waiting } from '../../patch/emit.js';
import { planChanges } from '../../patch/plan.js';
import type { NameFound } from '../../wire/looking.js';
import type { HoldNews } from '../../wire/holding.js';
import type { PauseNews } from '../../wire/pausing.js';
import type { Batch } from '../../wire/reports.js';
import type { RawStop } from '../../wire/runs.js';
import { servedCode } from '../module-code.js';
import { Changes } from './changes.js';
import type { DataFiles } from './data-files.js';
import { LookedAt } from './looking.js';
import type { Entered, LiveEvent, LiveOutput, LiveParts, Served } from './events.js';
import { Outputs } from './outputs.js';
import { Entries } from './entries/entries.js';
import { HeldCalls } from './holding/holding.js';
import { Pausing } from './pausing/pausing.js';
import { Prompt } from './prompt.js';
import { programSink } from './program-sink.js';
import { planRehearsal } from './rehearsing.js';
import { consoleOutput, errorEvents, presentBatch } from './reports.js';
import { ServedFiles } from './served-files.js';
import type { Guest, TargetState } from './target-state.js';
import { whereaboutsText } from './wording.js';

export class LiveSession extends LookedAt {
  private readonly changes: Changes;
  private readonly prompt: Prompt;
  private readonly served: ServedFiles;
  /** Breakpoints, and what stands still. */
  readonly pausing: Pausing;
  /** Calls that failed, and wait to be mended. */
  readonly held: HeldCalls;
  /** What comes into it from outside. */
  readonly entries: Entries;
  private readonly outputs: Outputs;
  private readonly moduleListeners = new Set<() => void>();

  /** @param file first file of the program; one that has only guests learns it from them */
  constructor(file: string, parts: LiveParts) {
    super(file, parts, () => this.outputs.wanted);
    this.served = new ServedFiles(parts.language.translator);
    this.changes = new Changes(
      this.running,
      this.log,
      this.turns,
      this.observing,
      () => this.tellRecord(),
      (names) => this.held.changed(names),
    );
    this.pausing = new Pausing(this.running, this.observing, this.turns);
    this.held = new HeldCalls(this.running, this.observing, this.turns);
    this.entries = new Entries(this.running, this.observing, this.turns);
    this.log.listen((event) => this.entries.changed(event));
    this.outputs = new Outputs(
      this.running,
      (on) => void this.changes.handle?.change({ do: 'listen', on }),
      () => this.observing.reports,
    );
    this.prompt = new Prompt(this.running, this.turns, this.changes);
  }

  /** Milliseconds that the program stood still for the last change or look. */
  get lastPauseMs(): number {
    return this.running.lastPauseMs;
  }

  /** First file of the program. */
  get file(): string {
    return this.running.file;
  }

  /** Without a program of its own: where a file stands in for the first until there is one. */
  set file(file: string) {
    this.running.file = file;
  }

  /** Local modules of the program. */
  get files(): string[] {
    const { hasProgram, own, targets, file } = this.running;
    const all = new Set(own.program?.files.map((one) => one.file) ?? (hasProgram ? [file] : []));
    for (const { modules } of targets) for (const one of modules.keys()) all.add(one);
    // Of pages: one that is loaded anew has them again.
    if (!hasProgram) for (const one of this.served.files) all.add(one);
    return [...all];
  }

  /** Data files that modules of the program import: they are taken when they are saved, as modules are. */
  get data(): DataFiles {
    return this.changes.data;
  }

  onEvent(listener: (event: LiveEvent) => void): () => void {
    return this.log.listen(listener);
  }

  /** Calls back when a guest begins to execute a module. */
  onModule(listener: () => void): void {
    this.moduleListeners.add(listener);
  }

  /** Tells what the program writes, beside where it writes it. */
  onOutput(listener: (output: LiveOutput) => void): () => void {
    return this.outputs.add(listener);
  }

  /**
   * Starts the program. Returns the problems that keep it from starting, if any.
   *
   * @param onEnd called once, when the program has ended
   * @param options `pause`: it stops at its first statement
   */
  start(
    onEnd: (stop: RawStop | undefined) => void,
    { pause = false }: { pause?: boolean } = {},
  ): { file: string; line: number; message: string }[] {
    const { own, parts, main, linker } = this.running;
    const linked = own.link(this.file);
    if (linked.problems.length > 0)
      return linked.problems.map(({ file, problem }) => ({
        file,
        line: linker.unit(file).lines.lineAt(problem.start),
        message: problem.message,
      }));
    own.remember();
    if (!parts.host) return [];
    const request = {
      id: 1,
      entry: linked.entry,
      modules: linked.modules,
      hangMs: Infinity,
      asked: this.pausing.asked(pause, this.held.first(linked.modules.map(({ file }) => file))),
    };
    this.changes.handle = parts.host.start(
      request,
      programSink(this.running, {
        batch: (batch) => this.take(main, batch),
        output: (output) => this.outputs.tell(output),
        undone: (text) => this.changes.tookBack(text),
        pausing: (news) => this.pausing.take(main, news),
        holding: (news) => this.held.take(main, news),
        comes: (files) => {
          const observe = this.observing.first(files);
          this.pausing.comes(files);
          this.entries.comes();
          return observe;
        },
        stopped: (stop) => {
          this.ended = true;
          this.pausing.left(main);
          this.held.left(main);
          this.log.sayRepeated();
          this.tellRecord();
          onEnd(stop);
        },
      }),
    );
    main.target = this.changes.handle;
    if (this.outputs.wanted) void this.changes.handle.change({ do: 'listen', on: true });
    return [];
  }

  stop(): void {
    this.changes.handle?.cancel();
  }

  /** A thread, process or page takes part from now on. */
  join(guest: Guest): void {
    this.running.join(guest);
    this.pausing.joins(guest);
    this.tellRecord();
    if (this.observing.reports || (guest.console && this.outputs.wanted)) void guest.change({ do: 'report', on: true });
  }

  leave(id: string): void {
    const state = this.running.guest(id);
    if (!state || !this.running.leave(id)) return;
    this.pausing.left(state);
    this.held.left(state);
    this.tellRecord();
  }

  /** Where the program runs, in words. */
  whereabouts(pid: number): string {
    const guests = this.running.targets.slice(1).map(({ label }) => label);
    return whereaboutsText(this.running.hasProgram ? pid : undefined, guests);
  }

  /** Threads, processes and pages that take part, with the files that each has. */
  get guests(): { label: string; files: string[] }[] {
    return this.running.targets.slice(1).map(({ label, modules }) => ({ label, files: [...modules.keys()] }));
  }

  /** Where a file runs, as it is told. */
  whereIs(file: string): string[] {
    return this.running.targetsOf(file).map(({ label }) => label);
  }

  /**
   * Code that a guest is to load for a local file; undefined for one that it loads by itself.
   *
   * @param text what it would load; by default the file as this session sees it
   * @param runner see {@link Guest.runner}
   */
  serve(file: string, text?: string, runner?: string): Served | undefined {
    const { linker } = this.running;
    const isOwn = text === undefined || text === linker.textOf(file);
    const outline = isOwn ? linker.unit(file).outline : this.running.outlineFor(file, text);
    // With a syntax error it is the engine that says so.
    return outline && this.served.serve(file, outline, runner);
  }

  /**
   * A guest executes a module that it was served.
   *
   * @param waits it does not go on before this returns: what is asked of the module is asked by then
   */
  executed(id: string, file: string, version: number, waits = false): void {
    const { running } = this;
    const state = running.guest(id);
    const served = this.served.find(file, version, state?.guest?.runner);
    if (!state || !served) return;
    const { outline, compiled } = served;
    running.execute(state, file, outline);
    this.changes.data.note(state.modules.get(file)!);
    for (const listener of this.moduleListeners) listener();
    if (compiled) state.guest!.know?.(servedCode(outline, compiled, file));
    // It may be an older text than the one others have, and others may be looked at.
    if (running.linker.overlay.has(file)) void this.turns.then(file, () => this.changes.apply([file]));
    void this.turns.then(file, () => this.begins(state, file));
    if (!this.observing.wants(file)) return;
    const rest = waits ? this.observing.beginNow(state, file) : () => this.observing.beginIn(state, file);
    void this.turns.then(file, rest);
  }

  /** Something is asked of a module before it runs. */
  asksFirst(file: string): boolean {
    const { observing, pausing, held } = this;
    return observing.wants(file) || pausing.asksFirst(file) || held.mode !== 'off';
  }

  /** A guest waits before the first line of a module until all is said that was to be said by then. */
  async waits(id: string): Promise<void> {
    await this.turns.then(this.file, () => Promise.resolve());
    this.running.guest(id)?.guest?.goOn?.();
  }

  /** Breakpoints, and the holding of calls, in a module that a target begins to execute. */
  private async begins(state: TargetState, file: string): Promise<void> {
    await this.pausing.begins(state, file);
    await this.held.begins(state, file);
    await this.entries.begins(state, file);
  }

  /** What a guest reports. */
  reportedBy(id: string, batch: Batch): void {
    const state = this.running.guest(id);
    if (state) this.take(state, batch);
  }

  /** What a guest tells of held calls. */
  heldIn(id: string, news: HoldNews): void {
    const state = this.running.guest(id);
    if (state) this.held.take(state, news);
  }

  /** What a guest tells of its pauses. */
  pausedIn(id: string, news: PauseNews): void {
    const state = this.running.guest(id);
    // One that never stands still is not believed that it does.
    const isStop = news.is === 'paused' || news.is === 'went-on';
    if (state && !(isStop && state.guest?.runsOn)) this.pausing.take(state, news);
  }

  /** A guest has stopped a change that did not end, and taken it back. */
  stoppedIn(id: string): void {
    const state = this.running.guest(id);
    if (state) this.changes.stoppedIn(state);
  }

  /** What a target reports. */
  private take(state: TargetState, reported: Batch): void {
    const batch = presentBatch(this.running, state, reported);
    this.entries.take(state, batch);
    for (const event of errorEvents(this.running, state, batch.errors ?? [])) this.log.sayError(event);
    if (state.guest?.console && this.outputs.wanted)
      for (const output of consoleOutput(batch)) this.outputs.tell(output);
    if (!this.observing.reports) return;
    this.running.observed.records.add(batch);
    const hot = batch.counts ? state.observation.tooHot() : [];
    if (hot.length > 0) void this.turns.then(hot[0]!, () => this.observing.again(hot));
    this.tellRecord();
  }

  /** True for a text that was not taken because it does not parse. */
  isWrong(file: string): boolean {
    return this.running.refused.isWrong(file);
  }

  /** The text of a file that runs, with what was entered for it. */
  runningText(file: string): string | undefined {
    return this.running.textOf(file);
  }

  /** Text of a file as this session sees it: unsaved before saved. */
  textOf(file: string): string {
    return this.running.linker.textOf(file);
  }

  /** Takes an unsaved text of a file. What other tools make code of is theirs to take, when it is saved. */
  edit(file: string, text: string): Promise<void> {
    if (this.running.writtenOf(file)) return Promise.resolve();
    return this.turns.then(file, async () => {
      this.running.linker.overlay.set(file, text);
      this.log.typed = true;
      try {
        await this.changes.apply([file]);
      } finally {
        this.log.typed = false;
      }
    });
  }

  /** The text of a file is the one on disk from now on. */
  forgetEdit(file: string): Promise<void> {
    // Behind the edits that are on their way.
    return this.turns.then(file, () => Promise.resolve(void this.running.linker.overlay.delete(file)));
  }

  /**
   * Takes a save of one or more files: compares, plans, applies. Calls are taken one after the other.
   */
  changed(files: readonly string[]): Promise<void> {
    const own = files.filter((file) => !this.running.writtenOf(file));
    return this.turns.then(files[0] ?? this.file, () => this.changes.apply(own));
  }

  /** Takes the last change back; false where there is none. The files stay as they are. */
  undo(): Promise<boolean> {
    return this.changes.undo();
  }

  /** Executes a module and what imports it again, in order; state that it carries stays. */
  reload(file: string): Promise<void> {
    return this.turns.then(file, () => this.changes.reload([file]));
  }

  /** Statements that saves brought and that were not run, by file. */
  get waitingStatements(): ReadonlyMap<string, readonly Waiting[]> {
    const all = new Map<string, readonly Waiting[]>();
    for (const { waiting } of this.running.targets)
      for (const [file, list] of waiting) if (!all.has(file)) all.set(file, list);
    return all;
  }

  /**
   * Runs the statements of a file that wait, in their order, wherever the file runs; all, or the one on a line (from
   * 0).
   */
  runWaiting(file: string, line?: number): Promise<void> {
    return this.turns.then(file, () => this.changes.runWaiting(file, line));
  }

  /** Gives a name whose live value was kept the value that the text gives it now; false where nothing was kept. */
  reset(file: string, name: string): Promise<boolean> {
    return this.changes.reset(file, name);
  }

  /**
   * Evaluates what a person enters inside a module: statements run once, functions and classes that the module has
   * are patched, other declarations join the module until it is executed again.
   *
   * @param where label of the target, where the file runs in several; see {@link whereIs}
   */
  async evaluate(file: string, text: string, where?: string): Promise<Entered> {
    return (await this.pausing.entered(text, where)) ?? this.prompt.evaluate(file, text, where);
  }

  /** Names that can be written behind a text, from the objects that live; no getter is run. */
  complete(file: string, text: string, where?: string): Promise<{ from: number; names: NameFound[] }> {
    return this.prompt.complete(file, text, where);
  }

  /**
   * Plans a change of the program's largest file that nobody has made, and forgets it: so the engine knows this code
   * before the first save. A step takes as long as a save does.
   */
  rehearse(step: number): void {
    if (this.ended) return;
    const planned = planRehearsal(this.running, step);
    if (planned) planChanges(planned.module, planned.outline, this.running.parts.language.translator);
  }
}
