/**
 * A page as a target: its modules stay ES modules that the browser loads, and
 * what goes to and fro between the page and its server goes through one
 * channel. Bundled into one text by the plugin that serves it.
 */
import { EmbeddedTarget } from '../../runtime/embedded.js';
import type { ToGuest } from '../../wire/guests.js';
import { decode } from './codec.js';
import { pageInsight } from './introspection.js';
import { StandingPage } from './standing.js';

/** The way to the server; a development server's own socket carries it. */
export interface PageChannel {
  send(event: string, data: unknown): void;
  on(event: string, listener: (data: never) => void): void;
}

/** Events of the channel. Messages are text of the codec. */
export const EVENTS = {
  /** From the page: `{ page, message }`, a {@link FromGuest}. */
  from: 'usher-anvil:from',
  /** To the page: `{ page, message }`, a {@link ToGuest}. */
  to: 'usher-anvil:to',
  /** From the page: it is there, again or for the first time. */
  here: 'usher-anvil:here',
  /** To the page: load anew, and say why. */
  reload: 'usher-anvil:reload',
} as const;

/** What a page asks its server while it waits, beside its own address. */
export const ASKED = {
  /** Gives the files that somebody looks at. */
  looked: '/@usher-anvil/looked',
  /** Takes `{ page, file, version }` of a module that begins, gives messages to the page. */
  begun: '/@usher-anvil/begun',
  /** Takes `{ page, sent, messages }` of one that stands still, gives messages to it; `sent` went by the channel. */
  waits: '/@usher-anvil/waits',
  header: 'x-usher-anvil',
} as const;

const REASON = 'usher-anvil/reloaded';

/**
 * Starts the page's side. Called once, before any instrumented module runs.
 *
 * @param own addresses of files that are ours, or the server's: they never show in stacks
 * @param address of the page's side itself
 */
export function startPage(channel: PageChannel, own: readonly string[], address: string): void {
  const page = Array.from(crypto.getRandomValues(new Uint32Array(2)), (part) => part.toString(36)).join('');
  const { port1, port2 } = new MessageChannel();
  const jobs: (() => void)[] = [];
  port1.onmessage = (): void => jobs.shift()?.();
  const { introspection, made } = pageInsight();
  const { setInterval: interval, clearInterval: clear, setTimeout: timeout, clearTimeout: clearTimer } = globalThis;
  const loops = watchLoops();
  const ask = askWhileWaiting(address);
  const looked = ask(ASKED.looked) ?? [];
  const standing = new StandingPage({
    send: (message) => channel.send(EVENTS.from, { page, message }),
    ask: (data) => ask(ASKED.waits, { page, ...data }),
    handle: (message) => embedded.handle(message),
  });
  const isOwnFile = (file: string): boolean => own.some((one) => file.includes(one));
  const later = (callback: () => void): void => {
    jobs.push(callback);
    port2.postMessage(0);
  };
  const embedded: EmbeddedTarget = new EmbeddedTarget({
    introspection,
    now: () => performance.now(),
    later,
    send: (message) => standing.send(message),
    isOwnFile,
    points: { wait: () => standing.wait(), later, isOwnFile, now: () => performance.now() },
    console,
    every(ms, callback) {
      const timer = interval(callback, ms);
      return () => clear(timer);
    },
    resume: () => loops.resume(),
    begun({ file, version }) {
      if (!looked.includes(file)) return undefined;
      return (ask(ASKED.begun, { page, file, version }) ?? []).map((message) => decode(message) as ToGuest);
    },
    entries: {
      around() {
        const { event } = globalThis as { event?: { type: string } };
        return event && { kind: 'event', name: event.type };
      },
    },
    holds: {
      switched: () => undefined,
      waiters: () => [],
      after(ms, callback) {
        const timer = timeout(callback, ms);
        return () => clearTimer(timer);
      },
      uncaught: (error) => reportError(error),
    },
    load: (specifier, url) => import(/* @vite-ignore */ new URL(specifier, url).href) as Promise<object>,
  });
  for (const [stand, original] of made) embedded.target.parts.disguises.set(stand, original);
  channel.on(EVENTS.to, ({ page: wanted, message }: { page: string; message: string }) => {
    if (wanted === page) standing.receive(message);
  });
  channel.on(EVENTS.reload, ({ page: wanted, reason }: { page: string; reason: string }) => {
    if (wanted !== page) return;
    remembered()?.setItem(REASON, reason);
    location.reload();
  });
  // The socket may have been away.
  channel.on('vite:ws:connect', () => channel.send(EVENTS.here, { page }));
  channel.send(EVENTS.here, { page });
  embedded.install();
  const reason = remembered()?.getItem(REASON) ?? null;
  if (reason !== null) {
    remembered()?.removeItem(REASON);
    console.info(`Usher Anvil: the page was loaded anew. ${reason}`);
  }
  addEventListener('error', (event) => {
    const { error, message } = event as unknown as { error: unknown; message: string };
    // One that is held is no error of the page.
    if (!embedded.fail(error ?? message, 'uncaught')) (event as unknown as { preventDefault(): void }).preventDefault();
  });
  addEventListener('unhandledrejection', (event) => {
    const { reason } = event as unknown as { reason: unknown };
    if (!embedded.fail(reason, 'rejection')) (event as unknown as { preventDefault(): void }).preventDefault();
  });
}

/** What outlives the page; undefined in a frame to which the browser gives no storage. */
function remembered(): Storage | undefined {
  try {
    return sessionStorage;
  } catch {
    return undefined;
  }
}

/** The way to the server for what the page waits for; gives undefined where that does not answer. */
function askWhileWaiting(address: string): (path: string, data?: object) => string[] | undefined {
  const { XMLHttpRequest: Request } = globalThis;
  return (path, data) => {
    try {
      const request = new Request();
      request.open(data ? 'POST' : 'GET', new URL(path.replace(/^.*\//, ''), address), false);
      request.setRequestHeader(ASKED.header, '1');
      request.send(data ? JSON.stringify(data) : null);
      const answer = JSON.parse(request.responseText) as unknown;
      return request.status === 200 && Array.isArray(answer) ? answer : undefined;
    } catch {
      return undefined;
    }
  };
}

/**
 * A loop that asks for its next frame or timer at its end stops for good when
 * an error comes before. Such a callback is remembered and called again after
 * the next change.
 */
function watchLoops(): { resume(): string[] } {
  const stopped: { name: string; again: () => void }[] = [];
  let asked = false;
  const scope = globalThis as unknown as Record<string, (callback: unknown, ...rest: unknown[]) => unknown>;
  for (const name of ['requestAnimationFrame', 'setTimeout']) {
    const original = scope[name]!;
    const place = globalThis;
    const replacement = {
      [name](callback: unknown, ...rest: unknown[]): unknown {
        asked = true;
        if (typeof callback !== 'function') return original.call(place, callback, ...rest);
        const wrapped = function (this: unknown, ...args: unknown[]): unknown {
          asked = false;
          try {
            return Reflect.apply(callback as () => unknown, this, args);
          } catch (error) {
            if (!asked && stopped.length < 100)
              stopped.push({
                name: (callback as { name: string }).name || (name === 'setTimeout' ? 'a timer' : 'a frame'),
                again: () => void replacement(callback, ...rest),
              });
            throw error;
          }
        };
        return original.call(place, wrapped, ...rest);
      },
    }[name]!;
    scope[name] = replacement;
  }
  return {
    resume() {
      const names = stopped.map(({ name, again }) => {
        again();
        return name;
      });
      stopped.length = 0;
      return names;
    },
  };
}
