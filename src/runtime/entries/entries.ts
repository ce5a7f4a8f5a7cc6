/**
 * Calls that come from outside of the person's code, and which functions work for each. Functions whose versions are
 * known tell their calls; the engine says which call from outside it is that runs now, over everything that waits.
 */
import type { EntriesAnswer, EntriesRequest, EntryKind, TakingPart } from '../../wire/entries.js';
import * as own from '../originals.js';
import type { Callable } from '../patches/modules.js';
import type { Reporter } from '../reports/reporter.js';
import type { Stacks } from '../stacks.js';
import type { EntriesEngine, EntryContext, EntryTaker, ExchangeNote, RequestBegin, RequestEnd } from './engine.js';
import { Entry } from './entry.js';
import { originOf } from './origins.js';
import { ToldEntries } from './told.js';
import { type Origin, WantedEntries } from './wanted.js';

/** Stacks that are read of one function: whoever has called it so often does so again. */
const MOST_READ = 16;
const FRAMES = 40;

/** A function that takes part, and who calls it from outside. */
interface Known extends TakingPart {
  kind: EntryKind | undefined;
  name: string | undefined;
  reads: number;
}

export class Entries implements EntryTaker {
  isOn = false;
  private context: EntryContext | undefined;
  private unwatch: (() => void) | undefined;
  private last = 0;
  private readonly known = own.safeMap<number, Known>();
  private readonly told: ToldEntries;
  private readonly wanted = new WantedEntries();
  /** Functions that are active, the outermost first, with what they work for. */
  private readonly stack: { entry: Entry; of: number }[] = [];

  constructor(
    private readonly engine: EntriesEngine | undefined,
    private readonly reporter: Reporter,
    private readonly stacks: Stacks,
    private readonly now: () => number,
  ) {
    this.told = new ToldEntries(reporter);
  }

  answer(request: EntriesRequest): EntriesAnswer {
    switch (request.do) {
      case 'watch':
        this.watch(request.on, request.panels ?? []);
        return {};
      case 'ports':
        return { ports: this.engine?.ports?.() ?? [] };
      default:
        this.wanted.ask(request);
        return {};
    }
  }

  private watch(on: boolean, panels: readonly string[]): void {
    if (on === this.isOn) return;
    this.isOn = on;
    if (on) {
      this.context = this.engine?.context?.();
      this.unwatch = this.engine?.watch?.(this, panels);
      return;
    }
    this.unwatch?.();
    // Whoever is asked over a promise costs each of them a little.
    this.context?.end();
    this.context = this.unwatch = undefined;
    this.wanted.clear();
    this.told.clear();
  }

  /** What came in since the last report, before it leaves. */
  tell(): void {
    if (this.isOn) this.told.tell();
  }

  wants(part?: TakingPart): boolean {
    if (!this.isOn) return false;
    const entry = this.here();
    if (entry?.asked !== undefined) return true;
    if (!part || this.stack.length > 0 || !this.wanted.hasCalls || !mayBegin(entry)) return false;
    // Which of its versions runs is asked before it is called.
    const { of } = part;
    const outside = this.outside(of, entry);
    if (!outside) return false;
    const asked = this.wanted.takeCall(outside.kind, outside.name, of, this.now());
    this.wanted.ahead = { of, ...outside, asked };
    return asked !== undefined;
  }

  /** A function whose calls are known. @param made the version that runs */
  wrap(made: Callable, { of }: TakingPart): Callable {
    const entries = this;
    return function (this: unknown, ...args) {
      return entries.isOn ? entries.call(of, made, this, args) : own.apply(made, this, args);
    };
  }

  /** A call of which only the begin is known. */
  note({ of }: TakingPart): void {
    const entry = this.isOn ? this.here() : undefined;
    if (entry) entry.parts.of(of, this.caller).calls++;
  }

  private get caller(): number {
    const { stack } = this;
    return stack.length > 0 ? stack[stack.length - 1]!.of : -1;
  }

  /** What the code that runs now works for. */
  private here(): Entry | undefined {
    const { stack } = this;
    const entry = this.context?.current() as Entry | undefined;
    if (stack.length > 0) return entry ?? stack[stack.length - 1]!.entry;
    return entry;
  }

