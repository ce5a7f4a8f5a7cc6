/** What a pad that has a document needs in a published page: its scripts, style sheets, pictures, and libraries. */
import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { readText } from '../../hosts/node/files.js';
import { createPageSession, mountsOf, PageFiles, PageFrame } from '../../hosts/pages/index.js';
import type { Wanted } from '../../hosts/pages/frame-way.js';
import { isPageFile } from '../../syntax/page-text.js';
import type { ToWindow } from '../protocol.js';
import { lastPage } from '../workbench/last-pages.js';

export interface Gathered {
  /** Files that are executed, the pad first. */
  code: string[];
  /** What else comes along. */
  others: string[];
  /** What a file has to execute. */
  textOf(file: string): string;
  wanted: Wanted[];
  /** What windows were told of a run, with names of files from a folder on. */
  last?: { root: string; told: ToWindow[] } | undefined;
}

/** Gathers a page without executing it: its last run is that of a window, where it ran as it is now. */
export async function gatherPage(file: string): Promise<Gathered> {
  const text = readText(file);
  const root = dirname(file);
  const frame = new PageFrame();
  const nothing = (): undefined => undefined;
  const events = { anew: nothing, painted: nothing, pointed: nothing, lost: () => false };
  const session = createPageSession({ file, text, root, frame, events });
  session.execute();
  const { files: code, packages } = session;
  await session.close();
  const files = new PageFiles(file, root);
  const page = files.pageOf(text);
  const named = page ? [...page.sheets, ...page.outside, ...addressesIn(page.html)] : [];
  const others = named.flatMap((address) => {
    const name = address.replace(/[?#].*$/, '');
    const path = name.startsWith('/') ? join(root, name) : join(root, decodeURI(name));
    return /^(?:[a-z]+:|\/\/|#)/i.test(address) || !existsSync(path) ? [] : [path];
  });
  const textOf = (one: string): string => {
    const read = readText(one);
    const made = files.made(one, read);
    return made && 'code' in made ? made.code : files.codeOf(one, read);
  };
  const mounts = isPageFile(file) ? undefined : mountsOf(text, file);
  const wanted: Wanted[] = [
    ...(mounts === 'react' ? ['react', 'react-dom/client'] : mounts ? [mounts] : []).map((specifier) => ({
      specifier,
      from: file,
    })),
    ...packages,
  ];
  return { code, others: [...new Set(others)], textOf, wanted, last: lastPage(file) };
}

/** Addresses of pictures in a page. */
function addressesIn(html: string): string[] {
  return [...html.matchAll(/\b(?:src|href|poster)\s*=\s*(["']?)([^"'\s>]+)\1/g)].flatMap(([, , address]) =>
    /\.(?:svg|png|jpe?g|gif|webp)(?:[?#].*)?$/i.test(address!) ? [address!] : [],
  );
}
