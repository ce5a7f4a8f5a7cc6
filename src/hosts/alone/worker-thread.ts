/** The worker in which a pad of a published page runs: one run, and then it is ended. */
import { Compared } from '../../compare/compared.js';
import { inputEngine, type ParseCsv } from '../../runtime/input-engine.js';
import {
  type BandAnswer,
  type BandAsked,
  helperThread,
  type HelpersEngine,
  type HelperThread,
} from '../../runtime/painting-helpers.js';
import { StepTeller } from '../../runtime/reports/step-teller.js';
import { Target } from '../../runtime/target.js';
import type { TargetEngine } from '../../runtime/target-engine.js';
import { COMPARED } from '../../syntax/comparisons.js';
import type { LookAnswer } from '../../wire/looking.js';
import type { FromRelay, Resolved } from '../../wire/messages.js';
import type { ModuleCode } from '../../wire/modules.js';
import { Replies } from '../../wire/replies.js';
import { frameEngine } from '../browser/frame/engine.js';
import { assertModule } from './assert-module.js';
import { installOutside } from './outside.js';
import { carriedPackages } from './carried-packages.js';
import { scriptsInPage } from '../browser/scripts.js';
import type { ToThread } from './messages.js';

/** More of them are no faster: what they give has to be put together. */
const MOST_PAINTERS = 8;
/** Milliseconds between two looks whether anything is still to come. */
const IDLE_MS = 25;

const { setTimeout: timeout, clearTimeout: clear, postMessage: post, Worker: OwnWorker } = globalThis;
/** In no scope of ours. */
const evaluate = globalThis.eval;
const ownAddress = globalThis.location.href;
const ownClock = { now: performance.now.bind(performance) };

/** Modules of the platform that a page can answer. */
const BUILTINS: Record<string, () => Record<string, unknown>> = {
  assert: () => assertModule(),
  'assert/strict': () => assertModule(true),
};

/** A message to the page, to which the number of its run is added. */
type Told = FromRelay extends infer One ? (One extends unknown ? Omit<One, 'id'> : never) : never;

/** What all programs of this worker share: a rehearsal, then the pad. */
class Thread {
  readonly engine: TargetEngine;
  private readonly made: [object, object][];
  private readonly asked = new Replies<Resolved>();
  private run: ThreadRun | undefined;
  private packages = '';
  private readonly packageOf = carriedPackages(() => this.packages);
  private compared: Promise<Compared> | undefined;

  constructor() {
    const { engine, made } = frameEngine({
      live: false,
      isOwnFile: (file) => file.includes(ownAddress),
      uncaught: () => undefined,
      send: (told) => this.send(told),
      resolve: (specifier, from) => this.asked.ask((ask) => this.send({ type: 'resolve', ask, specifier, from })),
      load: (specifier, from) => Promise.resolve(this.load(specifier, from)),
    });
    // A program may be given another clock.
    engine.now = () => ownClock.now();
    engine.loadNow = (specifier, from) => this.load(specifier, from);
    engine.input = inputEngine(() => this.run!.tables());
    engine.builtin = (name) => this.load(name, '');
    engine.pictures = (ms, callback) => {
      const { run } = this;
      // Where each step is told, one picture is.
      const counts = run?.message.asked.steps === undefined ? 1 : 0;
      run?.count(counts);
      timeout(() => {
        run?.count(-counts);
        callback();
      }, ms);
    };
    engine.helpers = painters((change) => this.run?.count(change));
    this.engine = engine;
    this.made = made;
  }

  private send(told: Told): void {
    post({ ...told, id: this.run?.message.id });
  }

  /** @throws Error for a package that did not come along */
  private load(specifier: string, from: string): Record<string, unknown> {
    const builtin = BUILTINS[specifier.replace(/^node:/, '')];
    return builtin ? builtin() : this.packageOf(specifier, from);
  }

  /** Runs a program with reports that go nowhere. */
  async rehearse(modules: ModuleCode[]): Promise<Target | undefined> {
    if (modules.length === 0) return undefined;
    const engine: TargetEngine = {
      ...this.engine,
      send: () => undefined,
      console: undefined,
      cells: (_unit, count) => new Float64Array(Math.max(1, count)),
    };
    const stage = new Target(engine);
    engine.scripts = scriptsInPage(
      () => stage.parts.registry,
      (specifier, from) => this.load(specifier, from),
    );
    await stage.run(modules, modules[0]!.file);
    return stage;
  }

