/**
 * A target that stands still: tells where, answers what it is asked meanwhile, and goes on as it is told to. What the
 * engine gives of a stopped thread comes from its {@link PauseEngine}.
 */
import { NO_DEBUGGER } from '../../wire/constants.js';
import type {
  Going,
  PauseAnswer,
  PausedFrame,
  PauseNews,
  PauseReason,
  PauseRequest,
  PauseScope,
  StopsAtErrors,
} from '../../wire/pausing.js';
import type { ErrorReader } from '../errors.js';
import * as own from '../originals.js';
import { CONSOLE } from '../preview.js';
import type { Reporter } from '../reports/reporter.js';
import type { Callable } from '../patches/modules.js';
import type { Stacks } from '../stacks.js';
import type { Snapshots } from '../holding/snapshots.js';
import { valueText } from '../text.js';
import { Breakpoints } from './breakpoints.js';
import type { EngineGoing, OwnFrame, PauseEngine, SteppingFunction, StoppedThread, There, Threw } from './engine.js';
import { scopesOf } from './scopes.js';
import { WatchedFields } from './fields.js';
import { callerOutside, ownFrames, Stepping } from './stepping.js';

type Told = Extract<PauseNews, { is: 'paused' }>;

/** What is told of a pause besides where it is. */
interface Why {
  reason: PauseReason;
  breakpoint?: number;
  value?: Told['value'];
  needsValue?: true;
}

/** What pauses report to, and are given. */
export interface PauseParts {
  engine: PauseEngine | undefined;
  reporter: Reporter;
  stacks: Stacks;
  errors: ErrorReader;
  holding: { isOn: boolean };
  snapshots: Snapshots;
  evaluate(file: string, code: string): unknown;
  tell(news: PauseNews): void;
}

export class Pauses {
  readonly breakpoints = new Breakpoints();
  private readonly fields = new WatchedFields((id, value) => this.written(id, value));
  private number = 0;
  private stopsAt: StopsAtErrors = 'none';
  private why: Why = ASKED;
  private stepping: Stepping | undefined;
  /** The step that a breakpoint came into. */
  private before: Stepping | undefined;
  /** The pause that there is. */
  private current: { thread: StoppedThread; frames: OwnFrame[] } | undefined;
  private going: Going | undefined;
  /** Where it stood behind a step: the breakpoint of that very statement is not met once more. */
  private stood: { file: string; line: number; depth: number } | undefined;
  /** Errors that came up through several frames are told once. */
  private lastError: unknown;

  constructor(private readonly parts: PauseParts) {
    parts.engine?.attach((thread) => this.stopped(thread));
  }

  /** A breakpoint is met, and its condition holds. */
  meet(id: number, there?: There): void {
    if (this.current || !this.breakpoints.meet(id)) return;
    this.stop({ reason: 'breakpoint', breakpoint: id }, there);
  }

  /** A statement begins in a function that asks before each of them. */
  step(of: number, evaluate: There['evaluate'], names: string, isInner: boolean): void {
    if (!this.current) this.parts.engine?.point?.(of, evaluate, names, isInner);
  }

  /** Which functions of a new unit of counts ask before each of their statements; undefined where none does. */
  asking(unit: number, functions: number): Uint8Array | undefined {
    return this.parts.engine?.asking?.(unit, functions);
  }

  /** Calls of a version are known while they run, where the engine needs it. */
  known(made: Callable, fn: SteppingFunction, isHeld: boolean): Callable {
    const { engine, holding, snapshots } = this.parts;
    const threw: Threw = (error, of, there) => {
      if (holding.isOn) snapshots.passed(error, of, there);
    };
    return engine?.known?.(made, fn, isHeld ? threw : undefined) ?? made;
  }

  forget(unit: number): void {
    this.parts.engine?.forget?.(unit);
  }

  private written(id: number, value: unknown): void {
    if (!this.current) this.stopWith('write', id, value);
  }

  /**
   * A function that is to stop there is about to give a value; gives the value.
   *
   * @param guard gives whether it acts, or a list of what it prints
   */
  meetReturn(id: number, value: unknown, guard?: () => unknown, there?: There): unknown {
    if (this.current || (guard && !this.acts(id, guard)) || !this.breakpoints.meet(id)) return value;
    this.stopWith('return', id, value, there);
    return value;
  }

  private acts(id: number, guard: () => unknown): boolean {
    try {
      const given = guard();
      if (given === true) return true;
      if (own.isArray(given)) this.message(id, given);
    } catch (error) {
      this.failed(id, error);
    }
    return false;
  }

