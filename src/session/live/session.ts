/**
 * The life of a program that keeps running: started once, then each save is
 * compared, planned and applied, or refused with a reason. This is the one
 * that speaks; what it does is done by the files beside it.
 */
import type { Waiting } from '../../patch/emit.js';
import { planText } from '../../patch/notes.js';
import { planChanges } from '../../patch/plan.js';
import type { Step } from '../../patch/steps.js';
import type { PadRecord } from '../../record/record.js';
import type { LookAnswer, LookRequest, NameFound } from '../../runtime/look.js';
import type { LiveAnswer } from '../../runtime/target.js';
import type { Batch } from '../../runtime/wire.js';
import type { RawStop } from '../host.js';
import { servedCode } from '../linker.js';
import { applyWorks, askToReload, withFollowing, type Applied, type Outcome, type Work } from './applying.js';
import { completeNames, unfinishedAt } from './completing.js';
import { changesText, codesOf, planEntry, thrown } from './entering.js';
import { EventLog } from './event-log.js';
import type { Entered, LiveEvent, LiveHandle, LiveOutput, LiveParts, LiveSink, Served } from './events.js';
import { History, type Before } from './history.js';
import { importsFrom } from './module-graph.js';
import { Observing } from './observing.js';
import { planRehearsal } from './rehearsing.js';
import { reloadModules } from './reloading.js';
import { consoleOutput, errorEvents, presentBatch } from './reports.js';
import { RunningProgram } from './running.js';
import { changedExtensions, readTexts, worksFor } from './saving.js';
import { ServedFiles } from './served-files.js';
import type { Guest, TargetState } from './target-state.js';
import { alsoText, failedEvent, placesText, whereaboutsText } from './wording.js';

export class LiveSession {
  private readonly running: RunningProgram;
  private readonly log = new EventLog();
  private readonly history: History;
  private readonly served: ServedFiles;
  private readonly observing: Observing;
  private readonly outputListeners = new Set<(output: LiveOutput) => void>();
  private readonly recordListeners = new Set<() => void>();
  private handle: LiveHandle | undefined;
  private queue: Promise<void> = Promise.resolve();
  private ended = false;
  /** Milliseconds that the program stood still for the last change. */
  lastPauseMs = 0;

