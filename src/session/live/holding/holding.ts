/** Calls that failed in a live program and wait to be mended, in all its targets. */
import { doneIn, type Done } from './already-done.js';
import { frameCode } from '../../../patch/frame-code.js';
import type { HoldAnswer, HoldNews, RawHeld } from '../../../wire/holding.js';
import type { RawFrame } from '../../../wire/reports.js';
import type { Value } from '../../../wire/value.js';
import {
  functionText,
  methodText,
  missedName,
  missingCall,
  objectMethodText,
  type MissingCall,
  type MissingText,
} from './missing.js';
import type { Observing } from '../observing.js';
import type { PauseOutcome } from '../pausing/pausing.js';
import { presentError, presentFrame } from '../reports.js';
import type { RunningProgram } from '../running.js';
import type { TargetState } from '../target-state.js';
import type { Turns } from '../turns.js';

/** A call that is held. */
export interface HeldCall extends RawHeld {
  /** Where it runs: the label of the target, empty for the program itself. */
  where: string;
  /** Milliseconds since 1970. */
  since: number;
  /** What it may have done already: that stays done when it is called again. */
  done: Done[];
  /** When it fails by itself, in milliseconds since 1970. */
  until?: number;
}

export type HoldEvent =
  | { is: 'held'; held: HeldCall }
  | { is: 'released'; held: HeldCall; how: Extract<HoldNews, { is: 'released' }>['how'] }
  | { is: 'switched' };

/** `auto`: a held call goes on by itself when a function of its frames has changed. */
export type HoldMode = 'off' | 'on' | 'auto';

/** Milliseconds that a call is held at most, where nobody says otherwise. */
export const HOLD_LIMIT_MS = 600_000;

export class HeldCalls {
  private readonly held = new Map<number, { call: HeldCall; own: number; state: TargetState }>();
  private readonly listeners = new Set<(event: HoldEvent) => void>();
  private last = 0;
  private isMode: HoldMode = 'off';
  /** Milliseconds that a call is held at most; 0 for no limit. */
  limitMs = HOLD_LIMIT_MS;

  constructor(
    private readonly running: RunningProgram,
    private readonly observing: Observing,
    private readonly turns: Turns,
  ) {}

