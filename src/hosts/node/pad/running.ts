/** The one run of a pad's thread: how it begins, what is asked of it, and how it comes to its end. */
import type { MessagePort } from 'node:worker_threads';
import { ReachedSites } from '../../../runtime/reports/reached-sites.js';
import { StepTeller } from '../../../runtime/reports/step-teller.js';
import type { Target } from '../../../runtime/target.js';
import type { HoldRequest } from '../../../wire/holding.js';
import type { LookAnswer, LookRequest, NamesRequest } from '../../../wire/looking.js';
import type { LiveAnswer, PadData, ToPad } from '../../../wire/messages.js';
import type { LiveChange, ModuleCode } from '../../../wire/modules.js';
import { fatalText } from '../fatal.js';
import type { FrameworkPlace } from '../../../wire/runs.js';
import type { ProcessEnd } from '../process-events.js';
import { nodeInsight } from '../introspection.js';
import type { CallScopes } from '../../../runtime/reports/early-frames.js';
import { installOutside } from './outside.js';
import { readScopes } from './scopes.js';
import type { Asking } from './asking.js';
import { metaEnvOf, putAround } from './frameworks/environment.js';
import { loadFramework } from './frameworks/index.js';
import { askedBefore } from './frameworks/package-calls.js';
import type { FrameworkParts } from './frameworks/parts.js';
import type { ImportFrom } from './importing.js';
import type { Originals } from './originals.js';
import { resultOf } from './result.js';

/** How far the run is. */
interface Stage {
  running: boolean;
  /** Top level and tests have ended. */
  ended: boolean;
  /** Nothing is pending any more. */
  idle: boolean;
  /** The session was told that the thread ends. */
  leaving: boolean;
  /** The program was told of its exit. */
  left: boolean;
  /** The event loop has turned since the program began. */
  turned: boolean;
  /** Nobody caught an error. */
  failed: boolean;
  /** The top level never came to its end. */
  unsettled: boolean;
  /** The program has called for its end. */
  asked: boolean;
  /** Its default export is still wanted. */
  askedResult: boolean;
  /** Each step of it is told. */
  tellsSteps: boolean;
}

/** Milliseconds, of no meaning but that a timer is there. */
const HOLD_MS = 60_000;

export class PadRun {
  readonly stage: Stage = {
    running: false,
    ended: false,
    idle: false,
    leaving: false,
    left: false,
    turned: false,
    failed: false,
    unsettled: false,
    asked: false,
    askedResult: false,
    tellsSteps: false,
  };
  asking!: Asking;
  target!: Target;
  end!: ProcessEnd;
  /** Nobody is there to let through what is held. */
  alone = false;
  /** The session was told that nothing is pending any more. */
  idle: () => void = () => undefined;
  /** Of a live program: a loop that an error has stopped. */
  noteStopped: () => void = () => undefined;

  /** @param prepare called with the modules before they run */
  constructor(
    private readonly port: MessagePort,
    private readonly originals: Originals,
    private readonly data: PadData,
    private readonly importer: (from: string) => ImportFrom,
    private readonly prepare: (modules: readonly ModuleCode[]) => void,
  ) {}

  /** Takes a message of the relay. */
  handle(message: ToPad): void {
    const { target, originals, stage } = this;
    switch (message.type) {
      case 'ping':
        target.parts.reporter.tick();
        originals.send({ type: 'pong' });
        break;
      case 'run':
        void this.run(message);
        break;
      case 'resolved':
        this.asking.answered(message.ask, message.answer);
        break;
      case 'look':
        this.look(message.ask, message.request);
        break;
      case 'act':
        if (target.act(message.action) && stage.idle && message.action.do !== 'stop-timer') {
          stage.idle = false;
          originals.later(() => undefined);
          this.port.unref();
        } else if (stage.idle) originals.send({ type: 'idle' });
        target.flushEnd();
        break;
      case 'pause':
        originals.send({ type: 'answered', ask: message.ask, answer: target.parts.pauses.answer(message.request) });
        break;
      case 'hold':
        this.hold(message.ask, message.request);
        break;
      case 'change':
        this.change(message.ask, message.change);
        break;
    }
  }

