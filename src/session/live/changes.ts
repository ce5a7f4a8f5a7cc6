/** Changes of a running program: what is saved, undone, executed again, run and reset. Tells what became of each. */
import { planText } from '../../patch/notes.js';
import type { Step } from '../../wire/steps.js';
import { applyWorks, askToReload, type Applied, type Outcome, type Work } from './applying.js';
import { DataFiles, differingPaths } from './data-files.js';
import type { EventLog } from './event-log.js';
import type { Entered, LiveEvent, LiveHandle } from './events.js';
import { History, type Before } from './history.js';
import type { Observing } from './observing.js';
import { reloadModules } from './reloading.js';
import type { RunningProgram } from './running.js';
import { changedExtensions, readTexts, worksFor } from './saving.js';
import type { TargetState } from './target-state.js';
import type { Turns } from './turns.js';
import { alsoText, failedEvent, placesText } from './wording.js';

export class Changes {
  readonly history: History;
  readonly data: DataFiles;
  /** The program itself, once it has started. */
  handle: LiveHandle | undefined;

  constructor(
    private readonly running: RunningProgram,
    private readonly log: EventLog,
    private readonly turns: Turns,
    private readonly observing: Observing,
    private readonly tellRecord: () => void,
    private readonly onChanged: (names: ReadonlyMap<string, ReadonlySet<string>>) => void,
  ) {
    this.history = new History(running);
    this.data = new DataFiles(running);
  }

  /** Takes texts: compares, plans, applies. */
  async apply(files: readonly string[]): Promise<void> {
    for (const file of files) if (this.data.has(file)) await this.applyData(file);
    const read = await readTexts(this.running, files, this.log.typed);
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
    if (extensions.size > 0) await this.reload([...extensions]);
    const works = worksFor(this.running, read.outlines, extensions);
    if (works.length > 0) this.sayOutcome(await this.patch(works), 'saved');
  }

  /** Takes a data file: the objects that the program has of it hold what it holds now. */
  private async applyData(file: string): Promise<void> {
    const { running, data } = this;
    const read = data.read(file);
    if (read.is === 'same') return;
    if (read.is === 'refused') {
      this.log.say({ kind: 'refused', file, text: read.text, details: read.details });
      return;
    }
    if (read.is === 'cannot') {
      const guests = running.targets.flatMap(({ guest }) => (guest?.reload ? [guest] : []));
      for (const guest of guests) {
        guest.reload!(read.details.join('; '));
        running.leave(guest.id);
      }
      if (guests.length > 0) {
        this.log.say({ kind: 'reloaded', file, text: 'begun anew, to read it', details: read.details });
        this.tellRecord();
      }
      if (running.targets.some(({ target, guest }) => target && !guest?.reload))
        this.log.say({ kind: 'refused', file, text: 'nothing changed: it takes a restart', details: read.details });
      return;
    }
    const outcome = await this.patch(read.works);
    if (outcome.is !== 'applied') {
      this.sayOutcome(outcome, 'saved');
      return;
    }
    data.took(file, read.text);
    const taken = differingPaths(read.before, read.text);
    this.log.say({
      kind: 'patched',
      file,
      text: `${taken === '' ? 'the same data' : `${taken} taken in place`}`,
      details: [],
    });
    // What modules have computed from it.
    const computed = outcome.done.filter(({ work }) => work.plans.some((plan) => plan.notes.length > 0));
    if (computed.length > 0)
      this.sayDone(
        computed.map((one) => ({
          ...one,
          work: { ...one.work, plans: one.work.plans.filter(({ notes }) => notes.length > 0) },
        })),
        'saved',
      );
  }

  /** Applies works; pages that cannot take them begin anew. */
  async patch(given: readonly Work[]): Promise<Outcome> {
    const { works, asked } = askToReload(this.running, given);
    for (const { file, details } of asked)
      this.log.say({ kind: 'reloaded', file, text: 'the page is loaded anew', details });
    if (asked.length > 0) this.tellRecord();
    const outcome = await applyWorks(this.running, this.observing, this.history, works);
    this.tellChanged(outcome);
    if (outcome.is === 'applied')
      this.running.lastPauseMs = outcome.done.at(-1)?.answer?.pauseMs ?? this.running.lastPauseMs;
    return outcome;
  }