  /** @param file first file of the program; one that has only guests learns it from them */
  constructor(file: string, parts: LiveParts) {
    this.running = new RunningProgram(file, parts);
    this.history = new History(this.running);
    this.served = new ServedFiles(parts.language.translator);
    this.observing = new Observing(
      this.running,
      () => this.outputListeners.size > 0,
      () => this.tellRecord(),
    );
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

  // ---- who listens -------------------------------------------------------------

  onEvent(listener: (event: LiveEvent) => void): () => void {
    return this.log.listen(listener);
  }

  /** Calls back when the record is a new one. */
  onRecord(listener: () => void): () => void {
    this.recordListeners.add(listener);
    return () => this.recordListeners.delete(listener);
  }

  private tellRecord(): void {
    for (const listener of this.recordListeners) listener();
  }

  /** Tells what the program writes, beside where it writes it. */
  onOutput(listener: (output: LiveOutput) => void): () => void {
    const listen = (on: boolean): void => {
      if (this.outputListeners.size > 0) return;
      void this.handle?.change({ do: 'listen', on });
      if (this.observing.reports) return;
      for (const { guest } of this.running.targets) if (guest?.console) void guest.change({ do: 'report', on });
    };
    listen(true);
    this.outputListeners.add(listener);
    return () => {
      this.outputListeners.delete(listener);
      listen(false);
    };
  }

  // ---- start and end -----------------------------------------------------------

  /**
   * Starts the program. Returns the problems that keep it from starting, if any.
   *
   * @param onEnd called once, when the program has ended
   */
  start(onEnd: (stop: RawStop | undefined) => void): { file: string; line: number; message: string }[] {
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
    const request = { id: 1, entry: linked.entry, modules: linked.modules, hangMs: Infinity, asked: {} };
    this.handle = parts.host.start(request, this.sink(onEnd));
    main.target = this.handle;
    if (this.outputListeners.size > 0) void this.handle.change({ do: 'listen', on: true });
    return [];
  }

  private sink(onEnd: (stop: RawStop | undefined) => void): LiveSink {
    const { own, main, extensions } = this.running;
    return {
      batch: (batch) => this.take(main, batch),
      settled: () => undefined,
      idle: () => undefined,
      stopped: (stop) => {
        this.ended = true;
        this.log.sayRepeated();
        this.tellRecord();
        onEnd(stop);
      },
      needsProcess: () => undefined,
      looked: () => undefined,
      resolve: (specifier, from) => own.resolve(specifier, from),
      news: (news) => {
        if (news.is === 'extension') extensions.add(news.file);
        else if (news.is === 'output') for (const listener of this.outputListeners) listener(news);
        else
          this.tookBack('a change did not end, was stopped and is undone; the program goes on with what it had before');
      },
    };
  }

  stop(): void {
    this.handle?.cancel();
  }

  // ---- guests --------------------------------------------------------------------

  /** A thread, process or page takes part from now on. */
  join(guest: Guest): void {
    this.running.join(guest);
    this.tellRecord();
    if (this.observing.reports || (guest.console && this.outputListeners.size > 0))
      void guest.change({ do: 'report', on: true });
  }

  leave(id: string): void {
    if (this.running.leave(id)) this.tellRecord();
  }

  /** How many threads, processes and pages take part besides the program itself. */
  get participating(): number {
    return this.running.targets.length - 1;
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
   */
  serve(file: string, text?: string): Served | undefined {
    const { linker } = this.running;
    const isOwn = text === undefined || text === linker.textOf(file);
    const outline = isOwn ? linker.unit(file).outline : this.running.outlineFor(file, text);
    // With a syntax error it is the engine that says so.
    return outline && this.served.serve(file, outline);
  }

  /** A guest executes a module that it was served. */
  executed(id: string, file: string, version: number): void {
    const { running } = this;
    const state = running.guest(id);
    const served = this.served.find(file, version);
    if (!state || !served) return;
    const { outline, compiled } = served;
    running.execute(state, file, outline);
    const isFirst = (): boolean =>
      running.targetsOf(running.file).length === 0 ||
      importsFrom(outline, running.file, (specifier, from) => running.localFile(specifier, from));
    if (!running.hasProgram && isFirst()) running.file = file;
    if (compiled) state.guest!.know?.(servedCode(outline, compiled, file));
    // It may be an older text than the one others have, and others may be looked at.
    if (running.linker.overlay.has(file)) void this.then(file, () => this.apply([file], true));
    if (this.observing.wants(file)) void this.then(file, () => this.observing.beginIn(state, file));
  }

  /** What a guest reports. */
  reportedBy(id: string, batch: Batch): void {
    const state = this.running.guest(id);
    if (state) this.take(state, batch);
  }

  /** A guest has stopped a change that did not end, and taken it back. */
  stoppedIn(id: string): void {
    const { running } = this;
    const state = running.guest(id);
    const last = state && this.history.last(state);
    if (!state || !last) return;
    state.modules = last.get(state)!;
    last.delete(state);
    const seen = state.observation.watched;
    if (seen.length > 0) void this.then(seen[0]!, () => this.observing.again(seen, true, [state]));
    const where = running.hasProgram || running.targets.length > 2 ? ` in ${state.label}` : '';
    const rest = where === '' ? '; the page goes on with what it had before' : ' there';
    const text = `a change did not end${where}, was stopped and is undone${rest}`;
    this.log.say({ kind: 'undone', file: this.file, text, details: [] });
  }

  // ---- looking at the program ------------------------------------------------------

  /** What a target reports. */
  private take(state: TargetState, reported: Batch): void {
    const batch = presentBatch(this.running, state, reported);
    for (const event of errorEvents(this.running, state, batch.errors ?? [])) this.log.sayError(event);
    if (state.guest?.console && this.outputListeners.size > 0)
      for (const output of consoleOutput(batch)) for (const listener of this.outputListeners) listener(output);
    if (!this.observing.reports) return;
    this.running.observed.records.add(batch);
    const hot = batch.counts ? state.observation.tooHot() : [];
    if (hot.length > 0) void this.then(hot[0]!, () => this.observing.again(hot));
    this.tellRecord();
  }

  /**
   * Looks at a file: its functions are counted from their next call on, wherever it runs, and what it prints and where
   * it fails is recorded. It is no change of the program, and {@link unwatch} takes it away.
   *
   * @returns false where the file is no module of the program
   */
  async watch(file: string): Promise<boolean> {
    await this.then(file, () => this.observing.begin(file));
    return this.observing.observes(file);
  }

  /** Nobody looks at a file any more. */
  unwatch(file: string): Promise<void> {
    return this.then(file, () => this.observing.end(file));
  }

  /**
   * Shows the values of the function at a line, and of no other of the file; without a line, of none.
   *
   * @param line zero-based, of the text that runs
   * @returns its path in the file, or undefined where no function is that can be looked into
   */
  async openFunction(file: string, line: number | undefined): Promise<string | undefined> {
    let opened: string | undefined;
    await this.then(file, async () => void (opened = await this.observing.open(file, line)));
    return opened;
  }

  /** The function of a file whose values are shown, by its path. */
  openedFunction(file: string): string | undefined {
    return this.observing.opened(file);
  }

  /** What the program reported lately; see {@link watch}. */
  get record(): PadRecord {
    return this.running.observed.record({ ended: this.ended, problems: this.running.refused.problems });
  }

  /** Forgets what was printed and what went wrong. */
  clear(): void {
    this.running.observed.records.clear();
    this.tellRecord();
  }

  /** Opens what was reported or evaluated, or what was reached from it. */
  async look(request: LookRequest): Promise<LookAnswer> {
    const { numbering, targets } = this.running;
    const found = numbering.request(request);
    const state = found && targets.find((one) => one.index === found.target);
    if (!state) return { is: 'gone', why: found ? 'What held it has ended.' : 'It was reported too long ago.' };
    if (!state.target) return { is: 'gone', why: 'The program does not run.' };
    return numbering.answer(state.index, await state.target.look(found.request));
  }

  // ---- texts -----------------------------------------------------------------------

  /** True for a text that was not taken because it does not parse. */
  isWrong(file: string): boolean {
    return this.running.refused.isWrong(file);
  }

  /** The text of a file that runs, with what was entered for it. */
  runningText(file: string): string | undefined {
    return this.running.targetsOf(file)[0]?.modules.get(file)?.outline.parsed.text;
  }

  /** Text of a file as this session sees it: unsaved before saved. */
  textOf(file: string): string {
    return this.running.linker.textOf(file);
  }

  /** Takes an unsaved text of a file. */
  edit(file: string, text: string): Promise<void> {
    return this.then(file, async () => {
      this.running.linker.overlay.set(file, text);
      this.log.typed = true;
      try {
        await this.apply([file], true);
      } finally {
        this.log.typed = false;
      }
    });
  }

  /** The text of a file is the one on disk from now on. */
  forgetEdit(file: string): Promise<void> {
    // Behind the edits that are on their way.
    return this.then(file, () => Promise.resolve(void this.running.linker.overlay.delete(file)));
  }

  /**
   * Takes a save of one or more files: compares, plans, applies. Calls are taken one after the other.
   *
   * @param settled false while an editor may still be writing: a file that is empty now is left for later
   */
  changed(files: readonly string[], settled = true): Promise<void> {
    return this.then(files[0] ?? this.file, () => this.apply(files, settled));
  }

  private async apply(files: readonly string[], settled: boolean): Promise<void> {
    const read = await readTexts(this.running, files, settled, this.log.typed);
    if (read.is !== 'outlines') {
      this.tellRecord();
      if (read.is === 'refused') {
        const { file, text, details } = read;
        this.log.say({ kind: 'refused', file, text, details });
      }
      return;
    }
    if (read.outlines.length === 0) return;
    const extensions = changedExtensions(this.running, read.outlines);
    if (extensions.size > 0) await this.execute([...extensions]);
    const works = worksFor(this.running, read.outlines, extensions);
    if (works.length > 0) this.sayOutcome(await this.patch(works), 'saved');
  }

  // ---- changes -----------------------------------------------------------------------

  private async patch(given: readonly Work[]): Promise<Outcome> {
    const { works, asked } = askToReload(this.running, given);
    for (const { file, details } of asked)
      this.log.say({ kind: 'reloaded', file, text: 'the page is loaded anew', details });
    if (asked.length > 0) this.tellRecord();
    const outcome = await applyWorks(this.running, this.observing, this.history, works);
    if (outcome.is === 'applied') this.lastPauseMs = outcome.done.at(-1)?.answer?.pauseMs ?? this.lastPauseMs;
    return outcome;
  }

  /** Says what became of a change. @returns why nothing did, for what was entered */
  private sayOutcome(outcome: Outcome, how: 'saved' | 'entered'): Extract<Entered, { is: 'failed' }> | undefined {
    const { running } = this;
    if (outcome.is === 'applied') {
      this.sayDone(outcome.done, how);
      return undefined;
    }
    const event: LiveEvent =
      outcome.is === 'refused'
        ? { kind: 'refused', file: outcome.file, text: outcome.text, details: outcome.details }
        : failedEvent(
            outcome.answer,
            outcome.steps,
            outcome.file,
            running.isNamed(outcome.state) ? ` in ${outcome.state.label}` : '',
          );
    if (how === 'entered') return { is: 'failed', text: event.text, details: event.details };
    if (outcome.is === 'refused' || outcome.state !== running.main)
      running.refused.refuse(event.file, running.linker.unit(event.file).text);
    this.log.say(event);
    return undefined;
  }

  /** One line for each file: what became of it in the program itself, or where there is none, in the first target that has it. */
  private sayDone(done: readonly Applied[], how: 'saved' | 'entered'): void {
    const { main, hasProgram } = this.running;
    const files = new Set(done.flatMap(({ work }) => work.plans.map((plan) => plan.file)));
    for (const file of files) {
      const all = done.filter(({ work }) => work.plans.some((plan) => plan.file === file));
      const spoken = all.find(({ work }) => work.state === main) ?? all[0]!;
      const plan = spoken.work.plans.find((one) => one.file === file)!;
      const isMain = spoken.work.state === main;
      const others = all.filter((one) => one !== spoken || !isMain).map(({ work }) => work.state.label);
      const where = hasProgram ? placesText(others, isMain) : '';
      const details = plan.notes.flatMap(({ name, reason }) => (reason === undefined ? [] : [`${name}: ${reason}`]));
      const text = `${how === 'entered' ? 'entered: ' : ''}${planText(plan)}${alsoText(spoken.answer)}${where}`;
      this.log.say({ kind: 'patched', file, text, details, plan });
    }
  }

  /** Takes the last change back; false where there is none. The files stay as they are. */
  async undo(): Promise<boolean> {
    const { main } = this.running;
    let done = false;
    await this.then(this.file, async () => {
      const last = this.history.last();
      if (!last) return;
      if (last.has(main) && (await main.target?.change({ do: 'undo' }))?.failed) return;
      this.tookBack('the last change is undone', last);
      done = true;
    });
    return done;
  }

  /** A change is taken back: the program itself has done so, the others are told. */
  private tookBack(text: string, before: Before | undefined = this.history.last(this.running.main)): void {
    const { main, targets, refused, linker } = this.running;
    if (before) this.history.forget(before);
    const changed = new Set<string>();
    for (const [state, modules] of before ?? []) {
      if (!targets.includes(state)) continue;
      for (const [file, module] of modules) if (state.modules.get(file) !== module) changed.add(file);
      state.modules = new Map(modules);
      if (state !== main) void state.target?.change({ do: 'undo' });
    }
    for (const file of changed) refused.refuse(file, linker.unit(file).text);
    const seen = [...changed].filter((file) => this.observing.observes(file));
    // Behind what is going on: an undo is itself taken in turn.
    if (seen.length > 0) void this.then(seen[0]!, () => this.observing.again(seen, true));
    this.log.say({ kind: 'undone', file: [...changed][0] ?? this.file, text, details: [] });
  }

  /** Executes a module and what imports it again, in order; state that it carries stays. */
  reload(file: string): Promise<void> {
    return this.then(file, () => this.execute([file]));
  }

  private async execute(files: readonly string[]): Promise<void> {
    const { running } = this;
    const file = files[0]!;
    if (!running.main.modules.has(file)) {
      const guests = running.targetsOf(file).flatMap(({ guest }) => (guest ? [guest] : []));
      for (const guest of guests) guest.reload?.('it was asked for');
      if (guests.some((guest) => guest.reload)) return;
      const text = 'nothing reloaded: only modules of the program itself are executed again';
      this.log.say({ kind: 'refused', file, text, details: [] });
      return;
    }
    const reload = await reloadModules(running, this.handle, files);
    switch (reload.is) {
      case 'refused':
        this.log.say({ kind: 'refused', file: reload.file, text: reload.text, details: reload.details });
        break;
      case 'failed': {
        const { error } = reload.answer.failed!;
        const at = error.frames.find((frame) => frame.local && frame.line >= 0);
        const text = 'reload failed: the modules stay as they were, what they disposed of stays so';
        const details = [`${at ? `line ${at.line + 1}  ` : ''}${error.name}: ${error.message}`];
        this.log.say({ kind: 'failed', file, text, details });
        break;
      }
      case 'done': {
        this.history.clear();
        const seen = reload.files.filter((one) => this.observing.observes(one));
        await this.observing.again(seen, true, [running.main]);
        const others = reload.files.filter((one) => !files.includes(one)).length;
        const with_ = others > 0 ? ` with ${others} that depend${others === 1 ? 's' : ''} on it` : '';
        this.log.say({ kind: 'reloaded', file, text: `reloaded${with_}${alsoText(reload.answer)}`, details: [] });
        break;
      }
    }
  }

  /** Statements that saves brought and that were not run, by file. */
  get waitingStatements(): ReadonlyMap<string, readonly Waiting[]> {
    const all = new Map<string, readonly Waiting[]>();
    for (const { waiting } of this.running.targets)
      for (const [file, list] of waiting) if (!all.has(file)) all.set(file, list);
    return all;
  }

  /** Runs the statements of a file that wait, in their order, wherever the file runs; all, or the one on a line (from 0). */
  async runWaiting(file: string, line?: number): Promise<void> {
    await this.then(file, async () => {
      for (const state of this.running.targetsOf(file)) {
        const list = state.waiting.get(file) ?? [];
        for (const entry of list.filter((one) => line === undefined || one.line === line)) {
          const step: Step = { kind: 'run', file, name: entry.text, code: entry.code };
          await this.takeStep(state, step, `line ${entry.line + 1} ran: ${entry.text}`);
          list.splice(list.indexOf(entry), 1);
        }
      }
    });
  }

  /** Gives a name whose live value was kept the value that the text gives it now; false where nothing was kept. */
  async reset(file: string, name: string): Promise<boolean> {
    const kept = this.running.targets.filter(({ resets }) => resets.get(file)?.has(name));
    if (kept.length === 0) return false;
    await this.then(file, async () => {
      for (const state of kept) {
        const resets = state.resets.get(file);
        const step = resets?.get(name);
        if (step) await this.takeStep(state, step, `${name} reset`);
        resets?.delete(name);
      }
    });
    return true;
  }

  private async takeStep(state: TargetState, step: Step, text: string): Promise<void> {
    if (!state.target) return;
    const answer = await state.target.change({ do: 'patch', steps: [step], links: [], modules: [] });
    if (answer.failed) {
      this.log.say(failedEvent(answer, [step], step.file));
      return;
    }
    this.history.keep(new Map([[state, new Map(state.modules)]]));
    const where = this.running.isNamed(state) ? ` in ${state.label}` : '';
    this.log.say({ kind: 'patched', file: step.file, text: `${text}${where}`, details: [] });
  }

  // ---- the prompt ------------------------------------------------------------------

  /**
   * Evaluates what a person enters inside a module: statements run once, functions and classes that the module has
   * are patched, other declarations join the module until it is executed again.
   *
   * @param where label of the target, where the file runs in several; see {@link whereIs}
   */
  async evaluate(file: string, text: string, where?: string): Promise<Entered> {
    let entered: Entered | undefined;
    let running:
      { answer: Promise<LiveAnswer> | undefined; state: TargetState; firstLine: number; changes: string } | undefined;
    await this.then(file, async () => {
      const state = this.running.targetFor(file, where);
      const module = state?.modules.get(file);
      if (!module || !state?.target) {
        const why = module ? 'the program does not run' : this.whyNot(file, where);
        entered = { is: 'failed', text: why, details: [] };
        return;
      }
      const entry = planEntry(this.running, module, text);
      if ('is' in entry) {
        entered = entry;
        return;
      }
      const { plan, statements, firstLine } = entry;
      if (plan.steps.length > 0 || plan.notes.length > 0) {
        const outcome = await this.patch([{ state, plans: withFollowing(this.running, state, [plan]) }]);
        entered = this.sayOutcome(outcome, 'entered');
        if (entered) return;
      }
      state.modules.set(file, plan.next);
      // It may wait for long: others are taken meanwhile.
      const answer =
        statements.length > 0 ? state.target.change({ do: 'evaluate', file, codes: codesOf(statements) }) : undefined;
      running = { answer, state, firstLine, changes: changesText(plan) };
    });
    if (entered) return entered;
    // Said already, where it could not even be planned.
    if (!running) return { is: 'failed', text: 'it could not be taken', details: [] };
    const { answer: asked, state, firstLine, changes } = running;
    const answer = await asked;
    if (answer?.failed) return thrown(answer, file, firstLine, changes);
    const { numbering, hasProgram, main } = this.running;
    const result = answer?.result && {
      ...answer.result,
      moment: numbering.result(state.index, answer.result.moment),
    };
    const told = this.whereIs(file).length > 1 || (state !== main && hasProgram);
    return {
      is: 'done',
      changes,
      pauseMs: answer?.pauseMs ?? 0,
      ...(result ? { result } : {}),
      ...(told ? { where: state.label } : {}),
    };
  }

  private whyNot(file: string, where: string | undefined): string {
    const known = this.whereIs(file);
    if (known.length > 0)
      return `it does not run in ${where}; it runs in ${known.map((one) => one || 'the program').join(', ')}`;
    return this.running.hasProgram || this.participating > 0
      ? `${file} is no module of this program`
      : 'no page is open: open one, and enter it again';
  }

  /** Names that can be written behind a text, from the objects that live; no getter is run. */
  async complete(file: string, text: string, where?: string): Promise<{ from: number; names: NameFound[] }> {
    const unfinished = unfinishedAt(text);
    const state = this.running.targetFor(file, where);
    const module = state?.modules.get(file);
    if (!unfinished || !module || !state?.target) return { from: text.length, names: [] };
    const names = await completeNames(this.running, module, state.target, unfinished);
    return { from: text.length - unfinished.prefix.length, names };
  }

  // ----------------------------------------------------------------------------------

  /**
   * Plans a change of the program's largest file that nobody has made, and forgets it: so the engine has made its mind up
   * about this code before the first save. A step takes as long as a save does.
   */
  rehearse(step: number): void {
    if (this.ended) return;
    const planned = planRehearsal(this.running, step);
    if (planned) planChanges(planned.module, planned.outline, this.running.parts.language.translator);
  }

  private then(file: string, work: () => Promise<void>): Promise<void> {
    this.queue = this.queue.then(work).catch((error: unknown) => {
      const text = `could not be applied: ${(error as Error).message}`;
      this.log.say({ kind: 'failed', file, text, details: [] });
    });
    return this.queue;
  }
}
