/** The pages of a development server: who is there, and what goes to and fro on the server's own socket. */
import type { DevEnvironment } from 'vite';
import { z } from 'zod';
import { EVENTS } from '../hosts/browser/page.js';
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

/** Lets pages join the session, and takes what they say. */
export function servePages(hot: DevEnvironment['hot'], { session, server, warn, refresh }: PagesOptions): void {
  const pages = new Map<string, PageGuest>();
  let refreshing: NodeJS.Timeout | undefined;
  hot.on(EVENTS.here, (data: unknown, client: PageGuest['client']) => {
    const told = fromPage.safeParse(data);
    if (!told.success) return;
    const { page: id } = told.data;
    const before = pages.get(id);
    if (before) {
      // Its socket was away.
      before.client = client;
      return;
    }
    if (pages.size >= MOST_PAGES) return;
    const left = (): void => {
      pages.delete(id);
      session.leave(id);
    };
    const guest = new PageGuest(id, client, { ...server, left });
    pages.set(id, guest);
    session.join(guest);
  });
  hot.on(EVENTS.from, (data: unknown) => {
    const told = fromPage.safeParse(data);
    if (!told.success || told.data.message === undefined) return;
    const { page: id, message } = told.data;
    try {
      pages.get(id)?.receive(message, session);
    } catch (error) {
      // Code of the page can send what it likes; the server goes on.
      warn(`usher-anvil: a page said what is not understood: ${(error as Error).message}`);
    }
    refreshing ??= setTimeout(() => {
      refreshing = undefined;
      refresh();
    }, REFRESH_MS);
    refreshing.unref();
  });
  // A page that is closed, or loaded anew, takes its socket with it.
  hot.on('vite:client:disconnect', (_data: unknown, client: PageGuest['client']) => {
    for (const guest of pages.values()) if (guest.client === client) guest.away();
  });
}
