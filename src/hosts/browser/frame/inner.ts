/** One run of a page pad, in a frame of its own: it begins with a fresh document, and ends with it. */
import { Target } from '../../../runtime/target.js';
import type { FramePage, ToFrame } from '../../../wire/frames.js';
import type { LookAnswer, LookRequest, NamesRequest } from '../../../wire/looking.js';
import { Replies } from '../../../wire/replies.js';
import type { FromRelay, LiveAnswer, Resolved } from '../../../wire/messages.js';
import type { LiveChange } from '../../../wire/modules.js';
import { watchPointer } from './canvases.js';
import { leaveFocus, placeDocument, placeStyles, sheetsLoaded, tellLoaded } from './document.js';
import { frameEngine } from './engine.js';
import { mount } from './mount.js';
import { type FramePort, OWN_PATHS, PORT, type RunMessage } from './port.js';
import { scriptsInPage } from '../scripts.js';

/** Milliseconds after which a page that waits at its top level is shown as it is. */
const PATIENCE_MS = 150;

const { setTimeout: timeout } = globalThis;

/** Joins the frame around this one. */
export function startInner(): void {
  const port = (window.parent as unknown as Record<symbol, FramePort | undefined>)[PORT];
  // Opened by itself it is nothing.
  if (!port) return;
  // What has brought us here is no part of the page.
  document.currentScript?.remove();
  joinFrame(port);
}

/** Takes runs from a port. */
export function joinFrame(port: FramePort): void {
  let run: FrameRun | undefined;
  port.ready(window, (message) => {
    if (message.type === 'run') run = new FrameRun(port, message);
    else if (message.type === 'styles') placeStyles(message.sheets, message.own);
    else run?.handle(message);
  });
}

const keyOf = (specifier: string, from: string): string => `${specifier}\n${from.replace(/[\\/][^\\/]*$/, '')}`;

class FrameRun {
  /** Packages that scripts may require, by specifier and folder. */
  private readonly ahead = new Map<string, Record<string, unknown>>();
  private readonly target: Target;
  private readonly asked = new Replies<Resolved>();
  private failed = false;

  constructor(
    private readonly port: FramePort,
    private readonly message: RunMessage,
  ) {
    const { id, live, page } = message;
    const { engine, made } = frameEngine({
      uncaught: () => (this.failed = true),
      live,
      isOwnFile: (file) => file.includes(OWN_PATHS),
      send: (told) => port.tell(window, { ...told, id } as FromRelay),
      resolve: (specifier, from) =>
        this.asked.ask((ask) => port.tell(window, { type: 'resolve', id, ask, specifier, from })),
      load: (specifier, from) => this.load(page, specifier, from),
    });
    this.target = new Target(engine);
    engine.scripts = scriptsInPage(
      () => this.target.parts.registry,
      (specifier, from) => this.loaded(page, specifier, from),
    );
    this.target.install();
    // A pad is looked at from its first line on.
    if (live) this.target.parts.console.listening = true;
    for (const [stand, original] of [...made, ...leaveFocus(() => port.hasKeys())])
      this.target.parts.disguises.set(stand, original);
    this.target.parts.registry.patches.onStopped = () =>
      port.tell(window, { type: 'live', id, event: { is: 'undone' } });
    this.hearErrors();
    watchPointer((pixel) => port.pointed(window, pixel));
    void this.run();
  }

  private hearErrors(): void {
    const fail = (error: unknown, kind: 'uncaught' | 'rejection', event: Event): void => {
      this.failed = true;
      // One that is held is no error of the page.
      if (!this.target.fail(error, kind)) event.preventDefault();
      this.target.flush();
    };
    addEventListener('error', (event) => {
      if (event.target === window || event instanceof ErrorEvent) fail(event.error ?? event.message, 'uncaught', event);
    });
    addEventListener('unhandledrejection', (event) => fail(event.reason, 'rejection', event));
  }

