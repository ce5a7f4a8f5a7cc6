/** Page pads in Node: sessions whose target is a frame in a browser. */
import { LiveSession } from '../../session/live/session.js';
import { Session } from '../../session/session.js';
import { nodeClock } from '../node/clock.js';
import { nodeLanguage } from '../node/language.js';
import { PageFiles } from './files.js';
import type { PageFrame } from './frame.js';
import { PageHost, type PageEvents } from './host.js';
import { PageLiveHost } from './live-host.js';

export { PageFrame, frameScript, OWN_PATHS } from './frame.js';
export { isPagePad, mountsOf } from './kinds.js';
export { PageFiles } from './files.js';
export type { PageEvents } from './host.js';

export interface PageOptions {
  file: string;
  text: string;
  /** What a path that begins with `/` leads to. */
  root: string;
  frame: PageFrame;
  events: PageEvents;
  /** Nothing of the project is executed to make code of a file. */
  holds?: boolean;
}

/** A page that is executed anew at each edit. Close the session when done. */
export function createPageSession({ file, text, root, frame, events, holds }: PageOptions): Session {
  const files = new PageFiles(file, root, holds);
  const session: Session = new Session(
    { file, text, target: 'page', timeLimitMs: Infinity, hangMs: 2_000 },
    {
      ...{ files, language: nodeLanguage, clock: nodeClock },
      host: () => new PageHost(frame, files, (one) => session.textOf(one), events),
    },
  );
  return session;
}

/** A page that goes on while its functions are patched. It begins when `start` is called. */
export function createLivePage({ file, root, frame, events, holds }: Omit<PageOptions, 'text'>): LiveSession {
  const files = new PageFiles(file, root, holds);
  const host = new PageLiveHost(frame, files, (one) => session.textOf(one), events);
  const session: LiveSession = new LiveSession(file, { files, language: nodeLanguage, host, tellsAll: true });
  return session;
}
