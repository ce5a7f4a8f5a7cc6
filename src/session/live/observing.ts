/**
 * Looks at a running program: functions of the files that somebody looks at
 * are counted from their next call on, and one shows its values. It is no
 * change of the program, and goes away when nobody looks.
 */
import type { ObservationPlan } from './observation.js';
import type { Observe } from '../../wire/modules.js';
import type { Selected } from '../../syntax/selection.js';
import type { RunningProgram } from './running.js';
import type { TargetState } from './target-state.js';

/** Milliseconds of one job of the program in which functions are given versions that report. */
const BUDGET_MS = 1;

/** Functions that are sent for one job: more than fit in it, and not all of a large file each time. */
const SENT_AT_ONCE = 40;

export class Observing {
  /** Files that somebody looks at, with the path of the function whose values are shown. */
  private readonly files = new Map<string, string | undefined>();
  private selected: Selected | undefined;
  private holds = false;
  /** Whom calls of all functions work for is known; by file, the paths of those whose values are told. */
  private joining: ReadonlyMap<string, ReadonlySet<string>> | undefined;
  /** What is looked at is reported. */
  reports = false;

  constructor(
    private readonly running: RunningProgram,
    /** Somebody reads what guests write, which they report with the rest. */
    private readonly isHeard: () => boolean,
    private readonly onRecord: () => void,
  ) {}

  wants(file: string): boolean {
    return this.files.has(file);
  }

  private selectedIn(file: string): Selected | undefined {
    return this.files.get(file) === undefined ? undefined : this.selected;
  }

  /** Files that somebody looks at. */
  get looked(): string[] {
    return [...this.files.keys()];
  }

  /** True for a file of which functions report somewhere. */
  observes(file: string): boolean {
    return this.running.targets.some(({ observation }) => observation.observes(file));
  }

  /** Functions of a file have versions that report, or stop. */
  has(file: string): boolean {
    return this.running.targets.some(({ observation }) => observation.has(file));
  }

  /** The function of a file whose values are shown, by its path. */
  opened(file: string): string | undefined {
    return this.files.get(file);
  }

  async begin(file: string): Promise<void> {
    if (!this.files.has(file)) this.files.set(file, undefined);
    for (const target of this.running.targetsOf(file)) await this.beginIn(target, file);
  }

  async beginIn(state: TargetState, file: string): Promise<void> {
    if (!state.target || !state.modules.has(file) || !this.files.has(file)) return;
    await this.report(true);
    state.observation.begin(file, this.files.get(file), this.selectedIn(file));
    await this.again([file], true, [state]);
  }

  /**
   * Looks at a module that is about to run: the target is asked before this returns. What cannot be observed yet, as
   * classes that are not made, is once the module has run.
   *
   * @returns that, to be called in turn
   */
  beginNow(state: TargetState, file: string): () => Promise<void> {
    const module = state.modules.get(file);
    const nothing = (): Promise<void> => Promise.resolve();
    if (!state.target || !module || !this.files.has(file)) return nothing;
    this.reports = true;
    void state.target.change({ do: 'report', on: true });
    state.observation.begin(file, this.files.get(file), this.selectedIn(file));
    const plan = state.observation.plan(file, module, undefined, true);
    if (!plan) return nothing;
    state.modules.set(file, plan.next);
    // What it reports may be here before the answer is.
    plan.taken([]);
    const answered = state.target.change({ do: 'observe', observe: plan.observe });
    void answered.then(({ unobserved = [] }) => {
      if (unobserved.length > 0) plan.taken(unobserved);
    });
    return async () => {
      if (!(await answered).unobserved) return;
      state.observation.forgive(file);
      await this.again([file], false, [state]);
    };
  }

  /** What modules of the program itself are asked before they run: to stop, to be held, to report. */
  first(files: readonly string[], holds = this.holds): Observe {
    const { main, stops } = this.running;
    const { observation, modules } = main;
    const observe: Observe = { steps: [], units: [], release: [], gone: [] };
    for (const file of files) {
      const module = modules.get(file);
      if (!module) continue;
      if (stops.files.includes(file)) observation.beginStops(file);
      if (holds) observation.hold(file, true);
      if (this.joining) observation.join(file, true, this.joining.get(file));
      if (this.files.has(file)) observation.begin(file, this.files.get(file), this.selectedIn(file));
      const plan = observation.plan(file, module, undefined, true);
      if (!plan) continue;
      modules.set(file, plan.next);
      plan.taken([]);
      observe.steps = [...observe.steps, ...plan.observe.steps];
      observe.units.push(...plan.observe.units);
    }
    return observe;
  }

  /** The breakpoints of a file are others: functions get versions that stop, or the ones they had. */
  async restop(file: string, targets: readonly TargetState[] = this.running.targetsOf(file)): Promise<void> {
    const any = this.running.stops.files.includes(file);
    for (const state of targets) {
      if (any) state.observation.beginStops(file);
      await this.tidy(state, file);
    }
  }

  /** Calls of all functions are held from now on where they fail, or no longer. */
  async hold(on: boolean): Promise<void> {
    this.holds = on;
    for (const state of this.running.targets)
      for (const file of [...state.modules.keys()]) {
        state.observation.hold(file, on);
        await this.tidy(state, file);
      }
  }

