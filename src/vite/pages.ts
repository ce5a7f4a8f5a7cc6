/** The pages of a development server: who is there, and what goes to and fro on the server's own socket. */
import type { DevEnvironment } from 'vite';
import { z } from 'zod';
import { encode } from '../hosts/browser/codec.js';
import { EVENTS } from '../hosts/browser/page.js';
import type { ToGuest } from '../wire/guests.js';
import type { LiveSession } from '../session/live/session.js';
import { PageGuest, type PageServer } from './page-guest.js';

/** Milliseconds in which what is registered of a target is brought up to date once. */
const REFRESH_MS = 200;

/** What a page says comes from wherever it likes: any code of it can send on the server's socket. */
const fromPage = z.object({ page: z.string().min(1).max(100), message: z.string().optional() });

/** Pages that can be there at once. */
const MOST_PAGES = 200;

export interface PagesOptions {
  session: LiveSession;
  /** Where pages load modules from, and what they get. */
  server: Omit<PageServer, 'left'>;
  warn(text: string): void;
  /** Called now and then while pages say something. */
  refresh(): void;
}

/** A page that waits: it says which module begins, and is given what is asked of it. */
const beginning = z.object({
  page: z.string().min(1).max(100),
  file: z.string().max(4_096),
  version: z.int().min(0),
});

/** A page that stands still: what it tells, and how many messages it has sent by its socket. */
const waiting = z.object({
  page: z.string().min(1).max(100),
  sent: z.int().min(0),
  messages: z.array(z.string()),
});

/** The pages of a server. */
export class Pages {
  private readonly guests = new Map<string, PageGuest>();
  private refreshing: NodeJS.Timeout | undefined;

  constructor(private readonly options: PagesOptions) {}

  /** Lets pages join the session, and takes what they say. */
  serve(hot: DevEnvironment['hot']): void {
    hot.on(EVENTS.here, (data: unknown, client: PageGuest['client']) => {
      const told = fromPage.safeParse(data);
      if (!told.success) return;
      const before = this.guests.get(told.data.page);
      // Its socket was away, or is there only now.
      if (before) before.client = client;
      else this.join(told.data.page, client);
    });
    hot.on(EVENTS.from, (data: unknown) => {
      const told = fromPage.safeParse(data);
      if (!told.success || told.data.message === undefined) return;
      this.receive(told.data.page, (guest) => guest.receiveSent(told.data.message!, this.options.session));
    });
    // A page that is closed, or loaded anew, takes its socket with it.
    hot.on('vite:client:disconnect', (_data: unknown, client: PageGuest['client']) => {
      for (const guest of this.guests.values()) if (guest.client === client) guest.away();
    });
  }

  /**
   * A module begins in a page that waits for the answer.
   *
   * @returns messages of the codec; empty where the page is not understood
   */
  begun(text: string): string[] {
    const told = beginning.safeParse(parsed(text));
    if (!told.success) return [];
    const { page, file, version } = told.data;
    const guest = this.guests.get(page) ?? this.join(page, undefined);
    if (!guest) return [];
    return guest.collecting
      .during(() => this.options.session.executed(page, file, version, true))
      .map((one) => encode(one));
  }

  private join(id: string, client: PageGuest['client'] | undefined): PageGuest | undefined {
    if (this.guests.size >= MOST_PAGES) return undefined;
    const { server, session } = this.options;
    const left = (): void => {
      this.guests.delete(id);
      session.leave(id);
    };
    const guest = new PageGuest(id, client, { ...server, left });
    this.guests.set(id, guest);
    session.join(guest);
    return guest;
  }

  /**
   * A page stands still, and waits in a request.
   *
   * @param answer takes messages of the codec; undefined where the page is not understood
   * @returns what is to be called when the request is closed
   */
  waits(text: string, answer: (messages: string[] | undefined) => void): () => void {
    const told = waiting.safeParse(parsed(text));
    const guest = told.success ? this.guests.get(told.data.page) : undefined;
    if (!told.success || !guest) {
      answer(undefined);
      return () => undefined;
    }
    const { page, sent, messages } = told.data;
    const reply = (list: ToGuest[]): void => answer(list.map((one) => encode(one)));
    this.receive(page, () => {
      void guest.waits(sent, messages, this.options.session, reply).catch((error: Error) => this.notUnderstood(error));
    });
    return () => guest.waitsNoLonger(reply);
  }

  private notUnderstood(error: unknown): void {
    // Code of the page can send what it likes; the server goes on.
    this.options.warn(`usher-anvil: a page said what is not understood: ${(error as Error).message}`);
  }

  private receive(id: string, take: (guest: PageGuest) => void): void {
    const { refresh } = this.options;
    const guest = this.guests.get(id);
    try {
      if (guest) take(guest);
    } catch (error) {
      this.notUnderstood(error);
    }
    this.refreshing ??= setTimeout(() => {
      this.refreshing = undefined;
      refresh();
    }, REFRESH_MS);
    this.refreshing.unref();
  }
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