  listen(listener: (event: HoldEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  private say(event: HoldEvent): void {
    for (const listener of this.listeners) listener(event);
  }

  /** Calls that are held now, the oldest first. */
  get all(): HeldCall[] {
    return [...this.held.values()].map(({ call }) => call);
  }

  get mode(): HoldMode {
    return this.isMode;
  }

  /** Holds calls that fail from now on, or no longer: those that are held fail then as they would have. */
  async switchTo(mode: HoldMode, limitMs = this.limitMs): Promise<void> {
    const isNew = (mode === 'off') !== (this.isMode === 'off');
    this.isMode = mode;
    this.limitMs = limitMs;
    const on = mode !== 'off';
    await this.turns.then(this.running.file, async () => {
      for (const { target } of this.running.targets) await target?.hold?.({ do: 'hold', on, limitMs });
      if (isNew) await this.observing.hold(on);
    });
    this.say({ is: 'switched' });
  }

  /** What holds calls of the program's files before its first line runs; undefined where none are held. */
  first(files: readonly string[]): { limitMs: number; files: readonly string[] } | undefined {
    return this.isMode === 'off' ? undefined : { limitMs: this.limitMs, files };
  }

  /** A target executes a file, or takes part from now on. */
  async begins(state: TargetState, file: string): Promise<void> {
    if (this.isMode === 'off') return;
    await state.target?.hold?.({ do: 'hold', on: true, limitMs: this.limitMs });
    await this.observing.holdIn(state, file);
  }

  /** The function is called again, in its newest version; what it gives goes to whoever waits. */
  again(id: number): Promise<HoldAnswer> {
    return this.ask(id, (own) => ({ do: 'again', id: own }));
  }

  /** What an expression gives in the function's module goes to whoever waits. */
  give(id: number, text: string): Promise<HoldAnswer> | PauseOutcome<never> {
    const found = this.held.get(id);
    if (!found) return NONE;
    const { file } = found.call;
    const made = this.moduleCode(found.state, file, text);
    if ('problem' in made) return { is: 'cannot', why: made.problem };
    return this.ask(id, (own) => ({ do: 'give', id: own, file, code: made.code }));
  }

  /** It fails as it would have. */
  fail(id: number): Promise<HoldAnswer> {
    return this.ask(id, (own) => ({ do: 'fail', id: own }));
  }

  /** It is forgotten: nobody gets an answer. */
  drop(id: number): Promise<HoldAnswer> {
    return this.ask(id, (own) => ({ do: 'drop', id: own }));
  }

  private async ask(
    id: number,
    request: (own: number) => Parameters<NonNullable<NonNullable<TargetState['target']>['hold']>>[0],
  ): Promise<HoldAnswer> {
    // What was typed before is what it goes on with.
    await this.turns.then(this.running.file, () => Promise.resolve());
    const found = this.held.get(id);
    return (await found?.state.target?.hold?.(request(found.own))) ?? NONE;
  }

  /**
   * What would declare the function or method that a held call found missing.
   *
   * @returns the text and where it goes, in the text that runs, or why there is none
   */
  async missing(id: number): Promise<PauseOutcome<{ is: 'missing'; missing: MissingText }>> {
    const found = this.held.get(id);
    if (!found) return NONE;
    const { call, state } = found;
    const frame = call.error.frames.find((one) => one.local && one.line >= 0);
    const outline = frame && state.modules.get(frame.file)?.outline;
    const missed = outline && missingCall(call.error.message, outline, frame.line);
    if (!missed) return { is: 'cannot', why: 'nothing is missing that could be written: a function has to be mended' };
    if (missed.object === undefined) return { is: 'missing', missing: functionText(outline, frame.line, missed) };
    const written = this.inObject(state, frame.file, missed);
    if (written) return { is: 'missing', missing: written };
    const owner = await this.classOf(found, frame, missed.object);
    if (!owner) return { is: 'cannot', why: `it is not known what ${missed.object} is` };
    const own = methodText(outline, owner.name, missed, owner.isStatic);
    if (own) return { is: 'missing', missing: own };
    for (const module of state.modules.values()) {
      const there = methodText(module.outline, owner.name, missed, owner.isStatic);
      if (there) return { is: 'missing', missing: there };
    }
    return { is: 'cannot', why: `${missed.object} is of ${owner.name}, which is no class of this program` };
  }

  /** In an object of the module, or in the one object of that name which another module gives it. */
  private inObject({ modules }: TargetState, file: string, missed: MissingCall): MissingText | undefined {
    const object = missed.object!;
    const outline = modules.get(file)!.outline;
    const own = objectMethodText(outline, object, missed);
    const name = object.split('.')[0]!;
    const entry = outline.imports.flatMap(({ names }) => names).find(({ local }) => local === name);
    if (own || !entry) return own;
    const inThat = `${entry.imported}${object.slice(name.length)}`;
    const found = [...modules.values()].flatMap((module) => objectMethodText(module.outline, inThat, missed) ?? []);
    return found.length === 1 ? found[0] : undefined;
  }

  /** The class of what an expression gives where a call failed. */
  private async classOf(
    { call, state }: { call: HeldCall; state: TargetState },
    { file, line }: RawFrame,
    object: string,
  ): Promise<{ name: string; isStatic: boolean } | undefined> {
    const frame = call.frames.find((one) => one.file === file && one.line === line);
    const variable = frame?.scopes.flatMap(({ variables }) => variables).find(({ name }) => name === object);
    const value = variable?.value ?? (await this.evaluated(state, file, object));
    if (!value) return undefined;
    if (value.type === 'function') return { name: value.text ?? '', isStatic: true };
    return value.class === undefined ? undefined : { name: value.class, isStatic: false };
  }

  private async evaluated(state: TargetState, file: string, text: string): Promise<Value | undefined> {
    // No call: what was half done is not to be done once more.
    if (!/^[\w$.#]+$/.test(text)) return undefined;
    const made = this.moduleCode(state, file, text);
    if ('problem' in made) return undefined;
    const answer = await state.target?.change({ do: 'evaluate', file, codes: [{ code: made.code, awaits: false }] });
    return answer?.result?.value;
  }

  private moduleCode(state: TargetState, file: string, text: string): ReturnType<typeof frameCode> {
    const nothing = { own: new Set<string>(), reached: new Set<string>() };
    return frameCode(state.modules.get(file), file, text, nothing, this.running.parts.language.translator);
  }

  /** Functions have changed, by file: in mode `auto` calls that went through them go on by themselves. */
  changed(names: ReadonlyMap<string, ReadonlySet<string>>): void {
    if (this.isMode !== 'auto') return;
    for (const { call } of [...this.held.values()]) {
      const own = { file: call.file, name: call.name };
      const frames = [own, ...call.frames, ...call.error.frames];
      const missed = missedName(call.error.message);
      const isMended =
        frames.some(({ file, name }) => touches(names.get(file), name)) ||
        (missed !== undefined && [...names.values()].some((changed) => touches(changed, missed)));
      if (isMended) void this.again(call.id);
    }
  }

  take(state: TargetState, news: HoldNews): void {
    if (news.is === 'released') {
      for (const [id, one] of this.held)
        if (one.state === state && one.own === news.id) {
          this.held.delete(id);
          this.say({ is: 'released', held: one.call, how: news.how });
        }
      return;
    }
    const { held } = news;
    const { numbering } = this.running;
    const moment = (own: number): number => numbering.result(state.index, own);
    const since = Date.now();
    const error = { ...presentError(state, held.error), moment: moment(held.error.moment) };
    const call: HeldCall = {
      ...held,
      id: ++this.last,
      where: state.label,
      since,
      ...(this.limitMs > 0 ? { until: since + this.limitMs } : {}),
      moment: moment(held.moment),
      error,
      done: doneIn(error.frames, (file) => state.modules.get(file)?.outline),
      frames: held.frames.map((frame) => ({
        ...frame,
        ...presentFrame(state, frame),
        moment: moment(frame.moment),
      })),
    };
    this.held.set(call.id, { call, own: held.id, state });
    this.say({ is: 'held', held: call });
  }

  /** A target has ended, or left: nothing of it waits any more. */
  left(state: TargetState): void {
    for (const [id, one] of [...this.held]) {
      if (one.state !== state) continue;
      this.held.delete(id);
      this.say({ is: 'released', held: one.call, how: 'gone' });
    }
  }
}

const NONE = { is: 'cannot', why: 'this call is held no longer' } as const;

/** A name of a frame is the last part of a path: `Lock.fill`, `makeKeeper.()`. */
function touches(paths: ReadonlySet<string> | undefined, name: string): boolean {
  return paths !== undefined && name !== '' && [...paths].some((path) => lastOf(path) === lastOf(name));
}

function lastOf(path: string): string {
  return path.slice(path.lastIndexOf('.') + 1);
}
