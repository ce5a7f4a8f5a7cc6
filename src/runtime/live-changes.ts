/** Changes a program that runs: patches, reloads, code that is entered, what is observed of it. */
import type { LiveAnswer } from '../wire/messages.js';
import type { LiveChange, Observe } from '../wire/modules.js';
import type { PadConsole } from './console.js';
import type { ErrorReader } from './errors.js';
import type { Entries } from './entries/entries.js';
import type { Registry } from './modules/registry.js';
import * as own from './originals.js';
import { CONSOLE } from './preview.js';
import type { Reporter } from './reports/reporter.js';
import type { TargetEngine } from './target-engine.js';

/** Milliseconds between two reports of a live program that is looked at. */
const REPORT_MS = 100;

type Asked<Do extends LiveChange['do']> = Extract<LiveChange, { do: Do }>;

/** What waits cannot go on then: modules are loaded, and promises settled, by the event loop. */
const STANDS_STILL = 'it stands still, and this would have to wait: let it go on first';

export class LiveChanges {
  /** Names under which modules were loaded for a change. */
  private readonly linked = own.safeMap<string, true>();
  private stopReports: (() => void) | undefined;

  constructor(
    private readonly engine: TargetEngine,
    private readonly registry: Registry,
    private readonly reporter: Reporter,
    private readonly errors: ErrorReader,
    private readonly console: PadConsole,
    private readonly entries: Entries,
  ) {}

  /** Changes a live program, whole or not at all. Without links it is done when this returns. */
  async change(change: LiveChange): Promise<LiveAnswer> {
    if (change.do === 'reload') return this.reload(change, this.engine.now());
    if (change.do === 'evaluate') return this.evaluate(change);
    if (change.do === 'patch') {
      const failed = await this.loadLinks(change);
      if (failed) return failed;
    }
    return this.changeNow(change);
  }

  /** The same for a program that stands still: what would have to wait is refused. */
  changeNow(change: LiveChange): LiveAnswer {
    const { registry } = this;
    const start = this.engine.now();
    switch (change.do) {
      case 'patience':
        registry.patches.patience = change.ms;
        return done();
      case 'listen':
        this.engine.listen?.(change.on);
        return done();
      case 'report':
        this.report(change.on);
        return done();
      case 'entries':
        return { ...done(), entries: this.entries.answer(change.request) };
      case 'observe': {
        const until = start + (change.budgetMs ?? Infinity);
        const observed = this.observe(change.observe, () => this.engine.now() < until);
        return { ...done(this.engine.now() - start), ...observed };
      }
      case 'undo':
        return registry.patches.undo()
          ? { objects: 0, resumed: this.resumed(), pauseMs: this.engine.now() - start }
          : this.failed(new own.ErrorCopy('there is no change to take back'));
      case 'patch':
        return this.patch(change);
      case 'evaluate':
        return this.evaluateNow(change);
      case 'reload':
        return this.failed(new own.ErrorCopy(STANDS_STILL));
    }
  }

  private evaluateNow(change: Asked<'evaluate'>): LiveAnswer {
    let result: unknown;
    const begin = this.engine.now();
    for (let i = 0; i < change.codes.length; i++) {
      const { code, awaits } = change.codes[i]!;
      if (awaits) return this.failed(new own.ErrorCopy(STANDS_STILL), i);
      try {
        result = this.registry.patches.evaluate(change.file, code);
      } catch (error) {
        return this.failed(error, i);
      }
    }
    return this.evaluated(result, this.engine.now() - begin);
  }

  private async evaluate(change: Asked<'evaluate'>): Promise<LiveAnswer> {
    const { registry } = this;
    let result: unknown;
    let pauseMs = 0;
    for (let i = 0; i < change.codes.length; i++) {
      const { code, awaits } = change.codes[i]!;
      const begin = this.engine.now();
      try {
        result = registry.patches.evaluate(change.file, code);
        pauseMs += this.engine.now() - begin;
        if (awaits) result = await result;
      } catch (error) {
        return this.failed(error, i);
      }
    }
    return this.evaluated(result, pauseMs);
  }

  private evaluated(result: unknown, pauseMs: number): LiveAnswer {
    const { registry, reporter } = this;
    registry.sync();
    const moment = ++reporter.clock;
    const value = reporter.previewer.take(result, CONSOLE);
    reporter.holder.hold(moment, 0, result);
    return { ...done(pauseMs), result: { value, moment } };
  }

  private async loadLinks(change: Asked<'patch'>): Promise<LiveAnswer | undefined> {
    const { engine, registry } = this;
    registry.add(change.modules);
    for (const { file, name, link } of change.links) {
      try {
        if (engine.ownLoader) registry.patches.lateOf(file)[name] = await engine.ownLoader(file, link);
        else await registry.prepare(file, name, link, []);
        this.linked.set(`${file} ${name}`, true);
      } catch (error) {
        return this.failed(error);
      }
    }
    return undefined;
  }

  private patch(change: Asked<'patch'>): LiveAnswer {
    const { engine, registry } = this;
    registry.add(change.modules);
    for (let i = 0; i < change.links.length; i++)
      if (!this.linked.has(`${change.links[i]!.file} ${change.links[i]!.name}`))
        return this.failed(new own.ErrorCopy(STANDS_STILL));
    const begin = engine.now();
    const applied = registry.patches.apply(change.steps);
    registry.sync();
    if (applied.failed) return this.failed(applied.failed.error, applied.failed.step);
    const unobserved = change.observe ? this.observe(change.observe) : {};
    return {
      objects: applied.filled,
      resumed: change.steps.length > 0 ? this.resumed() : [],
      pauseMs: engine.now() - begin,
      ...unobserved,
    };
  }

  private async reload(change: Asked<'reload'>, start: number): Promise<LiveAnswer> {
    const { registry } = this;
    try {
      const moved = await registry.reload(change.modules);
      const applied = registry.patches.apply(change.steps);
      if (applied.failed) throw applied.failed.error;
      return { objects: moved + applied.filled, resumed: this.resumed(), pauseMs: this.engine.now() - start };
    } catch (error) {
      return this.failed(error);
    }
  }

  private resumed(): string[] {
    return this.engine.resume?.() ?? [];
  }

  private failed(error: unknown, step = -1): LiveAnswer {
    return { ...done(), failed: { step, error: this.errors.read(error, 'thrown', this.reporter.clock) } };
  }

  private observe(observe: Observe, inTime?: () => boolean): Pick<LiveAnswer, 'unobserved' | 'taken'> {
    const { failed, taken } = this.registry.observed.observe(observe, inTime);
    const unobserved = failed.map(({ step, error }) => ({
      step,
      message: this.errors.read(error, 'thrown', this.reporter.clock).message,
    }));
    return { ...(unobserved.length > 0 ? { unobserved } : {}), ...(inTime ? { taken } : {}) };
  }

  private report(on: boolean): void {
    this.console.listening = on;
    if (on && !this.stopReports)
      this.stopReports = this.engine.every?.(REPORT_MS, () => {
        this.reporter.flush({ counts: true });
        this.registry.observed.refresh();
      });
    else if (!on) {
      this.stopReports?.();
      this.stopReports = undefined;
      this.reporter.holder.letPass();
    }
  }
}

function done(pauseMs = 0): LiveAnswer {
  return { objects: 0, resumed: [], pauseMs };
}
