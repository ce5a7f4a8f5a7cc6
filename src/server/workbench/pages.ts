/** Pads that are pages: where they are shown, what is told of that, and how they are executed. */
import { dirname, join, relative, sep } from 'node:path';
import { createLivePage, createPageSession, isPagePad, PageFrame, type PageEvents } from '../../hosts/pages/index.js';
import { isPageFile, pageText } from '../../syntax/page-text.js';
import type { PageSite } from '../page-sites.js';
import type { PageMessage, ToServer } from '../protocol.js';
import type { OpenDocument } from './documents.js';
import { watchEntries } from './entries.js';
import { keepLastPage } from './last-pages.js';
import { LiveSubject } from './live-subject.js';
import { PadSubject } from './pad-subject.js';
import type { ShownPage } from './shown-page.js';
import type { Workbench } from './state.js';
import type { Subject } from './subject.js';
import { tellSoon } from './telling.js';

/** True for a pad that is to be executed in a page. */
export function isPage(workbench: Workbench, path: string, text: string): boolean {
  if (workbench.options.textsElsewhere && !isPageFile(path)) return false;
  const { place } = workbench.habits.of(path);
  return place === undefined ? isPagePad(path, text) : place === 'page';
}

/** Begins with a page. @param anew executes it once more, from the start */
export function makePage(workbench: Workbench, { path, shared }: OpenDocument, anew: () => void): Subject {
  const { root } = workbench.folder;
  const known = workbench.page?.file === path ? workbench.page : undefined;
  if (!known) workbench.page?.frame.close();
  const frame = known?.frame ?? new PageFrame();
  const keeps = workbench.habits.of(path).keeps === true;
  const page: ShownPage = (workbench.page = {
    file: path,
    told: pageText(isPageFile(path) ? shared.text : ''),
    frame,
    keeps,
    failed: false,
  });
  frame.address = `/${relative(root, path).split(sep).map(encodeURIComponent).join('/')}`;
  const events: PageEvents = {
    anew: () => void (workbench.page === page && anew()),
    painted: (_id, shown) => {
      if (shown) keepLastPage(workbench);
      if (workbench.page !== page || (page.failed === !shown && !page.lost)) return;
      page.failed = !shown;
      delete page.lost;
      tellPage(workbench);
    },
    pointed(pixel) {
      for (const { window } of workbench.viewers) window.send({ type: 'pointed', ...(pixel ? { pixel } : {}) });
    },
    lost(why) {
      // A window that was closed has taken its page along.
      if (workbench.page !== page || (why === 'crashed' && workbench.viewers.size === 0)) return false;
      if (why === 'crashed') frame.renew();
      page.lost = true;
      tellPage(workbench);
      return true;
    },
  };
  // As for pads in Node: what nobody has said executes nothing of the project.
  const holds = workbench.habits.of(path).careful !== false;
  const options = { file: path, text: shared.text, root, frame, events, holds };
  if (!keeps) return new PadSubject(createPageSession(options));
  const session = createLivePage(options);
  for (const other of workbench.documents.all) if (other.unsaved) session.startWith(other.path, other.shared.text);
  const live = new LiveSubject(session);
  live.onRecord((record) => {
    if (workbench.subject !== live) return;
    for (const viewer of workbench.viewers) if (!viewer.serves) tellSoon(workbench, viewer, record);
  });
  live.onEvent((event) => {
    if (workbench.subject !== live) return;
    workbench.changes.add(event, (file) => workbench.nameOf(file), new Date());
    workbench.tellAllWindows({ type: 'changes', changes: workbench.changes.changes });
  });
  live.onClose(watchEntries(workbench, session));
  live.onClose(() => session.stop());
  return live;
}

/** The page that is shown is none any more. */
export function leavePage(workbench: Workbench): void {
  workbench.page?.frame.close();
  workbench.page = undefined;
}

/** Tells windows where the page is to be seen. */
export function tellPage(
  workbench: Workbench,
  viewers: Iterable<{ window: { send(message: PageMessage): void } }> = workbench.viewers,
): void {
  const { page } = workbench;
  const message: PageMessage = {
    type: 'page',
    ...(page
      ? {
          shown: {
            pad: workbench.nameOf(page.file),
            host: page.frame.name,
            keeps: page.keeps,
            failed: page.failed,
          },
        }
      : {}),
  };
  for (const { window } of viewers) window.send(message);
}

/** What a window asks of the page. @param begin makes the pad anew */
export function actOnPage(
  workbench: Workbench,
  { do: what }: Extract<ToServer, { type: 'page' }>,
  begin: (document: OpenDocument) => void,
): void {
  const { subject, documents, habits } = workbench;
  const document = subject && documents.get(subject.file);
  if (!subject || !document) return;
  if (what === 'keep' || what === 'renew') habits.choose(subject.file, { keeps: what === 'keep' });
  else if (what !== 'reload') habits.choose(subject.file, { place: what });
  begin(document);
}

/** A file of the page that is no program: a style sheet, a text. To look at it is no reason to leave the page. */
export function isPartOfPage({ page }: Workbench, path: string): boolean {
  return page !== undefined && page.file !== path && /\.(?:css|svg|json|txt|md)$/i.test(path);
}

/**
 * What a new text of a file asks for besides executing it.
 *
 * @returns `styles`: only styles have changed, and the page has them; `anew`: the pad begins anew, because it runs in
 *   another place than before, or because its elements are others and it goes on at edits of its code alone
 */
export function placeOf(workbench: Workbench, path: string, text: string): 'styles' | 'anew' | undefined {
  const { page, pad, subject } = workbench;
  if (!subject) return undefined;
  if (!page) return pad && path === subject.file && isPage(workbench, path, text) ? 'anew' : undefined;
  // What has ended begins again with the next edit.
  if (page.keeps && page.lost) return 'anew';
  if (/\.css$/i.test(path) && !subject.files.includes(path)) {
    const sheets = Object.fromEntries(sheetsAt(workbench, path).map((href) => [href, text]));
    page.frame.send({ type: 'styles', sheets, own: [] });
    return 'styles';
  }
  if (path !== page.file || !isPageFile(path)) return undefined;
  const before = page.told;
  const now = (page.told = pageText(text));
  if (before.frame === now.frame) page.frame.send({ type: 'styles', sheets: {}, own: now.styles });
  return page.keeps && before.frame !== now.frame ? 'anew' : undefined;
}

/** Addresses under which the page names a style sheet. */
function sheetsAt({ page, folder }: Workbench, path: string): string[] {
  if (!page) return [];
  return page.told.sheets.filter((href) => {
    const name = href.replace(/[?#].*$/, '');
    return path === (name.startsWith('/') ? join(folder.root, name) : join(dirname(page.file), name));
  });
}

/** The site of the page that is shown. */
export function siteOf(workbench: Workbench, name: string): PageSite | undefined {
  const { page, folder, documents } = workbench;
  if (!page || page.frame.name !== name) return undefined;
  const { frame } = page;
  return {
    frame,
    root: folder.root,
    textOf: (path) => {
      const document = documents.get(path);
      return document?.unsaved ? document.shared.text : undefined;
    },
    async find(specifier, from) {
      const { packages, broken } = await frame.packages.bundle([{ specifier, from }]);
      const [address] = Object.values(packages);
      return address === undefined ? { why: Object.values(broken)[0] ?? `${specifier} is not there` } : { address };
    },
  };
}