  private change(ask: number, change: LiveChange): void {
    const { target, originals } = this;
    const tell = (answer: LiveAnswer): void => {
      target.flush();
      originals.send({ type: 'changed', ask, answer });
    };
    const { changes, pauses } = target.parts;
    // Nothing that waits goes on while the thread stands still.
    if (pauses.isPaused) tell(changes.changeNow(change));
    else void changes.change(change).then(tell);
  }

  private hold(ask: number, request: HoldRequest): void {
    const { holding, pauses } = this.target.parts;
    const answer = holding.answer(request);
    if (request.do === 'hold') pauses.watchErrors();
    this.target.flush();
    this.originals.send({ type: 'hold-answered', ask, answer });
  }

  private look(ask: number, request: LookRequest | NamesRequest): void {
    let answer: LookAnswer;
    try {
      answer = this.target.look(request);
    } catch (error) {
      const why = error instanceof Error ? error.message : 'unknown reason';
      answer = { is: 'gone', why: `This value cannot be read: ${why}` };
    }
    // A getter that ran may have printed.
    if (request.do === 'get') this.target.flush();
    this.originals.send({ type: 'looked', ask, answer });
  }

  private async run({ entry, modules, argv, asked }: Extract<ToPad, { type: 'run' }>): Promise<void> {
    const { target, originals, stage } = this;
    stage.running = true;
    process.argv.splice(1, process.argv.length, entry, ...argv);
    // From here on only what the pad itself leaves pending keeps the thread going.
    this.port.unref();
    this.prepare(modules);
    const { tests, controls, input, result, alone, framework, steps, pixel } = asked;
    this.alone = alone === true;
    stage.tellsSteps = steps !== undefined;
    stage.askedResult = result === true;
    if (tests) target.parts.tests.order(tests);
    if (asked.begin) target.begin(asked.begin);
    const { reporter } = target.parts;
    if (steps) {
      const scopes = (most: number): CallScopes[] => readScopes(originals, most);
      const teller = new StepTeller(reporter, steps, nodeInsight, scopes);
      reporter.takeSteps(teller, pixel);
      target.parts.errors.noted = (moment) => teller.note(moment);
      installOutside(target, originals, (made, original) => target.parts.disguises.set(made, original));
    }
    if (tests?.reach) reporter.asked.reached = new ReachedSites(reporter.counts);
    if (controls) target.parts.controls.order(controls);
    if (input) {
      const read = (): Uint8Array => ('bytes' in input ? input.bytes : originals.readFile(input.file));
      target.source = { name: input.name, read };
    }
    const turn = (): void => void (stage.turned = true);
    originals.timers.setTimeout(turn, 0).unref();
    originals.later(turn);
    const end = framework && (await this.framework(entry, framework, tests?.alone, steps !== undefined));
    // Frameworks end by their own timers what never ends, and those alone do not keep a thread.
    const hold = framework && originals.timers.setInterval(() => undefined, HOLD_MS);
    const durationMs = await target.run(modules, entry);
    await end?.();
    originals.timers.clearInterval(hold);
    stage.ended = true;
    if (result) {
      const made = await resultOf(target, entry);
      stage.askedResult = false;
      originals.send({ type: 'result', result: made });
    }
    originals.send({ type: 'settled', durationMs });
    // One more turn, so that the end of the loop is told once more where it was told too early.
    originals.later(() => undefined);
    this.port.unref();
  }

