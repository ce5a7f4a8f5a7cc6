/**
 * A target from the inside: puts probes, console, tests and modules together,
 * runs a pad, and reports.
 */
import type { LookAnswer, LookRequest, NamesRequest } from '../wire/looking.js';
import type { LiveAnswer } from '../wire/messages.js';
import type { Action, LiveChange, ModuleCode, Observe } from '../wire/modules.js';
import type { RawError, RawFrame, RawRequest } from '../wire/reports.js';
import { PadConsole } from './console.js';
import { Controls } from './controls.js';
import { ErrorReader } from './errors.js';
import { ShownValues } from './shown.js';
import { Input, type InputSource } from './input.js';
import { Registry } from './modules/registry.js';
import { Opener } from './opener.js';
import * as own from './originals.js';
import { CONSOLE } from './preview.js';
import { Reporter } from './reporter.js';
import { Stacks } from './stacks.js';
import type { TargetEngine } from './target-engine.js';
import { testModule } from './tests/module.js';
import { TestRunner } from './tests/runner.js';
import { Timers } from './timers.js';
import { Waits } from './waits.js';

/** Milliseconds between two reports of a live program that is looked at. */
const REPORT_MS = 100;

/** Bytes, roughly, that a live program holds for opening. */
const LIVE_HELD = 8 * 1024 * 1024;

/** Requests of one run that are listed. */
const MOST_REQUESTS = 1_000;

export class Target {
  readonly reporter: Reporter;
  readonly stacks: Stacks;
  readonly console: PadConsole;
  readonly tests: TestRunner;
  readonly registry: Registry;
  private readonly errors: ErrorReader;
  private readonly opener: Opener;
  readonly controls: Controls;
  /** The data that `input` reads. */
  source: InputSource | undefined;
  readonly waits: Waits;
  readonly timers: Timers;
  private readonly disguises = own.safeWeakMap<object, object>();
  private begin = 0;
  private requests = 0;
  private unstick: (() => void) | undefined;

  constructor(private readonly engine: TargetEngine) {
    const place = { site: -1, test: -1 };
    this.reporter = new Reporter(
      engine.introspection,
      (batch) => engine.send(batch),
      () => engine.now(),
    );
    this.stacks = new Stacks((file) => engine.isOwnFile(file));
    this.reporter.caught = (error) => this.stacks.restored(error);
    this.errors = new ErrorReader(this.reporter.previewer, this.stacks, engine.introspection, this.reporter.holder);
    this.console = new PadConsole(this.reporter, this.stacks, place, () => engine.now());
    this.tests = new TestRunner(this.reporter, this.stacks, this.errors, place, engine);
    const shown = new ShownValues(this.reporter, this.stacks, (callback) => engine.later(callback));
    this.waits = new Waits(engine.introspection, () => engine.now());
    this.timers = new Timers(
      this.stacks,
      () => engine.now(),
      (handle) => engine.timerOver?.(handle) ?? false,
      (made, original) => this.disguises.set(made, original),
    );
    this.reporter.pending = () => ({ waits: this.waits.pending(this.begin), timers: this.timers.active() });
    this.controls = new Controls(this.reporter, this.stacks, this.errors, () => engine.now());
    const input = new Input(
      () => this.source,
      () => engine.input,
      (text) => shown.note(text),
    );
    const face = shown.moduleExports();
    const more: Record<string, unknown> = { ...this.controls.moduleExports(), input: input.moduleExports() };
    for (const name of own.keys(more)) face[name] = more[name];
    this.registry = new Registry(engine, this.reporter, this.stacks, place, this.waits, testModule(this.tests), face);
    this.registry.patches.setClock({ now: () => engine.now(), later: (callback) => engine.later(callback) });
    this.registry.onDisposeError = (error) => this.fail(error, 'thrown');
    const native = own.functionText;
    this.opener = new Opener(this.reporter.holder, this.reporter.previewer, {
      introspection: engine.introspection,
      now: () => engine.now(),
      sourceOf: (value) => this.registry.texts.sourceOf(native(value as () => void)),
      textOf: (value) => native(value as () => void),
    });
  }

  /** Changes the globals the pad will see. Called once, before any code of the person. */
  install(): void {
    this.stacks.install();
    if (this.engine.ownConsole) {
      this.console.listening = false;
      this.reporter.holder.most = LIVE_HELD;
      this.console.install(this.engine.ownConsole, (ours, native) => this.disguises.set(ours, native));
    }
    if (this.engine.console) {
      this.console.install(this.engine.console);
      this.timers.install(globalThis as unknown as Record<string, unknown>, () => this.begin);
    }
    this.hideInstrumentation();
  }

