/** In place of the pages of Node: those of sandboxed frames in this page. */
import type { PageEvents } from '../../hosts/pages/host.js';
import { PageHost } from '../../hosts/pages/host.js';
import type { Session } from '../../session/session.js';
import { AnvilError } from '../../syntax/problems.js';
import { SandboxedFrames } from '../page-frames.js';
import { AlonePageFiles } from '../page-files.js';
import { sessionIn, thePlace } from './sessions.js';

export { isPagePad } from '../../hosts/pages/kinds.js';

/** The one whose frames are shown. */
let current: SandboxedFrames | undefined;

export class PageFrame extends SandboxedFrames {
  constructor() {
    super();
    current = this;
  }
}

export function shownFrames(): SandboxedFrames | undefined {
  return current;
}

interface PageOptions {
  file: string;
  text: string;
  frame: SandboxedFrames;
  events: PageEvents;
}

export function createPageSession({ file, text, frame, events }: PageOptions): Session {
  const files = new AlonePageFiles(file, thePlace());
  const session: Session = sessionIn(
    { file, text },
    {
      files,
      host: () => new PageHost(frame, files, (one) => session.textOf(one), events),
    },
  );
  return session;
}

export function createLivePage(): never {
  throw new AnvilError('E_NOT_A_PAD', 'A published page executes anew at each edit: it keeps no state.');
}
