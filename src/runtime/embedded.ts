/**
 * A target whose modules the engine loads by itself, as they stand: a page, or
 * a thread or process that a live program has started. It takes the same
 * changes and answers the same questions as a program of our own registry.
 */
import type { FromGuest, ToGuest } from '../wire/guests.js';
import { LIVE } from '../wire/constants.js';
import { LateExports } from './late-exports.js';
import type { LookAnswer } from '../wire/looking.js';
import * as own from './originals.js';
import type { EntriesEngine } from './entries/engine.js';
import type { HoldEngine } from './holding/engine.js';
import type { PauseEngine } from './pausing/engine.js';
import type { PointsHost } from './pausing/points-engine.js';
import type { PauseNews } from '../wire/pausing.js';
import type { Introspection } from './preview.js';
import type { Stacks } from './stacks.js';
import { Target } from './target.js';
import type { TargetEngine } from './target-engine.js';
import type { LiveAnswer } from '../wire/messages.js';
import type { ModuleLink } from '../wire/modules.js';

/** What only the engine around it can do. */
export interface EmbeddedEngine {
  introspection: Introspection;
  /** Milliseconds. */
  now(): number;
  /** Calls back in a job of its own. */
  later(callback: () => void): void;
  send(message: FromGuest): void;
  /** Tells the files of this runtime and its host, which never show in stacks. */
  isOwnFile(file: string): boolean;
  console: object;
  every(ms: number, callback: () => void): () => void;
  /** Calls again what an error had stopped for good; gives its names. */
  resume(): string[];
  globals?: Record<string, unknown>;
  /** Stacks of another target in this thread, which are those of this one too. */
  stacks?: Stacks;
  /** Imports what `specifier` names for a module at `url`. */
  load(specifier: string, url: string, file: string): Promise<object>;
  /**
   * A module begins. Gives what is asked of it before anything in it runs; undefined where nothing is, and the session
   * is told later.
   */
  begun?(told: Extract<FromGuest, { type: 'executed' }>): ToGuest[] | undefined;
  /** Something is asked of modules before they run: a module that begins waits for it. */
  asksFirst?(): boolean;
  /** Tells that a module begins, and takes what it is asked until it is let go on. */
  waitFirst?(told: Extract<FromGuest, { type: 'executed' }>): void;
  /** What holding calls that fail needs. */
  holds?: HoldEngine;
  /** What watching calls from outside needs. */
  entries?: EntriesEngine;
  /** Stops this target, or only tells of errors as they are thrown. */
  pauses?: PauseEngine;
  /** Waits in the calls themselves, where the engine has no debugger for us. */
  points?: PointsHost;
  /** Tells of pauses in a way that needs no event loop; by default like all else. */
  tellPause?(news: PauseNews): void;
  /** What the engine's debugger calls a module of that name, where it is another one. */
  nameInDebugger?(name: string): string;
  /** The name under which a module stands in stacks; by default its address. */
  nameOf?(file: string): string;
}

/** A module's own `import()`. */
type Importer = (specifier: string) => Promise<object>;

const unused = (): never => {
  throw new own.ErrorCopy('the engine loads the modules of this target by itself');
};

export class EmbeddedTarget {
  readonly target: Target;
  private isWaiting = false;
  private readonly late = new LateExports();
  private readonly urls = own.safeMap<string, string>();
  /** How modules import that a module runner executes. */
  private readonly importers = own.safeMap<string, Importer>();

  constructor(private readonly engine: EmbeddedEngine) {
    const full: TargetEngine = {
      introspection: engine.introspection,
      now: () => engine.now(),
      later: (callback) => engine.later(callback),
      send: (batch) => engine.send({ type: 'batch', batch }),
      isOwnFile: (file) => engine.isOwnFile(file),
      console: undefined,
      ownConsole: engine.console,
      ownLoader: (file, link) => this.load(file, link),
      every: (ms, callback) => engine.every(ms, callback),
      resume: () => engine.resume(),
      ...(engine.stacks ? { stacks: engine.stacks } : {}),
      ...(engine.globals ? { globals: engine.globals } : {}),
      ...(engine.pauses ? { pauses: engine.pauses } : {}),
      ...(engine.points ? { points: engine.points } : {}),
      ...(engine.holds ? { holds: engine.holds } : {}),
      ...(engine.entries ? { entries: engine.entries } : {}),
      tellHold: (news) => engine.send({ type: 'holding', news }),
      tellPause(news) {
        if (engine.tellPause) engine.tellPause(news);
        else engine.send({ type: 'pausing', news });
      },
      compile: unused,
      load: unused,
      cells: unused,
      resolve: unused,
      resolveSync: unused,
      urlOf: (file) => this.urls.get(file) ?? file,
      dirname: (file) => file,
      scope: { run: (_value, work) => work(), get: () => undefined },
      timeout: () => () => undefined,
      builtin: unused,
    };
    this.target = new Target(full);
    this.target.parts.registry.patches.onStopped = () => engine.send({ type: 'undone' });
  }

