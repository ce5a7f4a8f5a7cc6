/**
 * A live program in a page: the table of patches for modules that stay ES
 * modules, and what goes to and fro between the page and its server. Bundled
 * into one text by the plugin that serves it.
 */
import { Boxes } from '../../runtime/boxes.js';
import { PatchTable, type PatchStep } from '../../runtime/patches.js';

/** The way to the server; a development server's own socket carries it. */
export interface PageChannel {
  send(event: string, data: unknown): void;
  on(event: string, listener: (data: never) => void): void;
}

export type PageChange =
  { ask: number; do: 'patch'; steps: PatchStep[]; links: { file: string; name: string; url: string; target?: string }[] } | { ask: number; do: 'undo' };

export interface PageAnswer {
  page: string;
  ask: number;
  failed?: { step: number; name: string; message: string };
  objects: number;
  resumed: string[];
  pauseMs: number;
}

export interface PageError {
  page: string;
  name: string;
  message: string;
  stack: string;
}

const REASON = 'usher-anvil/reloaded';

/** Starts the page's side. Called once, before any instrumented module runs. */
export function startPage(channel: PageChannel): void {
  const page = Array.from(crypto.getRandomValues(new Uint32Array(2)), (part) => part.toString(36)).join('');
  const patches = new PatchTable();
  const { port1, port2 } = new MessageChannel();
  const jobs: (() => void)[] = [];
  port1.onmessage = (): void => jobs.shift()?.();
  patches.clock(
    () => performance.now(),
    (callback) => {
      jobs.push(callback);
      port2.postMessage(0);
    },
  );

  const boxes = new Boxes();
  let loaded: [string, number][] = [];
  const seen = new Set<string>();
  const modules = (file: string, version: number, meta: { url: string }): Record<string, unknown> => {
    if (seen.has(file)) patches.renew(file);
    seen.add(file);
    if (loaded.length === 0)
      setTimeout(() => {
        channel.send('usher-anvil:loaded', { page, files: loaded });
        loaded = [];
      });
    loaded.push([file, version]);
    return {
      ...patches.face(file, boxes.of(file)),
      meta,
      import: (specifier: string) => import(/* @vite-ignore */ new URL(specifier, meta.url).href),
    };
  };
  const scope = globalThis as unknown as Record<symbol, unknown>;
  scope[Symbol.for('usher-anvil/live@1')] = modules;

  const loops = watchLoops();
  patches.onStopped = () => channel.send('usher-anvil:undone', { page });
  channel.on('usher-anvil:change', (change: PageChange & { page?: string }) => {
    if (change.page !== undefined && change.page !== page) return;
    void apply(change).then((answer) => channel.send('usher-anvil:changed', answer));
  });
  channel.on('usher-anvil:reload', ({ page: wanted, reason }: { page: string; reason: string }) => {
    if (wanted !== page) return;
    sessionStorage.setItem(REASON, reason);
    location.reload();
  });
  const reason = sessionStorage.getItem(REASON);
  if (reason !== null) {
    sessionStorage.removeItem(REASON);
    console.info(`Usher Anvil: the page was loaded anew. ${reason}`);
  }
  // The socket may have been away: what is loaded is told again.
  channel.on('vite:ws:connect', () => {
    if (seen.size > 0) channel.send('usher-anvil:back', { page });
  });

  async function apply(change: PageChange): Promise<PageAnswer> {
    const answer: PageAnswer = { page, ask: change.ask, objects: 0, resumed: [], pauseMs: 0 };
    try {
      if (change.do === 'undo') {
        if (!patches.undo()) throw new Error('there is no change to take back');
        answer.resumed = loops.resume();
        return answer;
      }
      for (const { file, name, url, target } of change.links) {
        const namespace = (await import(/* @vite-ignore */ url)) as object;
        patches.lateOf(file)[name] = target === undefined ? namespace : boxes.joined(namespace, target);
      }
      const start = performance.now();
      const { failed, filled } = patches.apply(change.steps);
      answer.pauseMs = performance.now() - start;
      answer.objects = filled;
      if (failed) answer.failed = { step: failed.step, ...told(failed.error) };
      else answer.resumed = loops.resume();
    } catch (error) {
      answer.failed = { step: -1, ...told(error) };
    }
    return answer;
  }

  const report = (error: unknown): void => {
    const { name, message } = told(error);
    const stack = error instanceof Error && typeof error.stack === 'string' ? error.stack : '';
    channel.send('usher-anvil:error', { page, name, message, stack } satisfies PageError);
  };
  addEventListener('error', (event) =>
    report((event as unknown as { error: unknown; message: string }).error ?? (event as unknown as { message: string }).message),
  );
  addEventListener('unhandledrejection', (event) => report((event as unknown as { reason: unknown }).reason));
}

function told(error: unknown): { name: string; message: string } {
  return error instanceof Error ? { name: error.name, message: error.message } : { name: '', message: String(error) };
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