  private async run(): Promise<void> {
    const { target, port, message } = this;
    const { id, entry, modules, asked, page } = message;
    const { tests, controls, input, begin } = asked;
    if (tests) target.parts.tests.order(tests);
    if (begin) target.begin(begin);
    if (controls) target.parts.controls.order(controls);
    if (input && 'bytes' in input) target.source = { name: input.name, read: () => input.bytes };
    try {
      await placeDocument(page);
    } catch (error) {
      target.fail(error, 'thrown');
    }
    this.makeGlobal(page.globals);
    let isOver = false;
    const came = (): void => {
      if (isOver) return;
      isOver = true;
      tellLoaded();
      void sheetsLoaded().then(() => port.came(window, this.failed));
    };
    timeout(came, PATIENCE_MS);
    if (modules.some(({ goal }) => goal === 'script')) await this.loadAhead(page);
    const durationMs = await target.run(modules, entry);
    if (page.mounts !== undefined && !this.failed) await this.mount(page, page.mounts);
    came();
    target.flush();
    port.tell(window, { type: 'settled', id, durationMs });
  }

  private async mount(page: FramePage, library: string): Promise<void> {
    const { target, message } = this;
    try {
      const exported = target.parts.registry.namespaceOf(message.entry) ?? {};
      await mount(library, exported, (specifier) => this.load(page, specifier, message.entry));
    } catch (error) {
      target.fail(error, 'thrown');
    }
  }

  /** Names that classic scripts declare are those of the window. */
  private makeGlobal(globals: FramePage['globals']): void {
    const { registry } = this.target.parts;
    for (const [file, names] of Object.entries(globals))
      for (const name of names)
        Object.defineProperty(window, name, {
          get: () => registry.namespaceOf(file)?.[name],
          configurable: true,
          enumerable: true,
        });
  }

  private async load(page: FramePage, specifier: string, from: string): Promise<Record<string, unknown>> {
    if (this.port.carried) return this.port.carried(specifier, from);
    if (/^(?:https?|data|blob):/.test(specifier)) return (await import(specifier)) as Record<string, unknown>;
    const key = keyOf(specifier, from);
    const why = page.broken[key];
    if (why !== undefined) throw new Error(why);
    const address = page.packages[key] ?? (await this.port.find(specifier, from));
    return ((await import(address)) as { all: Record<string, unknown> }).all;
  }

  /** Packages of a page whose scripts require theirs: they cannot wait. */
  private async loadAhead({ packages }: FramePage): Promise<void> {
    const all = Object.entries(packages).map(async ([key, address]) => {
      try {
        this.ahead.set(key, ((await import(address)) as { all: Record<string, unknown> }).all);
      } catch {
        // Whoever requires it is told.
      }
    });
    await Promise.all(all);
  }

  private loaded(page: FramePage, specifier: string, from: string): Record<string, unknown> {
    if (this.port.carried) return this.port.carried(specifier, from);
    const key = keyOf(specifier, from);
    const found = this.ahead.get(key);
    if (!found) throw new Error(page.broken[key] ?? `the package ${specifier} could not be loaded for this page`);
    return found;
  }

  handle(message: ToFrame): void {
    const { target, port } = this;
    switch (message.type) {
      case 'ping':
        target.flush();
        break;
      case 'resolved':
        this.asked.answer(message.ask, message.answer);
        break;
      case 'look':
        port.tell(window, { type: 'looked', id: message.id, ask: message.ask, answer: this.look(message.request) });
        break;
      case 'act':
        target.act(message.action);
        target.flush();
        break;
      case 'pause':
        port.tell(window, {
          type: 'answered',
          id: message.id,
          ask: message.ask,
          answer: target.parts.pauses.answer(message.request),
        });
        break;
      case 'hold': {
        const answer = target.parts.holding.answer(message.request);
        target.flush();
        port.tell(window, { type: 'hold-answered', id: message.id, ask: message.ask, answer });
        break;
      }
      case 'change':
        void this.change(message.id, message.ask, message.change);
        break;
    }
  }

  private async change(id: number, ask: number, change: LiveChange): Promise<void> {
    const answer: LiveAnswer = await this.target.parts.changes.change(change);
    this.target.flush();
    this.port.tell(window, { type: 'changed', id, ask, answer });
  }

  private look(request: LookRequest | NamesRequest): LookAnswer {
    try {
      return this.target.look(request);
    } catch (error) {
      const why = error instanceof Error ? error.message : 'unknown reason';
      return { is: 'gone', why: `This value cannot be read: ${why}` };
    }
  }
}