  /**
   * Runs a pad to the end of its top level and of its tests. Never throws:
   * what the pad throws is reported.
   *
   * @returns milliseconds from the first module's start to the end
   */
  async run(modules: readonly ModuleCode[], entry: string): Promise<number> {
    this.registry.add(modules);
    const start = this.engine.now();
    this.console.begin = start;
    this.begin = start;
    const never = new own.PromiseCopy<void>((resolve) => (this.unstick = resolve));
    try {
      await own.PromiseCopy.race([this.registry.run(entry), never]);
    } catch (error) {
      if (!this.engine.uncaught?.(error)) this.fail(error, 'thrown');
    }
    this.unstick = undefined;
    try {
      await this.tests.finish();
    } catch (error) {
      this.fail(error, 'thrown');
    }
    const duration = this.engine.now() - start;
    this.flushEnd();
    return duration;
  }

  /** An error that nobody caught: of the test it belongs to, else of the run. */
  fail(error: unknown, kind: RawError['kind']): void {
    if (kind !== 'thrown' && this.tests.caught(error)) return;
    this.reporter.addError(this.errors.read(error, kind, ++this.reporter.clock));
  }

  /** Nothing of the program can go on, and it has not ended: ends what waits, and says so. */
  stuck(): void {
    if (this.tests.drain() || !this.unstick) return;
    this.engine.unsettled?.();
    const moment = ++this.reporter.clock;
    this.reporter.addError({
      kind: 'thrown',
      moment,
      name: '',
      message: 'an await at the top level never ends: it waits for something that cannot come any more',
      code: 'E_NEVER',
      frames: this.waits
        .pending(this.begin)
        .map(({ file, line, character }) => ({ name: '', file, line, character, local: true, isAsync: false })),
    });
    this.unstick();
  }

  /** Milliseconds since the run began. */
  get elapsed(): number {
    return this.engine.now() - this.begin;
  }

  /** A request that the program begins. */
  request(entry: Omit<RawRequest, 'id' | 'moment' | 'since' | 'frames'>, known?: RawFrame[]): RawRequest {
    const frames = known ?? this.stacks.here(16).filter((frame) => frame.local);
    const made: RawRequest = {
      ...entry,
      id: ++this.requests,
      moment: ++this.reporter.clock,
      since: this.engine.now() - this.begin,
      frames,
    };
    if (this.requests <= MOST_REQUESTS) this.reporter.addRequest(made);
    return made;
  }

  /** A request has changed; with its body where that has come. */
  requested(entry: RawRequest, body?: { value: unknown }, error?: unknown): void {
    if (body) {
      entry.body = this.reporter.previewer.take(body.value, CONSOLE);
      entry.bodyMoment = ++this.reporter.clock;
      this.reporter.holder.hold(entry.bodyMoment, 0, body.value);
    }
    if (error !== undefined) {
      const read = this.errors.read(error, 'thrown', this.reporter.clock);
      const cause = read.cause ?? read;
      entry.error = `${read.message}${cause !== read ? `: ${cause.message || (cause.code ?? '')}` : ''}`;
    }
    if (entry.id <= MOST_REQUESTS) this.reporter.addRequest({ ...entry });
  }

  /** Does to the running program what a person asks for; false where there is nothing to do it to. */
  act(action: Action): boolean {
    return action.do === 'stop-timer' ? this.timers.stop(action.id) : this.controls.open(action.id);
  }

  /** Gives a function of ours the text of the one it stands for. */
  disguise(made: object, original: object): void {
    this.disguises.set(made, original);
  }

  /** What the pad gives as its default export, once it is there; undefined where it has none. */
  async result(entry: string): Promise<{ value: unknown } | undefined> {
    const namespace = this.registry.namespaceOf(entry);
    if (!namespace || !('default' in namespace)) return undefined;
    return { value: await namespace.default };
  }

  /** Sends all that is known, what is pending included, however soon after the last time. */
  flushEnd(): void {
    this.reporter.final = true;
    this.flush();
    this.reporter.final = false;
  }

  /** Sends all that is known, with exact counts. */
  flush(): void {
    this.reporter.flush(true);
  }

  /** The person's frames of the place that calls. */
  here(): RawFrame[] {
    return this.stacks.here(16).filter((frame) => frame.local);
  }

  /** Answers a question about a value that the pad made. */
  look(request: LookRequest | NamesRequest): LookAnswer {
    if (request.do === 'names') return this.names(request);
    return this.opener.answer(request);
  }

