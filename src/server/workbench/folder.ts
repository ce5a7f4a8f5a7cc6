/** The folder whose files may be opened: names for people, and paths for names. */
import { existsSync, readdirSync, realpathSync, statSync } from 'node:fs';
import { dirname, join, relative, resolve, sep } from 'node:path';
import { addedExtensions } from '../../hosts/node/project/languages.js';
import { isPageFile } from '../../syntax/page-text.js';
import { EXTENSIONS } from '../../syntax/parse.js';
import { RecentPads } from '../start/recent.js';
import { AnvilError } from '../../syntax/problems.js';
import { MOST_LISTED } from '../../wire/constants.js';

const SKIPPED = new Set(['node_modules', 'dist', 'coverage']);
const DEEPEST = 4;

export class Folder {
  readonly root: string;
  /** Pads that were run here. */
  readonly recent: RecentPads;

  /** @param state folder of what is remembered over sessions */
  constructor(
    root: string,
    /** Where is kept what is remembered. */
    readonly state: string,
  ) {
    this.root = realpathSync(root);
    this.recent = new RecentPads(state, this.root);
  }

  /** Name of a file for people: its path below the root. */
  nameOf(path: string): string {
    const name = relative(this.root, path);
    return name.startsWith('..') ? path : name.split(sep).join('/');
  }

  /**
   * The path of a file that a window may open.
   *
   * @param isKnown true for files outside that take part in what runs, and for open files that are gone
   * @throws AnvilError `E_NOT_FOUND` for one that is not there or not below the root
   */
  pathOf(name: string, isKnown: (path: string) => boolean): string {
    const path = resolve(this.root, name);
    let real: string;
    try {
      real = realpathSync(path);
    } catch {
      if (isKnown(path)) return path;
      throw new AnvilError('E_NOT_FOUND', `${name} does not exist. Check the path.`);
    }
    const inside = real === this.root || real.startsWith(this.root + sep);
    if (!inside && !isKnown(real)) throw new AnvilError('E_NOT_FOUND', `${name} is not below the folder that is open.`);
    return real;
  }

  /**
   * The path for a file that is to be made here.
   *
   * @param name relative to `beside` where it has no folder in it, else to the root
   * @throws AnvilError `E_NOT_FOUND` for one that is not below the root
   */
  placeFor(name: string, beside: string): string {
    const path = resolve(/[\\/]/.test(name) ? this.root : beside, name.trim());
    // Links on the way lead where they lead.
    let there = dirname(path);
    while (!existsSync(there)) there = dirname(there);
    const real = realpathSync(there);
    if (real !== this.root && !real.startsWith(this.root + sep))
      throw new AnvilError('E_NOT_FOUND', `${name} is not below the folder that is open.`);
    return join(real, relative(there, path));
  }

  /** Names of files that can run as a pad. */
  pads(): string[] {
    const more = addedExtensions(this.root).flatMap(({ plugin }) => plugin.extensions);
    return this.list((name) => isProgram(name) || more.some((extension) => name.endsWith(extension)));
  }

  /** Names of files that a program may load, components among them. */
  sources(): string[] {
    return this.list((name) => isProgram(name) || /\.(?:vue|svelte)$/.test(name));
  }

  private list(fits: (name: string) => boolean): string[] {
    const found: string[] = [];
    this.visit(this.root, 0, found, fits);
    return found;
  }

  private visit(folder: string, depth: number, found: string[], fits: (name: string) => boolean): void {
    let names: string[];
    try {
      names = readdirSync(folder).sort();
    } catch {
      return;
    }
    for (const name of names) {
      if (name.startsWith('.') || SKIPPED.has(name) || found.length >= MOST_LISTED) continue;
      const path = join(folder, name);
      const isFolder = statSync(path, { throwIfNoEntry: false })?.isDirectory();
      if (isFolder === undefined) continue;
      if (isFolder && depth < DEEPEST) this.visit(path, depth + 1, found, fits);
      else if (!isFolder && fits(name)) found.push(this.nameOf(path));
    }
  }
}

function isProgram(name: string): boolean {
  return (
    (EXTENSIONS.some((extension) => name.toLowerCase().endsWith(extension)) && !name.endsWith('.d.ts')) ||
    isPageFile(name)
  );
}
