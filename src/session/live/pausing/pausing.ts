/**
 * Breakpoints of a live program, and its targets that stand still: what each tells is put into the texts as they are
 * now, and what a person asks goes to the one that is meant.
 */
import { isAsyncAt, isCaught, named } from './frames.js';
import { doneIn } from '../holding/already-done.js';
import { frameCode } from '../../../patch/frame-code.js';
import type { Outline } from '../../../syntax/outline.js';
import type { Going, PauseAnswer, PauseNews, PauseScope, StopsAtErrors } from '../../../wire/pausing.js';
import type { RunAsked } from '../../../wire/runs.js';
import type { RawError } from '../../../wire/reports.js';
import type { Entered } from '../events.js';
import type { Observing } from '../observing.js';
import { presentError, presentFrame } from '../reports.js';
import type { RunningProgram } from '../running.js';
import type { LiveTarget, TargetState } from '../target-state.js';
import type { Turns } from '../turns.js';
import type { Breakpoint, BreakpointAsked } from './breakpoints.js';
import type { PausingFace } from './face.js';
import { PointSteps } from './point-steps.js';
import { NOTHING_STANDS as NOTHING } from './told.js';
import type { Evaluated, PauseEvent, PauseOutcome, Standing, WatchedField } from './told.js';

export type { Evaluated, PauseEvent, PauseOutcome, Standing, StandingFrame, WatchedField } from './told.js';

export class Pausing implements PausingFace {
  private readonly standing = new Map<TargetState, Standing>();
  private readonly watched = new Map<number, { state: TargetState; field: WatchedField }>();
  private readonly listeners = new Set<(event: PauseEvent) => void>();
  private atErrors: StopsAtErrors = 'none';
  private readonly steps: PointSteps;

  constructor(
    private readonly running: RunningProgram,
    private readonly observing: Observing,
    private readonly turns: Turns,
  ) {
    this.steps = new PointSteps(running, observing, turns);
  }

