/** The windows at the door of a live program: their requests, and what each is told. */
import type { WebSocket } from 'ws';
import { relative, sep } from 'node:path';
import type { z } from 'zod';
import type { LiveSession } from '../session/live/session.js';
import { type Answers, type Described, type Method, methods, request } from './door-methods.js';
import { entriesHandlers, type EntriesHandlers } from './door-entries.js';
import { holdingHandlers, type HoldingHandlers } from './door-holding.js';
import type { ToWindow } from './protocol.js';
import { WorkbenchSession, type WorkbenchConnection } from './workbench/session.js';

/** Output that a window has not taken yet; more is left out, and counted. */
const MOST_WAITING = 4 * 1024 * 1024;
/** What waits for a page cannot be left out. */
const MOST_OF_PAGE = 64 * 1024 * 1024;

/** How long a window may take to leave, in milliseconds. */
const LEAVE_MS = 300;

export interface DoorOptions {
  session: LiveSession;
  /** Folder that names of files in the workbench are relative to. */
  root: string;
  /** What is told of the target. */
  describe(): Omit<Described, 'protocol' | 'waiting' | 'files' | 'entry' | 'places' | 'root'>;
  /** Path of a local socket, or a port on 127.0.0.1 (0 takes a free one). */
  at: string | number;
  token?: string;
}

type Handlers = {
  [M in Method]: (params: z.infer<(typeof methods)[M]>, window: WebSocket) => Promise<Answers[M]> | Answers[M];
};

export class DoorWindows {
  private readonly windows = new Set<WebSocket>();
  private readonly listening = new Map<WebSocket, () => void>();
  /** The workbench on the program, while pages look at it. */
  private workbench: WorkbenchSession | undefined;
  private readonly pages = new Map<WebSocket, WorkbenchConnection>();

  private readonly holding: HoldingHandlers;
  private readonly entries: EntriesHandlers;

  /** Breakpoints that go with the window that has set them. */
  private readonly bound = new Map<WebSocket, number[]>();

  constructor(private readonly options: DoorOptions) {
    this.holding = holdingHandlers(options.session);
    this.entries = entriesHandlers(options.session, (file) => shortPath(file, options.root));
  }

  join(window: WebSocket): void {
    this.windows.add(window);
    window.on('error', () => undefined);
    window.on('close', () => {
      this.windows.delete(window);
      this.listening.get(window)?.();
      this.listening.delete(window);
      const watched = this.pages.has(window) || this.bound.has(window);
      this.leavePage(window);
      if (watched) void this.leaveBound(window);
    });
    window.on('message', (data) => void this.receive(window, String(data)));
  }

  /** A notification to every window. */
  tellAll(method: string, params: unknown): void {
    for (const window of this.windows) tell(window, method, params);
  }

  /** Sends all windows away. @returns what is to be called when they are gone */
  close(ended: { text: string } | undefined): () => void {
    void this.workbench?.close();
    for (const window of this.windows) {
      if (ended) tell(window, 'ended', ended);
      window.close(1000);
    }
    const patience = setTimeout(() => {
      for (const window of this.windows) window.terminate();
    }, LEAVE_MS);
    return () => clearTimeout(patience);
  }

