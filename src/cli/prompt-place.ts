/** The module of a live program in which a prompt evaluates. */
import { relative, resolve } from 'node:path';
import type { Window } from '../server/window.js';
import { nearest } from '../syntax/names.js';
import { AnvilError } from '../syntax/problems.js';

export class PromptPlace {
  files: string[] = [];
  file = '';
  /** Label of the thread, process or page, where the file runs in several and one was chosen. */
  where: string | undefined;
  private readonly cwd = process.cwd();

  /** @param target name of the program */
  constructor(readonly target: string) {}

  /**
   * Asks the program for its modules, and goes to one of them, or to its first.
   *
   * @throws AnvilError `E_NOT_FOUND` when the program has no such module
   */
  async begin(window: Window, file: string | undefined): Promise<void> {
    const { files, entry } = await window.ask('describe', {});
    this.files = files;
    this.file = file === undefined ? entry : this.fileNamed(file);
  }

  /** Parameters that say where, for what is asked of the program. */
  get there(): { where?: string } {
    return this.where === undefined ? {} : { where: this.where };
  }

  /** A path as short as it reads from here. */
  short(file: string): string {
    const path = relative(this.cwd, file);
    return path === '' || path.startsWith('..') ? file : path;
  }

  /**
   * Goes to another module.
   *
   * @param where label of the thread, process or page
   * @returns what is to be said of it: that it does not run there, or where else it runs
   * @throws AnvilError `E_NOT_FOUND` when the program has no such module
   */
  async go(window: Window, name: string, where: string | undefined): Promise<{ wrong?: string; also?: string }> {
    const { files, places } = await window.ask('describe', {});
    this.files = files;
    const file = this.fileNamed(name);
    const labels = places.filter((place) => place.files.includes(file)).map((place) => place.label);
    const runsIn = labels.join(', ');
    if (where !== undefined && !labels.includes(where))
      return { wrong: `${name} does not run in ${where}${labels.length > 0 ? `; it runs in ${runsIn}` : ''}` };
    this.file = file;
    this.where = where;
    return where === undefined && labels.length > 1
      ? { also: `it runs in ${runsIn}: in ${name} ${labels[1]!} takes that one` }
      : {};
  }

  private fileNamed(name: string): string {
    const path = resolve(this.cwd, name);
    const found = this.files.find((one) => one === path) ?? this.files.find((one) => one.endsWith(`/${name}`));
    if (found !== undefined) return found;
    const short = this.files.map((one) => this.short(one));
    const near = nearest(name, short);
    throw new AnvilError(
      'E_NOT_FOUND',
      `${name} is no module ` +
        `of ${this.target}${near ? `. Did you mean ${near}?` : `; its modules are ${short.slice(0, 12).join(', ')}`}`,
    );
  }
}
