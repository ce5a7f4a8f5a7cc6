/**
 * The server's side of a project: rendering and API routes, which the development server's module runners execute in
 * its own process. They are patched at every save as pages are, and keep their state.
 */
import { fileURLToPath } from 'node:url';
import type { DevEnvironment, ViteDevServer } from 'vite';
import { nodeInsight } from '../hosts/node/introspection.js';
import { stoppedLoops } from '../hosts/node/loops.js';
import { EmbeddedTarget } from '../runtime/embedded.js';
import type { Stacks } from '../runtime/stacks.js';
import { takeNews } from '../session/live/guest-news.js';
import type { LiveSession } from '../session/live/session.js';
import type { Guest } from '../session/live/target-state.js';
import { STACKS } from '../wire/constants.js';
import type { FromGuest, ToGuest } from '../wire/guests.js';
import type { LookAnswer, LookRequest, NamesRequest } from '../wire/looking.js';
import type { PauseAnswer, PauseRequest } from '../wire/pausing.js';
import type { LiveAnswer } from '../wire/messages.js';
import type { LiveChange, ModuleCode, ModuleLink } from '../wire/modules.js';
import { Replies } from '../wire/replies.js';
import { Collecting } from './collecting.js';

const OWN = new URL('../', import.meta.url);

/** Lines and a directive that a module runner puts above a module. */
const ABOVE = '\n\n\n';

export interface ServerSideOptions {
  session: LiveSession;
  takesPart(file: string): boolean;
  /** A module as a server environment has it. */
  printed(environment: DevEnvironment, code: ModuleCode): Promise<ModuleCode>;
  /** Called when modules have begun. */
  refresh(): void;
  warn(text: string): void;
}

let count = 0;

export class ServerSide {
  /** The global symbol under which modules find the runtime; each server has its own. */
  readonly symbol = `usher-anvil/server@1 ${++count}`;
  private embedded: EmbeddedTarget | undefined;
  private guest: ServerGuest | undefined;
  private readonly executed = new Set<string>();
  /** How each environment forgets a file that was saved. */
  private readonly forget = new Map<DevEnvironment, (file: string) => void>();

  /** Texts that are read again: a runner that asks meanwhile would take their modules for new ones. */
  private readonly renewing = new Set<Promise<unknown>>();

  constructor(private readonly options: ServerSideOptions) {}

  /** Takes the environments of a server whose modules may be executed in this process. */
  serve(server: ViteDevServer): void {
    for (const environment of Object.values(server.environments)) {
      if (environment.config.consumer !== 'server') continue;
      const graph = environment.moduleGraph;
      const forget = graph.onFileChange.bind(graph);
      this.forget.set(environment, forget);
      // What is patched where it runs is not to be executed anew.
      graph.onFileChange = (file) => {
        if (!this.takes(file)) forget(file);
      };
      const fetch = environment.fetchModule.bind(environment);
      environment.fetchModule = async (...asked) => {
        if (this.renewing.size > 0) await Promise.all(this.renewing);
        return fetch(...asked);
      };
    }
  }

  /** A module of this file is executed here, and takes changes in place. */
  has(file: string): boolean {
    return this.executed.has(file);
  }

  /** What is executed here takes a save of this file in place. */
  private takes(file: string): boolean {
    return this.executed.has(file) || (this.executed.size > 0 && this.options.session.data.has(file));
  }

  /** Is called before a module is given to a runner. */
  begin(): void {
    this.embedded ??= this.embed();
    this.guest ??= this.join();
  }

  /** A file was patched: who asks for it later gets its text as it is now. */
  patched(file: string): void {
    if (!this.takes(file)) return;
    for (const environment of this.forget.keys())
      for (const node of environment.moduleGraph.getModulesByFile(file) ?? []) {
        node.transformResult = null;
        const renewed = environment.transformRequest(node.url).catch(() => undefined);
        this.renewing.add(renewed);
        void renewed.finally(() => this.renewing.delete(renewed));
      }
  }

  leave(): void {
    if (!this.guest) return;
    this.options.session.leave(this.guest.id);
    this.guest.end();
    this.guest = undefined;
    delete (globalThis as unknown as Record<symbol, unknown>)[Symbol.for(this.symbol)];
  }

  private join(): ServerGuest {
    const guest = new ServerGuest({
      runner: this.symbol,
      tell: (message) => this.embedded?.handle(message),
      takesPart: (file) => this.options.takesPart(file),
      environments: [...this.forget.keys()],
      printed: (environment, code) => this.options.printed(environment, code),
      reload: () => this.reload(),
    });
    this.options.session.join(guest);
    return guest;
  }

  /** All modules are executed anew with the next request. */
  private reload(): void {
    const files = [...this.executed, ...this.options.session.data.files];
    this.executed.clear();
    if (this.guest) this.options.session.leave(this.guest.id);
    this.guest?.end();
    this.guest = undefined;
    for (const [environment, forget] of this.forget) {
      for (const file of files) forget(file);
      environment.hot.send({ type: 'full-reload', path: '*' });
    }
  }