  private async receive(window: WebSocket, text: string): Promise<void> {
    let id: string | number | null = null;
    const fail = (code: number, why: string): void =>
      window.send(JSON.stringify({ jsonrpc: '2.0', id, error: { code, message: why } }));
    let asked: z.infer<typeof request>;
    try {
      asked = request.parse(JSON.parse(text));
    } catch {
      fail(-32600, 'not a request of JSON-RPC 2.0');
      return;
    }
    ({ id } = asked);
    const schema = Object.hasOwn(methods, asked.method) ? methods[asked.method as Method] : undefined;
    if (!schema) {
      fail(-32601, `there is no method ${asked.method}; there are ${Object.keys(methods).join(', ')}`);
      return;
    }
    const params = schema.safeParse(asked.params ?? {});
    if (!params.success) {
      fail(-32602, params.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; '));
      return;
    }
    try {
      const result = await this.handlers[asked.method as Method](params.data as never, window);
      this.noteOwn(asked.method, params.data, result, window);
      if (window.readyState === window.OPEN) window.send(JSON.stringify({ jsonrpc: '2.0', id, result }));
    } catch (error) {
      fail(-32000, (error as Error).message);
    }
  }

  private noteOwn(method: string, params: unknown, result: unknown, window: WebSocket): void {
    if ((params as { own?: boolean }).own !== true) return;
    const id =
      method === 'breakpoint' ? (result as { id: number }).id : (result as { field?: { id: number } }).field?.id;
    if (id === undefined) return;
    const own = this.bound.get(window) ?? [];
    own.push(id);
    this.bound.set(window, own);
  }

  private get handlers(): Handlers {
    return { ...this.own, ...this.holding, ...this.entries };
  }

  private readonly own: Omit<Handlers, keyof HoldingHandlers | keyof EntriesHandlers> = {
    describe: () => this.described(),
    evaluate: ({ file = this.session.file, text, where }) => this.session.evaluate(file, text, where),
    complete: ({ file = this.session.file, text, where }) => this.session.complete(file, text, where),
    look: ({ request }) => this.session.look(request),
    listen: ({ on }, window) => this.listen(window, on),
    undo: async () => ({ done: await this.session.undo() }),
    run: async ({ file = this.session.file, line }) => {
      const waiting = (): number => this.session.waitingStatements.get(file)?.length ?? 0;
      const before = waiting();
      await this.session.runWaiting(file, line);
      return { ran: before - waiting() };
    },
    reset: async ({ file = this.session.file, name }) => ({ done: await this.session.reset(file, name) }),
    window: ({ message }, window) => {
      this.page(window).receive(message);
      return null;
    },
  };

  private get session(): LiveSession {
    return this.options.session;
  }

  private described(): Described {
    const { session } = this;
    return {
      protocol: 'usher-anvil/door@1',
      ...this.options.describe(),
      entry: session.file,
      root: this.options.root,
      files: session.files,
      places: session.guests,
      waiting: [...session.waitingStatements].flatMap(([file, list]) =>
        list.map(({ line, text }) => ({ file, line, text })),
      ),
    };
  }

  private listen(window: WebSocket, on: boolean): null {
    this.listening.get(window)?.();
    this.listening.delete(window);
    let left = 0;
    if (on)
      this.listening.set(
        window,
        this.session.onOutput((output) => {
          const omitted = output.omitted + left;
          left = tell(window, 'output', { ...output, omitted }) ? 0 : omitted + output.text.length;
        }),
      );
    return null;
  }

  /** The page of the workbench that speaks through a window. */
  private page(window: WebSocket): WorkbenchConnection {
    const known = this.pages.get(window);
    if (known) return known;
    // Behind a port may be a small device: types are checked where there is room.
    this.workbench ??= new WorkbenchSession({
      root: this.options.root,
      types: typeof this.options.at !== 'number',
      live: { session: this.session, describe: this.options.describe },
    });
    const page = this.workbench.connect({
      // One that misses something would have another text than the others: it comes back, and is told how things are.
      send: (told: ToWindow) => {
        if (!tell(window, 'window', told, MOST_OF_PAGE) && window.readyState === window.OPEN) window.terminate();
      },
    });
    this.pages.set(window, page);
    return page;
  }

  /**
   * Breakpoints that go with their window; what stands still goes on when nobody watches any more. A command that has
   * asked something and is gone is none who watched.
   */
  private async leaveBound(window: WebSocket): Promise<void> {
    const { pausing } = this.session;
    const own = this.bound.get(window);
    this.bound.delete(window);
    for (const id of own ?? []) await pausing.remove(id);
    if (this.pages.size === 0 && this.bound.size === 0) await pausing.letAllGo();
  }

  private leavePage(window: WebSocket): void {
    this.pages.get(window)?.leave();
    this.pages.delete(window);
    if (this.pages.size > 0) return;
    void this.workbench?.close();
    this.workbench = undefined;
  }
}

/** Returns false where the window does not read what it is sent, or is gone. */
function tell(window: WebSocket, method: string, params: unknown, most = MOST_WAITING): boolean {
  if (window.readyState !== window.OPEN || window.bufferedAmount > most) return false;
  window.send(JSON.stringify({ jsonrpc: '2.0', method, params }));
  return true;
}

/** As a window names it: from the root, with `/`. */
function shortPath(file: string, root: string): string {
  return relative(root, file).split(sep).join('/');
}