  /** Calls back when a target stops, goes on, or a breakpoint acts. */
  listen(listener: (event: PauseEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  private say(event: PauseEvent): void {
    for (const listener of this.listeners) listener(event);
  }

  /** Targets that stand still, the one that has stood longest first. */
  get all(): Standing[] {
    return [...this.standing.values()];
  }

  /** All breakpoints that are set. */
  get breakpoints(): Breakpoint[] {
    return this.running.stops.list.map((one) => this.asItActs(one));
  }

  /** At which errors targets stop. */
  get stopsAtErrors(): StopsAtErrors {
    return this.atErrors;
  }

  /** Sets a breakpoint; its state tells whether it can act. */
  async set(asked: BreakpointAsked): Promise<Breakpoint> {
    const { running } = this;
    const outline = running.targetsOf(asked.file)[0]?.modules.get(asked.file)?.outline;
    const made = running.stops.add(asked, outline);
    await this.tell(asked.file);
    return this.asItActs(running.stops.get(made.id) ?? made);
  }

  /** Where a file runs only in what does not stand still, a breakpoint that prints nothing does nothing. */
  private asItActs(made: Breakpoint): Breakpoint {
    const { state, message, file } = made;
    if (state !== 'set' || message !== undefined) return made;
    const targets = this.running.targetsOf(file);
    if (targets.length === 0 || targets.some(({ guest }) => guest?.runsOn !== true)) return made;
    return { ...made, state: 'nowhere', why: `${targets[0]!.label} does not stand still: there it can only print` };
  }

  /** Fields of single objects that are looked at. */
  get fields(): WatchedField[] {
    return [...this.watched.values()].map(({ field }) => field);
  }

  /**
   * Stops at writes to a field of one object. An accessor takes its place meanwhile, which the program could see.
   *
   * @param text code that names it, as `chamber.level`
   * @param at a frame of what stands still, from the innermost out; the module of `file` by default
   */
  async watch(
    text: string,
    { frame, file = this.running.file, where }: { frame?: number; file?: string; where?: string } = {},
  ): Promise<PauseOutcome<{ is: 'watched'; field: WatchedField }>> {
    const [, object, dotted, indexed] =
      /^(.*\S)\s*(?:\.\s*([\p{ID_Start}$_][\p{ID_Continue}$]*)|\[\s*(\d+)\s*\])\s*$/su.exec(text) ?? [];
    const key = dotted ?? indexed;
    if (object === undefined || key === undefined) return cannot('it has to name a field, as chamber.level does');
    const state = this.targetAt(where);
    if (!state?.target?.pause) return cannot('there is nothing that could stand still');
    const compiled = await this.compiled(state, object, frame, file);
    if ('problem' in compiled) return cannot(compiled.problem);
    const id = this.running.stops.nextId();
    const place = frame === undefined ? {} : { frame };
    const answer = await state.target.pause({ do: 'watch', id, key, code: compiled.code, file, ...place });
    if (answer.is === 'threw') return cannot(`${answer.error.name}: ${answer.error.message}`);
    if (answer.is === 'cannot') return answer;
    const field = { id, text, where: state.label };
    this.watched.set(id, { state, field });
    this.say({ is: 'breakpoints' });
    return { is: 'watched', field };
  }

  /** Takes a breakpoint, or a field that is looked at, away; false where there is none of that number. */
  async remove(id: number): Promise<boolean> {
    const watched = this.watched.get(id);
    if (watched) {
      this.watched.delete(id);
      await watched.state.target?.pause?.({ do: 'unwatch', id });
      this.say({ is: 'breakpoints' });
      return true;
    }
    const gone = this.running.stops.remove(id);
    if (!gone) return false;
    await this.tell(gone.file);
    return true;
  }

  /** Takes all breakpoints of a file away. */
  async clear(file: string): Promise<void> {
    for (const { id, file: of } of this.breakpoints) if (of === file) this.running.stops.remove(id);
    await this.tell(file);
  }

  private async tell(file: string): Promise<void> {
    await this.turns.then(file, async () => {
      for (const state of this.running.targets) await this.tellRules(state);
      await this.observing.restop(file);
    });
    if (this.running.stops.files.length === 0) await this.steps.cleared();
    this.say({ is: 'breakpoints' });
  }

  private async tellRules({ target }: TargetState): Promise<void> {
    await target?.pause?.({ do: 'breakpoints', list: this.running.stops.rules });
  }

  /** Stops at errors from now on, at all or at those that no code of the program catches; or no longer. */
  async stopAtErrors(which: StopsAtErrors): Promise<PauseOutcome<{ is: 'done' }>> {
    this.atErrors = which;
    const answers: PauseAnswer[] = [];
    for (const { target } of this.running.targets)
      if (target?.pause) answers.push(await target.pause({ do: 'errors', which }));
    const [first] = answers;
    // Where one can, the others run on.
    const isRefused = which !== 'none' && first?.is === 'cannot' && answers.every(({ is }) => is === 'cannot');
    if (isRefused) this.atErrors = 'none';
    this.say({ is: 'breakpoints' });
    return isRefused ? first : { is: 'done' };
  }

  /**
   * What the program is asked before its first line runs.
   *
   * @param pause it stops there
   * @param hold calls that fail in these files are held
   */
  asked(pause: boolean, hold: { limitMs: number; files: readonly string[] } | undefined): RunAsked {
    const { stops } = this.running;
    if (!pause && stops.files.length === 0 && this.atErrors === 'none' && !hold) return {};
    const observe = this.observing.first(hold?.files ?? stops.files, hold !== undefined);
    const begin = { pause, rules: stops.rules, observe, errors: this.atErrors };
    return { begin: hold ? { ...begin, hold: { limitMs: hold.limitMs } } : begin };
  }

  /** Modules of the program itself are about to run for the first time. */
  comes(files: readonly string[]): void {
    if (files.some((file) => this.running.stops.files.includes(file))) this.say({ is: 'breakpoints' });
  }

  /** A target that executes a file is to stop somewhere in it. */
  asksFirst(file: string): boolean {
    return this.atErrors !== 'none' || this.running.stops.files.includes(file);
  }

  /** A target takes part from now on. */
  joins(target: LiveTarget): void {
    if (this.atErrors !== 'none') void target.pause?.({ do: 'errors', which: this.atErrors });
  }

  /** A target executes a file with breakpoints. */
  async begins(state: TargetState, file: string): Promise<void> {
    if (!this.running.stops.files.includes(file)) return;
    await this.tellRules(state);
    await this.observing.restop(file, [state]);
    this.say({ is: 'breakpoints' });
  }

  /** Stops a target at its next statement: the program itself, or the one with a label. */
  async pause(where?: string): Promise<PauseOutcome<{ is: 'done' }>> {
    const state = this.targetAt(where);
    if (!state?.target?.pause) return cannot('there is nothing that could stand still');
    await this.steps.all(state);
    const answer = await state.target.pause({ do: 'pause' });
    return answer.is === 'cannot' ? answer : { is: 'done' };
  }

  /** A target that stands still goes on. */
  async go(going: Going, where?: string): Promise<PauseOutcome<{ is: 'done' }>> {
    // What was typed before is what it begins anew with; to let it go on never waits for anything.
    if (going.how === 'again') await this.turns.then(this.running.file, () => Promise.resolve());
    const found = this.find(where);
    if (!found) return cannot(NOTHING);
    await this.steps.goes(found.state, going);
    const answer = await found.state.target!.pause!({ do: 'go', going });
    if (going.how === 'on') void this.steps.wentOn(found.state);
    return answer.is === 'cannot' ? answer : { is: 'done' };
  }

  /** Everything that stands still goes on, whatever stopped it. */
  async letAllGo(): Promise<void> {
    for (const [state] of [...this.standing]) {
      await state.target?.pause?.({ do: 'go', going: { how: 'on' } });
      void this.steps.wentOn(state);
    }
  }

  /** The variables of a frame, by number from the innermost out; values can be opened by the moment and part of each. */
  async scopes(
    frame: number,
    where?: string,
  ): Promise<PauseOutcome<{ is: 'scopes'; moment: number; scopes: PauseScope[] }>> {
    const found = this.find(where);
    if (!found) return cannot(NOTHING);
    const answer = await found.state.target!.pause!({ do: 'scopes', frame });
    if (answer.is === 'cannot') return answer;
    if (answer.is !== 'scopes') return cannot('it is not answered');
    return { ...answer, moment: this.running.numbering.result(found.state.index, answer.moment) };
  }

  /** Gives what an expression gives where a frame stands. It may assign to variables of the frame. */
  async evaluate(
    text: string,
    frame: number,
    where?: string,
  ): Promise<PauseOutcome<Evaluated | { is: 'threw'; error: RawError }>> {
    const found = this.find(where);
    if (!found) return cannot(NOTHING);
    const { state, standing } = found;
    const place = standing.frames[frame];
    if (!place) return cannot('there is no such frame');
    const made = await this.compiled(state, text, frame, place.file);
    if ('problem' in made) return cannot(made.problem);
    const answer = await state.target!.pause!({ do: 'evaluate', frame, code: made.code });
    switch (answer.is) {
      case 'value':
        return { ...answer, moment: this.running.numbering.result(state.index, answer.moment) };
      case 'threw':
        return { is: 'threw', error: presentError(state, answer.error) };
      case 'cannot':
        return answer;
      default:
        return cannot('it is not answered');
    }
  }

  /** Code for a frame of what stands still, or for a module. */
  private async compiled(
    state: TargetState,
    text: string,
    frame: number | undefined,
    file: string,
  ): Promise<{ code: string } | { problem: string }> {
    const own = new Set<string>();
    const reached = new Set<string>();
    const { translator } = this.running.parts.language;
    const place = frame === undefined ? undefined : this.standing.get(state)?.frames[frame];
    if (frame === undefined || !place)
      return frameCode(state.modules.get(file), file, text, { own, reached }, translator);
    const scopes = await state.target!.pause!({ do: 'scopes', frame });
    if (scopes.is !== 'scopes') return { problem: scopes.is === 'cannot' ? scopes.why : 'it is not answered' };
    for (const { variables } of scopes.scopes)
      for (const { name, isReached } of variables) (isReached ? reached : own).add(name);
    return frameCode(state.modules.get(place.file), place.file, text, { own, reached }, translator, place.line);
  }

  /**
   * What is entered at a prompt while a target stands still: an expression is evaluated in its innermost frame.
   *
   * @returns undefined where nothing stands still, or for what is no expression
   */
  async entered(text: string, where = ''): Promise<Entered | undefined> {
    const own = this.find(where)?.standing.frames.findIndex(({ local }) => local) ?? -1;
    if (own < 0) return undefined;
    const begin = Date.now();
    const answer = await this.evaluate(text, own, where);
    if (answer.is === 'cannot') return undefined;
    if (answer.is === 'threw')
      return { is: 'failed', text: `${answer.error.name}: ${answer.error.message}`, details: [] };
    const { value, moment } = answer;
    return { is: 'done', changes: '', result: { value, moment }, pauseMs: Date.now() - begin };
  }

  /** The target of that label; where none is named, the program itself, or the first of one that has only pages. */
  private targetAt(where: string | undefined): TargetState | undefined {
    const { targets } = this.running;
    if (where !== undefined) return targets.find(({ label }) => label === where);
    return targets.find(({ target }) => target?.pause);
  }

  private find(where: string | undefined): { state: TargetState; standing: Standing } | undefined {
    for (const [state, standing] of this.standing)
      if (where === undefined || state.label === where) return { state, standing };
    return undefined;
  }

  /** What a target tells. */
  take(state: TargetState, news: PauseNews): void {
    switch (news.is) {
      case 'paused':
        this.paused(state, news);
        break;
      case 'went-on':
        this.standing.delete(state);
        this.say({ is: 'went-on', where: state.label, number: news.number });
        break;
      case 'asleep': {
        const { name, message } = news.error;
        this.running.stops.sleep(news.breakpoint, `it failed, and sleeps: ${name}: ${message}`);
        this.say({ is: 'breakpoints' });
        break;
      }
      case 'message': {
        const breakpoint = this.running.stops.get(news.breakpoint);
        if (breakpoint) this.say({ is: 'message', breakpoint, text: news.text, where: state.label });
        break;
      }
    }
  }

  private paused(
    state: TargetState,
    { is: _, error, value, frames, ...told }: Extract<PauseNews, { is: 'paused' }>,
  ): void {
    const outlineOf = (file: string): Outline | undefined => state.modules.get(file)?.outline;
    const present = frames.map((frame) => ({ ...presentFrame(state, frame), version: frame.version }));
    // An async function gives a promise, which waits.
    const isHeld = told.needsValue && this.atErrors === 'none' && present.some((frame) => isAsyncAt(frame, outlineOf));
    if (told.reason === 'error' && this.atErrors !== 'all' && (isHeld || isCaught(present, outlineOf))) {
      void state.target?.pause?.({ do: 'go', going: { how: 'on' } });
      return;
    }
    const { numbering } = this.running;
    const standing: Standing = {
      ...told,
      where: state.label,
      since: Date.now(),
      frames: present.map((frame) => ({ ...named(frame, outlineOf), done: doneIn([frame], outlineOf) })),
      ...(error
        ? { error: { ...presentError(state, error), moment: numbering.result(state.index, error.moment) } }
        : {}),
      ...(value ? { value: { ...value, moment: numbering.result(state.index, value.moment) } } : {}),
    };
    this.standing.set(state, standing);
    this.steps.stands(state, standing.frames);
    this.say({ is: 'paused', standing });
  }

  /** A target has ended, or left. */
  left(state: TargetState): void {
    this.steps.left(state);
    const standing = this.standing.get(state);
    if (!standing) return;
    this.standing.delete(state);
    this.say({ is: 'went-on', where: state.label, number: standing.number });
  }
}

function cannot(why: string): { is: 'cannot'; why: string } {
  return { is: 'cannot', why };
}
