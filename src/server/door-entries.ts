/** What windows ask at the door about entry points. */
import { z } from 'zod';
import type { LiveSession } from '../session/live/session.js';
import { shownEntries, shownEntry, type ShownEntries, type ShownEntry } from './entries-shown.js';

const key = z.string().max(20_000);

export const entriesMethods = {
  /** Lists what came in since this was first asked; with `off` nothing is watched any more. */
  entries: z.object({ off: z.boolean().optional() }),
  /** Picks an entry point, and asks it where that changes nothing, or where it is told to. */
  entry: z.object({
    key,
    /** Asks, whatever the method. */
    ask: z.boolean().optional(),
    url: z.string().max(16_384).optional(),
    body: z.string().max(1_000_000).optional(),
    headers: z
      .array(z.tuple([z.string().max(1_000), z.string().max(20_000)]))
      .max(200)
      .optional(),
  }),
};

export interface EntriesAnswers {
  entries: ShownEntries;
  entry: { is: 'entry'; entry: ShownEntry } | { is: 'cannot'; why: string };
}

type Asked<M extends keyof typeof entriesMethods> = z.infer<(typeof entriesMethods)[M]>;

export type EntriesHandlers = {
  [M in keyof typeof entriesMethods]: (asked: Asked<M>) => Promise<EntriesAnswers[M]>;
};

/** @param shortPath names of files as windows have them */
export function entriesHandlers(session: LiveSession, shortPath: (file: string) => string): EntriesHandlers {
  const { entries } = session;
  return {
    async entries({ off = false }) {
      await entries.watch(!off);
      return shownEntries(session, shortPath);
    },
    async entry({ key: asked, ask = false, url, body, headers }) {
      const otherwise = {
        ...(url === undefined ? {} : { url }),
        ...(body === undefined ? {} : { body }),
        ...(headers === undefined ? {} : { headers }),
      };
      await entries.watch(true);
      if (!(await entries.pick(asked, otherwise, ask))) {
        const known = entries.all.slice(0, 12).map((one) => one.key);
        return {
          is: 'cannot',
          why: `there is no entry ${asked}${known.length > 0 ? `; there are ${known.join(', ')}` : ': nothing came in yet'}`,
        };
      }
      return { is: 'entry', entry: shownEntry(session, shortPath)! };
    },
  };
}