  /**
   * Installs what instrumented modules ask for, and the console that reports while somebody looks. Called once, before
   * any of them runs.
   *
   * @param symbol under which they ask
   */
  install(symbol = LIVE): void {
    this.target.install();
    const scope = globalThis as unknown as Record<symbol, unknown>;
    scope[Symbol.for(symbol)] = (file: string, version: number, meta?: { url: string }, importer?: Importer) =>
      this.moduleExports(file, version, meta, importer);
  }

  private moduleExports(
    file: string,
    version: number,
    meta: { url: string } | undefined,
    importer: Importer | undefined,
  ): Record<string, unknown> {
    const { patches } = this.target.parts.registry;
    const url = this.engine.nameOf?.(file) ?? meta?.url ?? file;
    if (this.urls.has(file)) patches.renew(file);
    this.urls.set(file, url);
    if (importer) this.importers.set(file, importer);
    const { stacks } = this.target.parts;
    stacks.loaded(url, file);
    const other = this.engine.nameInDebugger?.(url) ?? url;
    if (other !== url) stacks.nameInDebugger(other, url);
    const told = { type: 'executed', file, version, url } as const;
    const asked = this.engine.begun?.(told);
    const waits = this.engine.asksFirst?.() === true;
    if (!asked && !waits) this.engine.send(told);
    const made = patches.moduleExports(file, this.late.of(file));
    const { hook } = made;
    return {
      ...made,
      // Code of the module can be made from here on, and nothing of it has run.
      hook: (evaluate: unknown, bound?: unknown): void => {
        (hook as (...args: unknown[]) => void)(evaluate, bound);
        for (const message of asked ?? []) this.handle(message);
        if (waits) this.waitFirst(told);
      },
      meta,
      import: (specifier: string) => this.import(specifier, file),
    };
  }

  private waitFirst(told: Extract<FromGuest, { type: 'executed' }>): void {
    this.isWaiting = true;
    try {
      this.engine.waitFirst!({ ...told, waits: true });
    } finally {
      this.isWaiting = false;
    }
  }

  private import(specifier: string, file: string): Promise<object> {
    const importer = this.importers.get(file);
    return importer ? importer(specifier) : this.engine.load(specifier, this.urls.get(file) ?? file, file);
  }

  private async load(file: string, link: ModuleLink): Promise<object> {
    const namespace = await this.import(link.specifier, file);
    return link.kind === 'local' ? this.late.joined(namespace, link.target) : namespace;
  }

  /** An error that nobody caught. @returns false where the call that failed is held */
  fail(error: unknown, kind: 'rejection' | 'uncaught'): boolean {
    const told = this.target.fail(error, kind);
    this.target.flush();
    return told;
  }

  /** Its event loop does not turn: it stands still, or waits before a module. */
  get isStill(): boolean {
    return this.isWaiting || this.target.parts.pauses.isPaused;
  }

  handle(message: ToGuest): void {
    switch (message.type) {
      case 'known':
        this.target.parts.registry.know({
          ...message.code,
          name: this.urls.get(message.code.file) ?? message.code.name,
        });
        break;
      case 'look': {
        let answer: LookAnswer;
        try {
          answer = this.target.look(message.request);
        } catch (error) {
          answer = {
            is: 'gone',
            why: `This value cannot be read: ${error instanceof own.ErrorCopy ? error.message : 'unknown reason'}`,
          };
        }
        // A getter that ran may have printed.
        if (message.request.do === 'get') this.target.flush();
        this.engine.send({ type: 'looked', ask: message.ask, answer });
        break;
      }
      case 'hold': {
        const { holding, pauses } = this.target.parts;
        const answer = holding.answer(message.request);
        if (message.request.do === 'hold') pauses.watchErrors();
        this.target.flush();
        this.engine.send({ type: 'hold-answered', ask: message.ask, answer });
        break;
      }
      case 'pause':
        this.engine.send({
          type: 'answered',
          ask: message.ask,
          answer: this.target.parts.pauses.answer(message.request),
        });
        break;
      case 'change': {
        const tell = (answer: LiveAnswer): void => {
          this.target.flush();
          this.engine.send({ type: 'changed', ask: message.ask, answer });
        };
        const { changes } = this.target.parts;
        // Nothing that waits goes on while the thread stands still.
        if (this.isStill) tell(changes.changeNow(message.change));
        else void own.promiseThen(changes.change(message.change), tell);
        break;
      }
    }
  }
}
