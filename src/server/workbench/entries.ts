/** What windows see of entry points: the list, and the code that works for one of them. */
import type { LiveSession } from '../../session/live/session.js';
import { AnvilError } from '../../syntax/problems.js';
import { shownEntries, shownEntry, shownSides } from '../entries-shown.js';
import type { ToServer } from '../protocol.js';
import type { Workbench } from './state.js';
import { lookAtFiles } from './seen-files.js';
import { tell } from './telling.js';
import type { Viewer } from './viewer.js';

type Asked<Type extends ToServer['type']> = Extract<ToServer, { type: Type }>;

/** Milliseconds between two lists of what came in. */
const LIST_MS = 250;

function sessionOf({ live }: Workbench): LiveSession {
  if (!live) throw new AnvilError('E_ENTRY', 'Only a program that runs on has entry points.');
  return live.session;
}

/** Tells windows from now on what comes in. @returns what ends that */
export function watchEntries(workbench: Workbench, session: LiveSession): () => void {
  let waiting: NodeJS.Timeout | undefined;
  const end = session.entries.onChange(() => {
    tellEntry(workbench, session);
    waiting ??= setTimeout(() => {
      waiting = undefined;
      tellList(workbench, session);
    }, LIST_MS);
  });
  return () => {
    clearTimeout(waiting);
    end();
  };
}

function serving({ viewers }: Workbench): Viewer[] {
  return [...viewers].filter(({ serves }) => serves);
}

function tellList(workbench: Workbench, session: LiveSession): void {
  const viewers = serving(workbench);
  if (viewers.length === 0) return;
  const shown = shownEntries(session, (file) => workbench.nameOf(file));
  for (const { window } of viewers) window.send({ type: 'entries', shown });
}

function tellEntry(workbench: Workbench, session: LiveSession): void {
  const viewers = serving(workbench);
  const { current } = session.entries;
  // While it is being asked, and when only others came in, nothing of it is new.
  const fresh = viewers.filter((viewer) => viewer.entry !== (current?.record ?? null) || current?.isAsking === true);
  if (fresh.length === 0) return;
  const shown = shownEntry(session, (file) => workbench.nameOf(file));
  for (const viewer of fresh) {
    viewer.entry = current?.record ?? null;
    viewer.window.send({ type: 'entry', ...(shown ? { shown } : {}) });
    if (current && !current.isAsking) tell(workbench, viewer, current.record);
  }
}

/** A window shows entry points from now on, or files again. */
export async function showServing(workbench: Workbench, viewer: Viewer, { on }: Asked<'serves'>): Promise<void> {
  const session = sessionOf(workbench);
  viewer.serves = on;
  viewer.entry = undefined;
  lookAtFiles(workbench);
  if (on) {
    await session.entries.watch(true, true);
    tellList(workbench, session);
    tellEntry(workbench, session);
    return;
  }
  if (serving(workbench).length === 0) await session.entries.leave();
  const record = workbench.subject?.record;
  if (record) tell(workbench, viewer, record);
}

/** A window is gone: where it was the last that showed entry points, nobody looks at them any more. */
export async function leaveServing(workbench: Workbench, { serves }: Viewer): Promise<void> {
  if (serves && serving(workbench).length === 0) await workbench.live?.session.entries.hide();
}

export async function pickEntry(workbench: Workbench, { key }: Asked<'pick'>): Promise<void> {
  const { entries } = sessionOf(workbench);
  if (key === null) await entries.leave();
  else if (!(await entries.pick(key))) throw new AnvilError('E_ENTRY', `There is no entry ${key} any more.`);
}

export async function askEntry(workbench: Workbench, { url, body }: Asked<'ask'>): Promise<void> {
  await sessionOf(workbench).entries.ask({
    ...(url === undefined ? {} : { url }),
    ...(body === undefined ? {} : { body }),
  });
}

/** Lays two requests side by side. @throws AnvilError `E_ENTRY` where one of them is kept no longer */
export function layBeside(workbench: Workbench, { window }: Viewer, { one, other }: Asked<'beside'>): void {
  const sides = shownSides(sessionOf(workbench), one, other, (file) => workbench.nameOf(file));
  if (!sides) throw new AnvilError('E_ENTRY', 'One of the two requests is kept no longer. Make it again.');
  window.send({ type: 'sides', sides });
}
