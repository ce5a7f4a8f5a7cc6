/** Calls that failed in a live program and wait to be mended, in all its targets. */
import { frameCode } from '../../../patch/frame-code.js';
import type { HoldAnswer, HoldNews, RawHeld } from '../../../wire/holding.js';
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
    const { translator } = this.running.parts.language;
    const nothing = { own: new Set<string>(), reached: new Set<string>() };
    const made = frameCode(found.state.modules.get(file), file, text, nothing, translator);
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

  private ask(
    id: number,
    request: (own: number) => Parameters<NonNullable<NonNullable<TargetState['target']>['hold']>>[0],
  ): Promise<HoldAnswer> {
    const found = this.held.get(id);
    const answer = found?.state.target?.hold?.(request(found.own));
    return answer ?? Promise.resolve(NONE);
  }

  /** Functions of these files have changed: in mode `auto` calls of them go on by themselves. */
  changed(paths: ReadonlyMap<string, ReadonlySet<string>>): void {
    if (this.isMode !== 'auto') return;
    for (const { call } of [...this.held.values()])
      if (
        [{ file: call.file, name: call.name }, ...call.frames].some(({ file, name }) => touches(paths.get(file), name))
      )
        void this.again(call.id);
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
    const call: HeldCall = {
      ...held,
      id: ++this.last,
      where: state.label,
      since,
      ...(this.limitMs > 0 ? { until: since + this.limitMs } : {}),
      moment: moment(held.moment),
      error: { ...presentError(state, held.error), moment: moment(held.error.moment) },
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
  if (!paths) return false;
  return [...paths].some((path) => path === name || path.split('.').pop() === name.split('.').pop());
}
