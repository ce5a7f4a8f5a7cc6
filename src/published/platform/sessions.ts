/** In place of the sessions of Node: those of the page. */
import { createAloneSession, type AlonePlace } from '../../hosts/alone/index.js';
import type { PadOptions } from '../../hosts/node/index.js';
import type { Session } from '../../session/session.js';

let place: AlonePlace | undefined;

/** Says once where pads of this page run. */
export function runIn(given: AlonePlace): void {
  place = given;
}

/** @throws Error before {@link runIn} */
export function thePlace(): AlonePlace {
  if (!place) throw new Error('nothing is opened yet');
  return place;
}

/** A session of the page, for a pad that has a document. */
export function sessionIn(options: { file: string; text: string }, page: Page): Session {
  return createAloneSession(options, thePlace(), page);
}

type Page = NonNullable<Parameters<typeof createAloneSession>[2]>;

export function createSession({ file, text, depth, pixel, timeLimitMs, hangMs, once, open }: PadOptions): Session {
  return createAloneSession(
    {
      file,
      ...(text === undefined ? {} : { text }),
      ...(depth === undefined ? {} : { depth }),
      ...(pixel ? { pixel } : {}),
      ...(timeLimitMs === undefined ? {} : { timeLimitMs }),
      ...(hangMs === undefined ? {} : { hangMs }),
      ...(once ? { alone: true } : {}),
      ...(open ? { open } : {}),
    },
    thePlace(),
  );
}