  private embed(): EmbeddedTarget {
    const loops = stoppedLoops();
    const { setInterval: interval, clearInterval: clear, setImmediate: immediate } = globalThis;
    const own = fileURLToPath(OWN);
    // The command that has started this process may look at it as well: stacks are read once.
    const stacks = (globalThis as unknown as Record<symbol, Stacks | undefined>)[Symbol.for(STACKS)];
    const embedded = new EmbeddedTarget({
      introspection: nodeInsight,
      now: () => performance.now(),
      later: (callback) => void immediate(callback),
      // In a job of its own: what the session does with it is no part of the module that runs.
      send: (message) => void immediate(() => this.guarded(() => this.receive(message))),
      isOwnFile: (file) =>
        file.startsWith(OWN.href) || file.startsWith(own) || /^node:|\/node_modules\/(?:rolldown-)?vite\//.test(file),
      console,
      every(ms, callback) {
        const timer = interval(callback, ms).unref();
        return () => clear(timer);
      },
      resume: () => loops.resume(),
      globals: { process, Buffer },
      begun: (told) => this.begun(told),
      load: (specifier) => import(specifier) as Promise<object>,
      nameOf: (file) => file.replace(/\s/g, encodeURIComponent),
      ...(stacks ? { stacks } : {}),
    });
    embedded.install(this.symbol);
    return embedded;
  }

  /** A module that somebody looks at is asked what it reports before it runs. */
  private begun({ file, version }: Extract<FromGuest, { type: 'executed' }>): ToGuest[] | undefined {
    const { guest } = this;
    const { session, refresh } = this.options;
    if (!guest || !session.looked.includes(file)) return undefined;
    this.executed.add(file);
    const asked = guest.collecting.during(() => this.guarded(() => session.executed(guest.id, file, version, true)));
    refresh();
    return asked;
  }

  /** An error of ours is said, and ends nothing of the server. */
  private guarded(work: () => void): void {
    try {
      work();
    } catch (error) {
      this.options.warn(`usher-anvil: the server's side could not be told of: ${(error as Error).message}`);
    }
  }

  private receive(message: FromGuest): void {
    const { guest } = this;
    if (!guest) return;
    const { session } = this.options;
    switch (message.type) {
      case 'executed':
        this.executed.add(message.file);
        session.executed(guest.id, message.file, message.version);
        this.options.refresh();
        break;
      case 'batch':
        session.reportedBy(guest.id, structuredClone(message.batch));
        break;
      default:
        takeNews(session, guest.id, message, (ask, answer) => guest.answered(ask, answer));
    }
  }
}

interface ServerGuestOptions {
  runner: string;
  tell(message: ToGuest): void;
  takesPart(file: string): boolean;
  environments: readonly DevEnvironment[];
  printed(environment: DevEnvironment, code: ModuleCode): Promise<ModuleCode>;
  reload(): void;
}

class ServerGuest implements Guest {
  readonly label = 'server';
  readonly console = true;
  readonly runsOn = true;
  readonly id = `server ${++count}`;
  readonly runner: string;
  private readonly replies = new Replies<unknown>();
  /** What it is told while it waits. */
  readonly collecting = new Collecting();

  constructor(private readonly options: ServerGuestOptions) {
    this.runner = options.runner;
  }

  end(): void {
    this.replies.end();
  }

  answered(ask: number, answer: unknown): void {
    this.replies.answer(ask, answer);
  }

  private tell(message: ToGuest): void {
    if (!this.collecting.take(message)) this.options.tell(message);
  }

  async resolve(specifier: string, from: string): Promise<ModuleLink> {
    const { environments, takesPart } = this.options;
    const own = environments.find((one) => one.moduleGraph.getModulesByFile(from)?.size) ?? environments[0];
    const resolved = await own?.pluginContainer.resolveId(specifier, from);
    if (!resolved) return { specifier, kind: 'missing', target: 'it leads nowhere', names: [] };
    const file = resolved.id.split('?')[0]!;
    const isLocal = takesPart(file);
    return { specifier, kind: isLocal ? 'local' : 'package', target: isLocal ? file : specifier, names: [] };
  }

  change(change: LiveChange): Promise<LiveAnswer> {
    const ended: LiveAnswer = { objects: 0, resumed: [], pauseMs: 0 };
    return this.replies.ask((ask) => this.tell({ type: 'change', ask, change }), ended) as Promise<LiveAnswer>;
  }

  look(request: LookRequest | NamesRequest): Promise<LookAnswer> {
    const ended: LookAnswer = { is: 'gone', why: 'The server has begun anew.' };
    return this.replies.ask((ask) => this.tell({ type: 'look', ask, request }), ended) as Promise<LookAnswer>;
  }

  pause(request: PauseRequest): Promise<PauseAnswer> {
    const ended: PauseAnswer = { is: 'cannot', why: 'the server has begun anew' };
    return this.replies.ask((ask) => this.tell({ type: 'pause', ask, request }), ended) as Promise<PauseAnswer>;
  }

  know(code: ModuleCode): void {
    for (const environment of this.options.environments) {
      if (!environment.moduleGraph.getModulesByFile(code.file)?.size) continue;
      void this.options.printed(environment, code).then((printed) => {
        const generated = printed.generated.map((at) => at + ABOVE.length);
        this.options.tell({ type: 'known', code: { ...printed, generated, code: `${ABOVE}${printed.code}` } });
      });
      return;
    }
  }

  reload(): void {
    this.options.reload();
  }
}
