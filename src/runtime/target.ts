/**
 * A target from the inside: puts probes, console, tests and modules together,
 * runs a pad, and reports.
 */
import type { LookAnswer, LookRequest, NamesRequest } from '../wire/looking.js';
import type { Action, ModuleCode } from '../wire/modules.js';
import type { RawError, RawFrame, RawRequest } from '../wire/reports.js';
import type { RunBegin } from '../wire/runs.js';
import type { InputSource } from './input.js';
import * as own from './originals.js';
import type { TargetEngine } from './target-engine.js';
import type { Framework } from './tests/framework.js';
import { targetParts, type TargetParts } from './target-parts.js';

/** Bytes, roughly, that a live program holds for opening. */
const LIVE_HELD = 8 * 1024 * 1024;

export class Target {
  readonly parts: TargetParts;
  /** The data that `input` reads. */
  source: InputSource | undefined;
  /** The test framework that runs the pad. */
  framework: Framework | undefined;
  /** What is done before these. */
  beforeSetup: (() => void) | undefined;
  /** Files that are evaluated before the pad. */
  setup: readonly string[] = [];
  private since = 0;
  private unstick: (() => void) | undefined;

  constructor(private readonly engine: TargetEngine) {
    this.parts = targetParts(
      engine,
      () => this.source,
      () => this.framework,
      () => this.since,
    );
    this.parts.registry.onDisposeError = (error) => this.fail(error, 'thrown');
  }

  /** Changes the globals the pad will see. Called once, before any code of the person. */
  install(): void {
    const disguise = (ours: object, native: object): void => this.parts.disguises.set(ours, native);
    if (!this.engine.stacks) this.parts.stacks.install();
    if (this.engine.ownConsole) {
      this.parts.console.listening = false;
      this.parts.reporter.holder.most = LIVE_HELD;
      this.parts.console.install(this.engine.ownConsole, disguise, true);
    }
    if (this.engine.console) {
      this.parts.console.install(this.engine.console, disguise);
      this.parts.timers.install(globalThis as unknown as Record<string, unknown>, () => this.since);
    }
    this.parts.disguises.install(this.parts.registry.texts);
  }

  /**
   * Runs a pad to the end of its top level and of its tests. Never throws:
   * what the pad throws is reported.
   *
   * @returns milliseconds from the first module's start to the end
   */
  async run(modules: readonly ModuleCode[], entry: string): Promise<number> {
    this.parts.registry.add(modules);
    const start = this.engine.now();
    this.parts.console.begin = start;
    this.since = start;
    const never = new own.PromiseCopy<void>((resolve) => (this.unstick = resolve));
    try {
      const { registry } = this.parts;
      const program = async (): Promise<void> => {
        this.beforeSetup?.();
        for (const file of this.setup) await registry.prelude(file);
        await registry.run(entry);
      };
      await own.PromiseCopy.race([this.framework ? this.framework.run(program) : program(), never]);
    } catch (error) {
      if (!this.engine.uncaught?.(error)) this.fail(error, 'thrown');
    }
    this.unstick = undefined;
    try {
      await this.parts.tests.finish();
    } catch (error) {
      this.fail(error, 'thrown');
    }
    const duration = this.engine.now() - start;
    this.flushEnd();
    return duration;
  }

  /** What is there before the first line runs. */
  begin({ pause, rules, observe, errors, hold }: RunBegin): void {
    const { pauses, holding, registry } = this.parts;
    pauses.answer({ do: 'breakpoints', list: rules });
    if (errors !== 'none') pauses.answer({ do: 'errors', which: errors });
    if (hold) {
      holding.answer({ do: 'hold', on: true, limitMs: hold.limitMs });
      pauses.watchErrors();
    }
    if (observe) registry.observed.observe(observe);
    if (pause) this.engine.begins = () => pauses.stopFirst();
  }

  /**
   * An error that nobody caught: of the test it belongs to, else of the run.
   *
   * @returns false where the call that failed is held
   */
  fail(error: unknown, kind: RawError['kind']): boolean {
    if (kind !== 'thrown' && this.parts.holding.unhandled(error)) return false;
    if (kind !== 'thrown' && (this.parts.tests.caught(error) || this.framework?.caught?.(error))) return true;
    this.parts.reporter.addError(this.parts.errors.read(error, kind, ++this.parts.reporter.clock));
    return true;
  }

  /** Nothing of the program can go on, and it has not ended: ends what waits, and says so. */
  stuck(): void {
    if (this.parts.tests.drain() || !this.unstick) return;
    this.engine.unsettled?.();
    const moment = ++this.parts.reporter.clock;
    this.parts.reporter.addError({
      kind: 'thrown',
      moment,
      name: '',
      message: 'an await at the top level never ends: it waits for something that cannot come any more',
      code: 'E_NEVER',
      frames: this.parts.waits
        .pending(this.since)
        .map(({ file, line, character }) => ({ name: '', file, line, character, local: true, isAsync: false })),
    });
    this.unstick();
  }

  /** Milliseconds since the run began. */
  get elapsed(): number {
    return this.engine.now() - this.since;
  }

  /** A request that the program begins. */
  request(entry: Omit<RawRequest, 'id' | 'moment' | 'since' | 'frames'>, known?: RawFrame[]): RawRequest {
    return this.parts.requests.begin({ ...entry, since: this.elapsed, frames: known ?? this.here() });
  }

  /** Does to the running program what a person asks for; false where there is nothing to do it to. */
  act(action: Action): boolean {
    const { timers, controls, shown } = this.parts;
    if (action.do === 'clock') return shown.clock(action.id, action.to);
    if (action.do === 'stop-timer') return timers.stop(action.id);
    if (action.do === 'open-gate') return controls.open(action.id);
    controls.letThrough(action.name);
    return true;
  }

  /** What the pad gives as its default export, once it is there; undefined where it has none. */
  async result(entry: string): Promise<{ value: unknown } | undefined> {
    const result = this.parts.registry.resultOf(entry);
    return result && { value: await result.value };
  }

  /** Sends all that is known, what is pending included, however soon after the last time. */
  flushEnd(): void {
    this.parts.reporter.flush({ counts: true, final: true });
  }

  /** Sends all that is known, with exact counts. */
  flush(): void {
    this.parts.reporter.flush({ counts: true });
  }

  /** The person's frames of the place that calls. */
  here(): RawFrame[] {
    return this.parts.stacks.here(16).filter((frame) => frame.local);
  }

  /** Answers a question about a value that the pad made. */
  look(request: LookRequest | NamesRequest): LookAnswer {
    if (request.do === 'names') return this.names(request);
    return this.parts.opener.answer(request);
  }

  /** The names a value has, or those of the global object. */
  private names({ file, code, path, prefix }: NamesRequest): LookAnswer {
    // The engine's own getters of its own globals are known to run nothing of the person.
    let value: unknown =
      path[0] !== undefined && this.engine.globals?.[path[0]] !== undefined ? this.engine.globals : globalThis;
    if (code !== undefined) {
      try {
        value = this.parts.registry.patches.evaluate(file, code);
      } catch {
        // A variable that the module has not reached yet.
        return { is: 'names', names: [] };
      }
    }
    return this.parts.opener.reached(value, path, prefix);
  }
}