  /** Executes a pad as plain code, and gets ready to call its ways. */
  private async compare({ modules, names, packages }: Extract<ToThread, { type: 'compare' }>): Promise<Compared> {
    this.packages = packages;
    let failed: unknown;
    this.engine.uncaught = (error) => {
      failed ??= error;
      return true;
    };
    const stage = await this.rehearse(modules);
    return new Compared({
      load() {
        if (failed !== undefined) return Promise.reject(failed as Error);
        const found = stage?.parts.registry.namespaceOf(modules[0]!.file)?.[COMPARED] as ComparedExport;
        return Promise.resolve(waysOf(found, names));
      },
      introspection: this.engine.introspection,
      now: () => performance.now(),
      copy: structuredClone,
      rest: () => new Promise((done) => timeout(done)),
      collections: () => 0,
    });
  }

  handle(message: Exclude<ToThread, { type: 'paint' }>): void {
    if (message.type === 'rehearse') void this.rehearse(message.modules);
    else if (message.type === 'run') {
      this.packages = message.packages;
      this.run = new ThreadRun(message, this.engine, this.made, {
        send: (told) => this.send(told),
        load: (specifier, from) => this.load(specifier, from),
      });
      void this.run.begin();
    } else if (message.type === 'compare') this.compared = this.compare(message);
    else if (message.type === 'asked') {
      const { asked } = message;
      void this.compared!.then(async (compared) => post({ ask: asked.ask, answer: await compared.answer(asked) }));
    } else if (message.type === 'resolved') this.asked.answer(message.ask, message.answer);
    else this.run?.handle(message);
  }
}

/** What a pad exports of a comparison. */
interface ComparedExport {
  ways: Record<string, unknown>;
  data: unknown;
  options: { inputs?: unknown; generate?: unknown; sized?: unknown };
}

/** As a module: the ways by their places, and what they are called with. */
function waysOf({ ways, data, options }: ComparedExport, names: readonly string[]): Record<string, unknown> {
  const { inputs = [], generate, sized } = options;
  return {
    ...Object.fromEntries(names.map((name, index) => [`way${index}`, ways[name]])),
    ...{ data, inputs, generate, sized },
  };
}

class ThreadRun {
  private readonly target: Target;
  private readonly introspection: TargetEngine['introspection'];
  /** Requests that are on their way. */
  private open = 0;

  constructor(
    readonly message: Extract<ToThread, { type: 'run' }>,
    private readonly engine: TargetEngine,
    made: readonly [object, object][],
    private readonly ways: { send(told: Told): void; load(specifier: string, from: string): Record<string, unknown> },
  ) {
    this.introspection = engine.introspection;
    engine.scripts = scriptsInPage(
      () => this.target.parts.registry,
      (specifier, from) => ways.load(specifier, from),
    );
    this.target = new Target(engine);
    this.watchRequests();
    this.target.install();
    for (const [stand, original] of made) this.target.parts.disguises.set(stand, original);
    this.hearErrors();
  }

  /** Something has begun, or is over, for which the run is not at its end. */
  count(change: number): void {
    this.open += change;
  }

  private watchRequests(): void {
    const native = globalThis.fetch;
    const counted = (change: number): void => this.count(change);
    const { fetch } = {
      fetch(...args: Parameters<typeof native>): ReturnType<typeof native> {
        counted(1);
        const answer = native(...args);
        void answer.then(
          () => counted(-1),
          () => counted(-1),
        );
        return answer;
      },
    };
    globalThis.fetch = fetch;
    this.target.parts.disguises.set(fetch, native);
  }

  private hearErrors(): void {
    const fail = (error: unknown, kind: 'uncaught' | 'rejection', event: Event): void => {
      event.preventDefault();
      this.target.fail(error, kind);
      this.target.flush();
    };
    addEventListener('error', (event) => fail(event.error ?? event.message, 'uncaught', event));
    addEventListener('unhandledrejection', (event) => fail(event.reason, 'rejection', event));
  }

  async begin(): Promise<void> {
    const { target, message } = this;
    const { modules, entry, asked } = message;
    const { tests, controls, input, begin, steps, pixel } = asked;
    if (tests) target.parts.tests.order(tests);
    if (begin) target.begin(begin);
    if (controls) target.parts.controls.order(controls);
    if (steps) {
      const { reporter, errors } = target.parts;
      const teller = new StepTeller(reporter, steps, this.introspection, undefined);
      reporter.takeSteps(teller, pixel);
      errors.noted = (moment) => teller.note(moment);
      installOutside(teller, this.engine, (made, original) => target.parts.disguises.set(made, original));
    }
    if (input && 'bytes' in input) target.source = { name: input.name, read: () => input.bytes };
    const durationMs = await target.run(modules, entry);
    target.flush();
    this.ways.send({ type: 'settled', durationMs });
    this.waitForEnd();
  }

