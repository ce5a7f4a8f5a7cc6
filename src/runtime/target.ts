/**
 * A target from the inside: puts probes, console, tests and modules together,
 * runs a pad, and reports.
 */
import type { LookAnswer, LookRequest } from './look.js';
import { Opener } from './opener.js';
import { PadConsole } from './console.js';
import { Exhibits } from './exhibits.js';
import { ErrorReader } from './errors.js';
import * as own from './originals.js';
import type { PatchStep } from './patches.js';
import type { Insight } from './preview.js';
import { Registry, type ModuleEngine } from './registry.js';
import { Reporter } from './reporter.js';
import { Stacks } from './stacks.js';
import { TestRunner } from './tests.js';
import type { Batch, ModuleCode, RawError, RawFrame } from './wire.js';

export interface TargetEngine extends ModuleEngine {
  insight: Insight;
  now(): number;
  /** Calls back when nothing else is to be done. */
  later(callback: () => void): void;
  send(batch: Batch): void;
  /** Tells the files of this runtime and its host, which never show in stacks. */
  isOwnFile(file: string): boolean;
  console: object | undefined;
}

export class Target {
  readonly reporter: Reporter;
  readonly stacks: Stacks;
  readonly console: PadConsole;
  readonly tests: TestRunner;
  readonly registry: Registry;
  private readonly errors: ErrorReader;
  private readonly opener: Opener;

  constructor(private readonly engine: TargetEngine) {
    const place = { site: -1 };
    this.reporter = new Reporter(
      engine.insight,
      (batch) => engine.send(batch),
      () => engine.now(),
    );
    this.stacks = new Stacks((file) => engine.isOwnFile(file));
    this.errors = new ErrorReader(this.reporter.previewer, this.stacks, engine.insight, this.reporter.holder);
    this.console = new PadConsole(this.reporter, this.stacks, place, () => engine.now());
    this.tests = new TestRunner(this.reporter, this.stacks, this.errors, () => engine.now());
    const exhibits = new Exhibits(this.reporter, this.stacks, (callback) => engine.later(callback));
    this.registry = new Registry(engine, this.reporter, this.stacks, place, this.tests.face(), exhibits.face());
    const native = own.functionText;
    this.opener = new Opener(this.reporter.holder, this.reporter.previewer, {
      insight: engine.insight,
      now: () => engine.now(),
      sourceOf: (value) => this.registry.sourceOf(native(value as () => void)),
      textOf: (value) => native(value as () => void),
    });
  }

  /** Changes the globals the pad will see. Called once, before any code of the person. */
  install(): void {
    this.stacks.install();
    if (this.engine.console) this.console.install(this.engine.console);
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
    try {
      await this.registry.run(entry);
    } catch (error) {
      this.fail(error, 'thrown');
    }
    try {
      await this.tests.finish();
    } catch (error) {
      this.fail(error, 'thrown');
    }
    const duration = this.engine.now() - start;
    this.flush();
    return duration;
  }

  fail(error: unknown, kind: RawError['kind']): void {
    this.reporter.addError(this.errors.read(error, kind, ++this.reporter.clock));
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
  look(request: LookRequest): LookAnswer {
    return this.opener.answer(request);
  }

  patch(steps: readonly PatchStep[]): { failed?: { step: number; error: RawError } } {
    const { failed } = this.registry.patches.apply(steps);
    return failed ? { failed: { step: failed.step, error: this.errors.read(failed.error, 'thrown', this.reporter.clock) } } : {};
  }

  /** `toString` of an instrumented function gives the person's own text. */
  private hideInstrumentation(): void {
    const { registry } = this;
    const native = own.functionText;
    const replacement = {
      toString(this: (...args: unknown[]) => unknown): string {
        return registry.originalText(native(this)) ?? native(this);
      },
    }.toString;
    own.defineProperty(own.FunctionPrototype, 'toString', { value: replacement, writable: true, enumerable: false, configurable: true });
  }
}