  /** The names a value has, or those of the global object. */
  private names({ file, code, path, prefix }: NamesRequest): LookAnswer {
    // The engine's own getters of its own globals are known to run nothing of the person.
    let value: unknown =
      path[0] !== undefined && this.engine.globals?.[path[0]] !== undefined ? this.engine.globals : globalThis;
    if (code !== undefined) {
      try {
        value = this.registry.patches.evaluate(file, code);
      } catch {
        // A variable that the module has not reached yet.
        return { is: 'names', names: [] };
      }
    }
    return this.opener.reached(value, path, prefix);
  }

  /** Changes a live program, whole or not at all. Without links it is done when this returns. */
  async change(change: LiveChange): Promise<LiveAnswer> {
    const { registry } = this;
    const start = this.engine.now();
    const failed = (error: unknown, step = -1): LiveAnswer => ({
      failed: { step, error: this.errors.read(error, 'thrown', this.reporter.clock) },
      objects: 0,
      resumed: [],
      pauseMs: 0,
    });
    const resumed = (): string[] => this.engine.resume?.() ?? [];
    switch (change.do) {
      case 'patience':
        registry.patches.patience = change.ms;
        return { objects: 0, resumed: [], pauseMs: 0 };
      case 'listen':
        this.engine.listen?.(change.on);
        return { objects: 0, resumed: [], pauseMs: 0 };
      case 'report':
        this.report(change.on);
        return { objects: 0, resumed: [], pauseMs: 0 };
      case 'observe': {
        const unobserved = this.observe(change.observe);
        return {
          objects: 0,
          resumed: [],
          pauseMs: this.engine.now() - start,
          ...(unobserved.length > 0 ? { unobserved } : {}),
        };
      }
      case 'evaluate': {
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
            return failed(error, i);
          }
        }
        registry.sync();
        const moment = ++this.reporter.clock;
        const value = this.reporter.previewer.take(result, CONSOLE);
        this.reporter.holder.hold(moment, 0, result);
        return { objects: 0, resumed: [], pauseMs, result: { value, moment } };
      }
      case 'undo':
        return registry.patches.undo()
          ? { objects: 0, resumed: resumed(), pauseMs: this.engine.now() - start }
          : failed(new own.ErrorCopy('there is no change to take back'));
      case 'patch': {
        registry.add(change.modules);
        for (const { file, name, link } of change.links) {
          try {
            if (this.engine.ownLoader) registry.patches.lateOf(file)[name] = await this.engine.ownLoader(file, link);
            else await registry.prepare(file, name, link, []);
          } catch (error) {
            return failed(error);
          }
        }
        const begin = this.engine.now();
        const applied = registry.patches.apply(change.steps);
        registry.sync();
        if (applied.failed) return failed(applied.failed.error, applied.failed.step);
        const unobserved = change.observe ? this.observe(change.observe) : [];
        return {
          objects: applied.filled,
          resumed: change.steps.length > 0 ? resumed() : [],
          pauseMs: this.engine.now() - begin,
          ...(unobserved.length > 0 ? { unobserved } : {}),
        };
      }
      case 'reload': {
        try {
          const moved = await registry.reload(change.modules);
          const applied = registry.patches.apply(change.steps);
          if (applied.failed) throw applied.failed.error;
          return { objects: moved + applied.filled, resumed: resumed(), pauseMs: this.engine.now() - start };
        } catch (error) {
          return failed(error);
        }
      }
    }
  }

  private observe(observe: Observe): { step: number; message: string }[] {
    return this.registry.observed
      .observe(observe)
      .map(({ step, error }) => ({ step, message: this.errors.read(error, 'thrown', this.reporter.clock).message }));
  }

  private stopReports: (() => void) | undefined;

  private report(on: boolean): void {
    this.console.listening = on;
    if (on && !this.stopReports)
      this.stopReports = this.engine.every?.(REPORT_MS, () => {
        this.reporter.flush(true);
        this.registry.observed.refresh();
      });
    else if (!on) {
      this.stopReports?.();
      this.stopReports = undefined;
    }
  }

  /** `toString` of an instrumented function gives the person's own text. */
  private hideInstrumentation(): void {
    const { registry, disguises } = this;
    const native = own.functionText;
    const replacement = {
      toString(this: (...args: unknown[]) => unknown): string {
        const hidden = disguises.get(this);
        return hidden ? native(hidden as () => void) : (registry.texts.originalText(native(this)) ?? native(this));
      },
    }.toString;
    own.defineProperty(own.FunctionPrototype, 'toString', {
      value: replacement,
      writable: true,
      enumerable: false,
      configurable: true,
    });
  }
}