  private call(of: number, made: Callable, self: unknown, args: unknown[]): unknown {
    const { stack } = this;
    let entry = this.here();
    const ahead = this.wanted.begins(of);
    if (stack.length === 0 && mayBegin(entry)) {
      const outside = ahead ?? this.outside(of, entry);
      if (outside) return this.begin(outside, of, ahead?.asked, made, self, args);
      entry = entry?.isOver === true ? undefined : entry;
    }
    return entry ? this.counted(entry, of, made, self, args) : own.apply(made, self, args);
  }

  private counted(entry: Entry, of: number, made: Callable, self: unknown, args: unknown[]): unknown {
    const { stack } = this;
    const part = entry.parts.of(of, this.caller);
    part.calls++;
    part.active++;
    const isTimed = part.active === 1 && part.begins();
    const begin = isTimed ? this.now() : 0;
    const depth = stack.length;
    own.append(stack, { entry, of });
    try {
      return own.apply(made, self, args);
    } catch (error) {
      part.threw++;
      throw error;
    } finally {
      stack.length = depth;
      part.active--;
      if (isTimed) part.timed(this.now() - begin);
    }
  }

  /** What comes from outside into a function, if that is not known already. */
  private outside(of: number, around: Entry | undefined): Origin | undefined {
    if (around?.isOver) return { kind: 'after', name: `${around.method ?? ''} ${around.path}` };
    let known = this.known.get(of);
    if (!known) this.known.set(of, (known = { of, kind: undefined, name: undefined, reads: 0 }));
    const told = this.engine?.around?.();
    if (told) return told;
    if (known.reads < MOST_READ) {
      known.reads++;
      known.kind = originOf(this.below());
    }
    const { kind, name } = known;
    // What waited for a promise goes on for whom it worked before.
    if (kind === undefined || (around && kind === 'other')) return undefined;
    return { kind, name };
  }

  /** Frames around the function that is called. */
  private below(): ReturnType<Stacks['of']> {
    const frames = this.stacks.of(this.stacks.take(FRAMES));
    let at = 0;
    while (at < frames.length && (!frames[at]!.local || frames[at]!.isAsync)) at++;
    const below: typeof frames = [];
    // The first of the person's frames is that of the function itself, at its patch point.
    for (let i = at + 1; i < frames.length; i++) own.append(below, frames[i]!);
    return below;
  }

  private begin(
    { kind, name }: Origin,
    of: number,
    asked: number | undefined,
    made: Callable,
    self: unknown,
    args: unknown[],
  ): unknown {
    const entry = new Entry(++this.last, kind, this.now());
    entry.called = { of, name };
    entry.asked = asked ?? this.wanted.takeCall(kind, name, of, entry.start);
    const work = (): unknown => this.counted(entry, of, made, self, args);
    try {
      return this.context ? this.context.run(entry, work) : work();
    } catch (error) {
      entry.failed = true;
      throw error;
    } finally {
      entry.ms = this.now() - entry.start;
      this.told.add(entry);
      if (entry.asked !== undefined) this.reporter.flush({ counts: true });
    }
  }

  request(begin: RequestBegin): (end: () => RequestEnd) => void {
    const entry = new Entry(++this.last, 'request', this.now(), begin);
    entry.asked = this.wanted.take(entry, begin.from);
    this.context?.enter(entry);
    return (end) => {
      if (entry.isOver) return;
      entry.ms = this.now() - entry.start;
      entry.end(end());
      this.told.add(entry);
      if (entry.asked !== undefined) this.reporter.flush({ counts: true });
    };
  }

  exchange(is: 'request' | 'query' | 'file', text: string): ExchangeNote | undefined {
    const entry = this.here();
    if (!entry || entry.isOver) return undefined;
    const begin = this.now();
    const made = entry.exchange(is, text, this.caller);
    if (!made) return undefined;
    return {
      end: ({ failed, status, answer, isCut }) => {
        made.state = failed ? 'failed' : 'done';
        made.ms = this.now() - begin;
        if (status !== undefined) made.status = status;
        if (answer !== undefined) made.answer = answer;
        if (isCut) made.isCut = true;
      },
    };
  }
}

/** True where a call may come from outside, and is not known to work for a request. */
function mayBegin(around: Entry | undefined): boolean {
  return !around || around.kind !== 'request' || around.isOver;
}