  private stopWith(reason: 'return' | 'write', id: number, value: unknown, there?: There): void {
    const { reporter } = this.parts;
    const moment = ++reporter.clock;
    reporter.holder.hold(moment, 0, value);
    this.stop({ reason, breakpoint: id, value: { value: reporter.previewer.take(value, CONSOLE), moment } }, there);
  }

  /** A breakpoint prints what its message is made of. */
  message(id: number, parts: readonly unknown[]): void {
    if (!this.breakpoints.meet(id)) return;
    let text = '';
    for (let i = 0; i < parts.length; i++) {
      const part = parts[i];
      if (typeof part === 'string') text += part;
      else text += valueText(this.parts.reporter.previewer.take(part));
    }
    this.parts.tell({ is: 'message', breakpoint: id, text });
  }

  /** The condition or the message of a breakpoint threw: it sleeps until it is set anew. */
  failed(id: number, error: unknown): void {
    if (!this.breakpoints.sleep(id)) return;
    this.parts.tell({
      is: 'asleep',
      breakpoint: id,
      error: this.parts.errors.read(error, 'thrown', ++this.parts.reporter.clock),
    });
  }

  /** Errors are looked at when they are thrown: to stop there, or to know what frames held. @returns false where they cannot be */
  watchErrors(): boolean {
    return this.parts.engine?.stopAtErrors(this.stopsAt !== 'none' || this.parts.holding.isOn) ?? false;
  }

  /** Stops at the statement that runs next: right before the first of a program. */
  stopFirst(): void {
    this.stop(ASKED);
  }

  private stop(why: Why, there?: There): void {
    if (!this.parts.engine?.canStand) return;
    this.why = why;
    this.before = this.stepping;
    this.stepping = undefined;
    this.parts.engine.stopHere(there);
  }

  /** Answers a question; most of them only while the target stands still. */
  answer(request: PauseRequest): PauseAnswer {
    const { current } = this;
    const { engine } = this.parts;
    if (request.do === 'breakpoints') {
      this.breakpoints.set(request.list);
      return DONE;
    }
    if (!engine?.canStand) return cannot('this target cannot stand still');
    switch (request.do) {
      case 'errors':
        this.stopsAt = request.which;
        return this.watchErrors() || request.which === 'none' ? DONE : cannot(engine.whyNoErrors ?? NO_DEBUGGER);
      case 'unwatch':
        this.fields.unwatch(request.id);
        return DONE;
      case 'watch':
        return this.watch(request);
      case 'pause':
        if (current) return cannot('it stands still already');
        this.why = ASKED;
        this.stepping = undefined;
        return engine.stopSoon() ? DONE : cannot(NO_DEBUGGER);
    }
    if (!current) return cannot('it runs: there is no pause');
    switch (request.do) {
      case 'go':
        return this.go(request.going, current);
      case 'scopes': {
        const frame = current.frames[request.frame];
        if (!frame) return cannot('there is no such frame');
        const moment = ++this.parts.reporter.clock;
        const scopes = this.scopes(current.thread, frame, moment);
        return 'why' in scopes ? cannot(scopes.why) : { is: 'scopes', moment, scopes };
      }
      case 'evaluate':
        return this.evaluate(request.code, current, request.frame);
    }
  }

  private scopes(thread: StoppedThread, { at }: OwnFrame, moment: number): PauseScope[] | { why: string } {
    const { holder, previewer } = this.parts.reporter;
    let part = 0;
    return scopesOf(thread, at, (value) => {
      holder.hold(moment, part, value);
      return { value: previewer.take(value, CONSOLE), part: part++ };
    });
  }

  private watch({ id, key, code, frame, file }: Extract<PauseRequest, { do: 'watch' }>): PauseAnswer {
    let object: unknown;
    if (frame !== undefined && this.current) {
      const at = this.current.frames[frame]?.at ?? 0;
      const given = this.current.thread.evaluate(at, code);
      if ('why' in given) return cannot(given.why);
      if ('thrown' in given) return this.threw(given.thrown);
      object = given.value;
    } else
      try {
        object = this.parts.evaluate(file, code);
      } catch (error) {
        return this.threw(error);
      }
    const why = this.fields.watch(id, object, key);
    return why === undefined ? DONE : cannot(why);
  }

  private threw(error: unknown): PauseAnswer {
    return { is: 'threw', error: this.parts.errors.read(error, 'thrown', ++this.parts.reporter.clock) };
  }