  /** Says what became of a change. @returns why nothing did, for what was entered */
  sayOutcome(outcome: Outcome, how: 'saved' | 'entered'): Extract<Entered, { is: 'failed' }> | undefined {
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

  /**
   * One line for each file: what became of it in the program itself, or where there is none, in the first target that
   * has it.
   */
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

  /** Tells which names an outcome has changed, by file. */
  private tellChanged(outcome: Outcome): void {
    if (outcome.is !== 'applied') return;
    const names = new Map<string, Set<string>>();
    for (const { work } of outcome.done)
      for (const { file, notes } of work.plans) {
        const known = names.get(file) ?? new Set<string>();
        for (const { kind, name } of notes) if (kind === 'patched' || kind === 'added') known.add(name);
        names.set(file, known);
      }
    this.onChanged(names);
  }

  /** Takes the last change back; false where there is none. The files stay as they are. */
  async undo(): Promise<boolean> {
    const { main } = this.running;
    let done = false;
    await this.turns.then(this.running.file, async () => {
      const last = this.history.last();
      if (!last) return;
      if (last.has(main) && (await main.target?.change({ do: 'undo' }))?.failed) return;
      this.tookBack('the last change is undone', last);
      done = true;
    });
    return done;
  }

  /** A change is taken back: the program itself has done so, the others are told. */
  tookBack(text: string, before: Before | undefined = this.history.last(this.running.main)): void {
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
    const seen = [...changed].filter((file) => this.observing.has(file));
    // Behind what is going on: an undo is itself taken in turn.
    if (seen.length > 0) void this.turns.then(seen[0]!, () => this.observing.again(seen, true));
    this.log.say({ kind: 'undone', file: [...changed][0] ?? this.running.file, text, details: [] });
  }

  /** A guest has stopped a change that did not end, and taken it back. */
  stoppedIn(state: TargetState): void {
    const { running } = this;
    const last = this.history.last(state);
    if (!last) return;
    state.modules = last.get(state)!;
    last.delete(state);
    const seen = state.observation.touched;
    if (seen.length > 0) void this.turns.then(seen[0]!, () => this.observing.again(seen, true, [state]));
    const where = running.hasProgram || running.targets.length > 2 ? ` in ${state.label}` : '';
    const rest = where === '' ? '; the page goes on with what it had before' : ' there';
    const text = `a change did not end${where}, was stopped and is undone${rest}`;
    this.log.say({ kind: 'undone', file: running.file, text, details: [] });
  }

  /** Executes modules and what imports them again, in order. */
  async reload(files: readonly string[]): Promise<void> {
    const { running } = this;
    const file = files[0]!;
    if (!running.main.modules.has(file)) {
      const guests = running.targetsOf(file).flatMap(({ guest }) => (guest ? [guest] : []));
      const anew = guests.filter((guest) => guest.reload);
      for (const guest of anew) guest.reload!('it was asked for');
      if (anew.length > 0) {
        const text = `begun anew: ${anew.map(({ label }) => label).join(', ')}`;
        this.log.say({ kind: 'reloaded', file, text, details: [] });
        return;
      }
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
        const seen = reload.files.filter((one) => this.observing.has(one));
        await this.observing.again(seen, true, [running.main]);
        const others = reload.files.filter((one) => !files.includes(one)).length;
        const with_ = others > 0 ? ` with ${others} that depend${others === 1 ? 's' : ''} on it` : '';
        this.log.say({ kind: 'reloaded', file, text: `reloaded${with_}${alsoText(reload.answer)}`, details: [] });
        break;
      }
    }
  }

  /**
   * Runs the statements of a file that wait, in their order, wherever the file runs; all, or the one on a line (from
   * 0).
   */
  async runWaiting(file: string, line?: number): Promise<void> {
    for (const state of this.running.targetsOf(file)) {
      const list = state.waiting.get(file) ?? [];
      for (const entry of list.filter((one) => line === undefined || one.line === line)) {
        const step: Step = { kind: 'run', file, name: entry.text, code: entry.code };
        await this.takeStep(state, step, `line ${entry.line + 1} ran: ${entry.text}`);
        list.splice(list.indexOf(entry), 1);
      }
    }
  }

  /** Gives a name whose live value was kept the value that the text gives it now; false where nothing was kept. */
  async reset(file: string, name: string): Promise<boolean> {
    const kept = this.running.targets.filter(({ resets }) => resets.get(file)?.has(name));
    if (kept.length === 0) return false;
    await this.turns.then(file, async () => {
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
}