  /**
   * Whom calls work for is known from now on, or no longer.
   *
   * @param serving by file, paths of functions whose values are told for the calls that are asked for; undefined for no
   * more of all this
   */
  async join(serving: ReadonlyMap<string, ReadonlySet<string>> | undefined): Promise<void> {
    this.joining = serving;
    if (serving) await this.report(true);
    for (const state of this.running.targets)
      for (const file of [...state.modules.keys()]) {
        state.observation.join(file, serving !== undefined, serving?.get(file));
        await this.tidy(state, file);
      }
    if (!serving) await this.rest();
  }

  /** The same for a module that a target has begun to execute. */
  async joinIn(state: TargetState, file: string): Promise<void> {
    if (!this.joining) return;
    state.observation.join(file, true, this.joining.get(file));
    await this.again([file], false, [state]);
  }

  /** The same for a module that a target has begun to execute. */
  async holdIn(state: TargetState, file: string): Promise<void> {
    state.observation.hold(file, true);
    await this.again([file], false, [state]);
  }

  /** Further functions of a file ask before each of their statements: by path, all, or none besides. */
  async step(state: TargetState, file: string, which: 'all' | 'none' | readonly string[]): Promise<void> {
    state.observation.step(file, which);
    await this.tidy(state, file);
  }

  /** Functions of a file get the versions that are wanted now; where none is, those that they had. */
  private async tidy(state: TargetState, file: string): Promise<void> {
    const { observation, target } = state;
    if (!observation.has(file)) return;
    const isWanted =
      observation.observes(file) ||
      observation.steps(file) ||
      observation.joins(file) ||
      this.holds ||
      this.running.stops.files.includes(file);
    if (isWanted) await this.again([file], false, [state]);
    else await target?.change({ do: 'observe', observe: observation.end(file) });
  }

  async end(file: string): Promise<void> {
    this.files.delete(file);
    for (const state of this.running.targets) {
      const { observation } = state;
      if (!observation.observes(file)) continue;
      observation.rest(file);
      await this.tidy(state, file);
    }
    await this.rest();
  }

  /** Nothing is reported any more where nobody looks. */
  private async rest(): Promise<void> {
    const isLooked = this.running.targets.some(({ observation }) => observation.observed.length > 0);
    if (!isLooked && !this.joining) await this.report(false);
  }

  /**
   * Shows the values of the function at a line (from 0), and of no other of the file.
   *
   * @param selected an expression in it that reports too
   * @returns its path in the file, or undefined where no function is that can be looked into
   */
  async open(file: string, line: number | undefined, selected?: Selected): Promise<string | undefined> {
    const before = this.opened(file);
    // A page that is loaded anew is to be asked the same.
    if (line !== undefined && before !== undefined && !this.observes(file)) return before;
    let opened: string | undefined;
    for (const { observation } of this.running.targets)
      if (observation.observes(file)) opened = observation.open(file, line, selected) ?? opened;
    if (this.files.has(file)) this.files.set(file, opened);
    const isNew = opened !== before || selected?.start !== this.selected?.start || selected?.end !== this.selected?.end;
    this.selected = selected;
    if (isNew) await this.again([file]);
    return opened;
  }

  private async report(on: boolean): Promise<void> {
    if (this.reports === on) return;
    this.reports = on;
    for (const { target, guest } of this.running.targets)
      if (on || !guest?.console || !this.isHeard()) await target?.change({ do: 'report', on });
  }

  /** Observes files anew, as they run now. */
  async again(
    files: readonly string[],
    all = false,
    targets: readonly TargetState[] = this.running.targets,
  ): Promise<void> {
    for (const state of targets)
      for (const file of files) {
        const module = state.modules.get(file);
        const plan = module && state.observation.plan(file, module, undefined, all);
        if (!plan || !state.target) continue;
        const failed = await this.apply(state.target, plan);
        if (!failed) continue;
        state.modules.set(file, plan.next);
        plan.taken(failed);
      }
    this.onRecord();
  }

  /** Returns the steps that could not be taken; undefined when the program has ended. */
  private async apply(
    target: NonNullable<TargetState['target']>,
    { observe: { steps, units, release, gone } }: ObservationPlan,
  ): Promise<{ step: number; message: string }[] | undefined> {
    const failed: { step: number; message: string }[] = [];
    let ended = false;
    this.running.lastPauseMs = 0;
    // A large file in several jobs: each function is observed by itself, and the program is not to stand still for all.
    for (let from = 0; !ended && (from === 0 || from < steps.length);) {
      const observe = {
        steps: steps.slice(from, from + SENT_AT_ONCE),
        units: from === 0 ? units : [],
        release: from === 0 ? release : [],
        gone: [],
      };
      const first = from;
      const answer = await target.change({ do: 'observe', observe, budgetMs: BUDGET_MS });
      ended = answer.failed !== undefined;
      this.running.lastPauseMs = Math.max(this.running.lastPauseMs, answer.pauseMs);
      failed.push(...(answer.unobserved ?? []).map(({ step, message }) => ({ step: step + first, message })));
      // At least one each time, also from a target that does not say how many.
      from += Math.max(1, answer.taken ?? SENT_AT_ONCE);
    }
    if (!ended && gone.length > 0)
      await target.change({ do: 'observe', observe: { steps: [], units: [], release: [], gone } });
    return ended ? undefined : failed;
  }
}