  private evaluate(code: string, { thread, frames }: NonNullable<Pauses['current']>, number: number): PauseAnswer {
    const frame = frames[number];
    if (!frame) return cannot('there is no such frame');
    const given = thread.evaluate(frame.at, code);
    if ('why' in given) return cannot(given.why);
    const moment = ++this.parts.reporter.clock;
    if ('thrown' in given) return { is: 'threw', error: this.parts.errors.read(given.thrown, 'thrown', moment) };
    this.parts.reporter.holder.hold(moment, 0, given.value);
    return { is: 'value', moment, value: this.parts.reporter.previewer.take(given.value, CONSOLE) };
  }

  private go(going: Going, { frames }: NonNullable<Pauses['current']>): PauseAnswer {
    if (going.how === 'again') {
      if (!frames[going.frame]) return cannot('there is no such frame');
      if (!this.parts.engine!.canBeginAnew)
        return cannot(
          'only calls of the main thread of a process can be begun anew, and not those of a page or of another thread',
        );
    }
    this.going = going;
    return DONE;
  }

  /** The thread stands still: gives how it goes on. */
  private stopped(thread: StoppedThread): EngineGoing {
    const frames = ownFrames(thread, this.parts.stacks);
    // Nobody of this thread wanted it: it was stopped from outside, wherever it was.
    if (!thread.thrown && this.why === ASKED) this.stepping ??= Stepping.soon();
    const { stepping } = this;
    let why = this.why;
    if (thread.thrown) {
      const { holding, snapshots } = this.parts;
      if (holding.isOn) snapshots.take(thread.thrown.error, thread, frames);
      const needsValue = holding.isOn && callerOutside(thread, frames, this.parts.stacks) === 'value';
      if (!this.parts.engine?.canStand || (this.stopsAt === 'none' && !needsValue)) return { how: 'on' };
      if (frames.length === 0 || thread.thrown.error === this.lastError || this.current) return { how: 'on' };
      this.lastError = thread.thrown.error;
      why = { reason: 'error', ...(needsValue ? { needsValue } : {}) };
    } else if (stepping) {
      const next = stepping.next(thread, frames);
      if (next !== undefined) return next;
    }
    if (frames.length === 0) return { how: 'out' };
    if (why.reason === 'breakpoint' && this.isWhereItStood(thread, frames[0]!)) {
      this.stepping = this.before;
      this.why = { reason: 'step' };
      return this.stepping?.next(thread, frames) ?? { how: 'on' };
    }
    return this.stand(thread, frames, why);
  }

  private isWhereItStood({ places }: StoppedThread, { at, frame }: OwnFrame): boolean {
    const { stood } = this;
    this.stood = undefined;
    return stood?.file === frame.file && stood.line === frame.line && stood.depth === places.length - at;
  }

  private stand(thread: StoppedThread, frames: OwnFrame[], why: Why): EngineGoing {
    const number = ++this.number;
    this.current = { thread, frames };
    this.going = undefined;
    const list: PausedFrame[] = [];
    for (let i = 0; i < frames.length; i++) own.append(list, { ...frames[i]!.frame, version: frames[i]!.version });
    this.parts.reporter.flush({ counts: true });
    const error = thread.thrown && this.parts.errors.read(thread.thrown.error, 'thrown', ++this.parts.reporter.clock);
    const anew = this.parts.engine!.canBeginAnew ? { canBeginAnew: true as const } : {};
    this.parts.tell({ is: 'paused', number, ...why, frames: list, ...anew, ...(error ? { error } : {}) });
    try {
      while (this.going === undefined) this.parts.engine!.wait();
    } finally {
      this.current = undefined;
    }
    const going = this.going as Going;
    this.parts.reporter.flush({ counts: true });
    this.parts.tell({ is: 'went-on', number });
    const { at, frame } = frames[0]!;
    const isStep = why.reason === 'step';
    this.stood = isStep ? { file: frame.file, line: frame.line, depth: thread.places.length - at } : undefined;
    const goesOn = going.how === 'on' || going.how === 'again';
    this.why = goesOn ? ASKED : { reason: 'step' };
    this.stepping = goesOn ? undefined : Stepping.from(going, thread, frames);
    if (going.how === 'again') {
      this.stepping = Stepping.again();
      // The call of a later version stands inside of that of the function which has its patch point.
      return { how: 'again', depth: thread.places.length - frames[going.frame]!.entry };
    }
    return { how: going.how === 'to' ? 'over' : going.how };
  }

  /** It stands still. */
  get isPaused(): boolean {
    return this.current !== undefined;
  }
}

const ASKED: Why = { reason: 'asked' };
const DONE: PauseAnswer = { is: 'done' };

function cannot(why: string): PauseAnswer {
  return { is: 'cannot', why };
}