  /** Tells once nothing is to come any more: timers, answers. */
  private waitForEnd(): void {
    const { target } = this;
    timeout(() => {
      if (this.open > 0 || target.parts.timers.active().length > 0) this.waitForEnd();
      else {
        target.flushEnd();
        this.ways.send({ type: 'idle' });
      }
    }, IDLE_MS);
  }

  /** @throws Error where it is not there */
  tables(): ParseCsv {
    const scope = globalThis as { usherAnvilTables?: ParseCsv };
    if (!scope.usherAnvilTables) evaluate(this.message.tables);
    const parse = scope.usherAnvilTables;
    delete scope.usherAnvilTables;
    if (!parse) throw new Error('what parses separated values is not loaded yet: run it once more in a moment');
    return parse;
  }

  handle(message: Exclude<ToThread, { type: 'run' | 'rehearse' | 'resolved' | 'paint' | 'compare' | 'asked' }>): void {
    const { target } = this;
    switch (message.type) {
      case 'ping':
        target.flush();
        post({ type: 'pong' });
        break;
      case 'look': {
        let answer: LookAnswer;
        try {
          answer = target.look(message.request);
        } catch (error) {
          const why = error instanceof Error ? error.message : 'unknown reason';
          answer = { is: 'gone', why: `This value cannot be read: ${why}` };
        }
        this.ways.send({ type: 'looked', ask: message.ask, answer });
        break;
      }
      case 'act':
        target.act(message.action);
        target.flush();
        this.waitForEnd();
        break;
      case 'pause':
        this.ways.send({
          type: 'answered',
          ask: message.ask,
          answer: target.parts.pauses.answer(message.request),
        });
        break;
    }
  }
}

/** What the pad would say to its page would be taken for the runtime's word, and a flood of it would end the page. */
function keepQuiet(): void {
  let told = false;
  const { postMessage } = {
    postMessage(): void {
      if (!told) console.warn('postMessage: nobody listens to what a pad of a published page posts.');
      told = true;
    },
  };
  for (let at: object | null = globalThis; at !== null; at = Object.getPrototypeOf(at) as object | null)
    if (Object.hasOwn(at, 'postMessage'))
      Object.defineProperty(at, 'postMessage', { value: postMessage, writable: true, configurable: true });
}

/** Workers beside this one, of the same script. @param counted hears of pictures that are on their way */
function painters(counted: (change: number) => void): HelpersEngine {
  return {
    count: Math.min(MOST_PAINTERS, navigator.hardwareConcurrency),
    after(ms, callback) {
      const timer = timeout(callback, ms);
      return () => clear(timer);
    },
    start() {
      const worker = new OwnWorker(ownAddress);
      let asked = 0;
      const ask = (change: number): void => {
        asked += change;
        counted(change);
      };
      const thread: HelperThread = {
        say(message) {
          worker.postMessage(message);
          if (!('code' in message)) ask(1);
        },
        end() {
          worker.terminate();
          ask(-asked);
        },
      };
      worker.postMessage({ type: 'paint' } satisfies ToThread);
      const told = (answer: BandAnswer | undefined): void => {
        if (asked > 0) ask(-1);
        thread.onpainted?.(answer);
      };
      worker.onmessage = ({ data }: MessageEvent<BandAnswer | { type: string }>) => {
        if ('band' in data) told(data);
      };
      worker.onerror = (event) => {
        event.preventDefault();
        told(undefined);
      };
      return thread;
    },
  };
}

/** Begins, in a worker. */
export function startThread(): void {
  keepQuiet();
  // Pads that come from Node know it by this name, too.
  Object.defineProperty(globalThis, 'global', { value: globalThis, writable: true, configurable: true });
  const thread = new Thread();
  let paint: ReturnType<typeof helperThread> | undefined;
  addEventListener('message', ({ data }: MessageEvent<ToThread | { code: string } | BandAsked>) => {
    if (!('type' in data)) {
      const answer = paint?.(data);
      if (answer) post(answer);
    } else if (data.type === 'paint') paint = helperThread();
    else thread.handle(data);
  });
  post({ type: 'here' });
}