  /**
   * The program has come to the end of what it does; its objects stay openable
   * until the session ends the thread.
   *
   * @param tell tells the program so; true when it has nothing more to do
   */
  async drained(tell: () => Promise<boolean>): Promise<void> {
    const { target, originals, stage, port } = this;
    if (!stage.running || stage.idle) return;
    const { controls } = target.parts;
    if (controls.holding || (!stage.ended && controls.waiting)) {
      // It waits at a gate: that is no failure, and the gate can still be opened.
      stage.idle = true;
      target.flushEnd();
      if (!stage.ended) originals.send({ type: 'settled', durationMs: target.elapsed });
      if (stage.askedResult) this.noResult('it waits at a gate');
      originals.send({ type: 'idle' });
      port.ref();
      return;
    }
    port.ref();
    if (!stage.ended) {
      // Something at the top level, or a test, waits for what cannot come: it is told so, and the run comes to its end.
      stage.unsettled = true;
      target.stuck();
      return;
    }
    if (!stage.left && (await tell())) {
      port.unref();
      return;
    }
    stage.idle = true;
    if (!stage.left) {
      stage.left = true;
      target.parts.reporter.ended(this.end.exit());
    }
    target.flushEnd();
    if (stage.askedResult) this.noResult('its default export is a promise that never ends');
    originals.send({ type: 'idle' });
    this.idle();
  }

  /** Gets the project's own test framework ready, and what it has around the tests; where it cannot be loaded, says so. */
  private async framework(
    file: string,
    { name, packages, settings }: FrameworkPlace,
    alone: readonly string[] | undefined,
    patient: boolean,
  ): Promise<() => Promise<void>> {
    const { target } = this;
    const { reported, registry } = target.parts;
    const setup = settings?.setup ?? [];
    const parts: FrameworkParts = {
      ...{ file, framework: name, packages, settings, reported, importer: this.importer, alone, patient },
      caller: () => target.here()[0]?.file ?? file,
      replacing: registry.replacing,
      entries: [file, ...setup],
    };
    let end = (): Promise<void> => Promise.resolve();
    target.beforeSetup = askedBefore();
    this.originals.send({ type: 'loading', begins: true });
    try {
      end = await putAround(parts);
      registry.program.metaEnv = metaEnvOf(parts);
      target.framework = await loadFramework(name, parts);
      target.setup = setup;
    } catch (error) {
      target.fail(error, 'thrown');
    }
    this.originals.send({ type: 'loading', begins: false });
    return end;
  }

  private noResult(why: string): void {
    this.originals.send({ type: 'result', result: { is: 'failed', why } });
  }

  /** Tells the session why this thread is about to end, and waits until it knows. */
  leave(reason: 'exit' | 'abort' | 'killed' | 'held', code?: number | string): void {
    const { target, originals, stage } = this;
    if (stage.leaving) return;
    stage.leaving = true;
    const frames = target.here();
    target.parts.tests.abandon();
    target.flush();
    const told = new SharedArrayBuffer(4);
    originals.send({ type: 'leaving', reason, frames, told, ...(code === undefined ? {} : { code }) });
    originals.wait(new Int32Array(told), 0, 0, 500);
  }

  /** The exit code of a program that ends without one of its own; undefined where it has one. */
  exitCode(): number | undefined {
    const { failed, asked, unsettled, ended } = this.stage;
    if (process.exitCode !== undefined || !(failed || (!asked && (unsettled || !ended)))) return undefined;
    process.exitCode = failed ? 1 : 13;
    // An unsettled top level was told with 0 by older engines.
    return failed ? 1 : Number(process.versions.node.split('.')[0]) >= 22 ? 13 : undefined;
  }

  /** Nobody caught an error. A live program goes on after one, once it runs. */
  uncaught(error: unknown, kind: 'uncaught' | 'rejection' | 'thrown'): boolean {
    if (this.data.live && !this.stage.turned) {
      this.endWith(error);
      return true;
    }
    if (!this.target.fail(error, kind)) return true;
    this.stage.failed = true;
    this.target.flush();
    if (kind === 'uncaught') this.noteStopped();
    return true;
  }

  /** An error before the first turn of the event loop ends a program, here as everywhere. */
  private endWith(error: unknown): void {
    const { target } = this;
    process.exitCode = 1;
    const text = fatalText(error, target.parts.stacks, (file) => target.parts.registry.sourceOf(file));
    this.end.exit();
    this.originals.stderr(text);
    process.exit();
  }
}
