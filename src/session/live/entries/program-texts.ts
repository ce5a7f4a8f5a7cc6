/** The texts of a program as its entry points see them: what they register, and in which layer each lies. */
import type { RegisteredHandler } from '../../../record/entries/book.js';
import { layerOf, type LayerPatterns } from '../../../record/entries/layers.js';
import type { PieceTexts } from '../../../record/entries/pieces.js';
import { registeredHandlers, type RegisteringText } from '../../../record/entries/routes.js';
import type { Outline } from '../../../syntax/outline.js';
import { registrationsOf, type Registrations } from '../../../syntax/registrations.js';
import type { RunningProgram } from '../running.js';

/** The file in which a project names its layers, beside its first file or above. */
export const LAYERS_FILE = 'usher-anvil.layers.json';
const LAYERS_FORMAT = 'usher-anvil/layers@1';

export class ProgramTexts implements PieceTexts {
  private readonly registrations = new WeakMap<Outline, Registrations>();
  private read: { stamp: string; patterns: LayerPatterns } | undefined;

  constructor(private readonly running: RunningProgram) {}

  find(of: number): { file: string; path: string } | undefined {
    return this.running.observed.functions.find(of);
  }

  outline(file: string): Outline | undefined {
    return this.running.targetsOf(file)[0]?.modules.get(file)?.outline;
  }

  private get files(): string[] {
    return [...new Set(this.running.targets.flatMap(({ modules }) => [...modules.keys()]))];
  }

  /** The folder that all files of the program lie in. */
  get root(): string {
    const all = this.files.map((file) => file.split(/[\\/]/).slice(0, -1));
    const [first = []] = all;
    let same = 0;
    while (same < first.length && all.every((one) => one[same] === first[same])) same++;
    return first.slice(0, same).join('/');
  }

  shortPath(file: string): string {
    const path = file.replace(/\\/g, '/');
    const { root } = this;
    return path.startsWith(`${root}/`) ? path.slice(root.length + 1) : path.split('/').slice(-2).join('/');
  }

  /** What the project says about layers; nothing where it says nothing, or what cannot be read. */
  get layers(): LayerPatterns {
    const { files } = this.running.parts;
    const path = `${this.root}/${LAYERS_FILE}`;
    const stamp = files.stamp(path);
    if (this.read?.stamp === stamp) return this.read.patterns;
    const patterns = stamp === '' ? {} : patternsIn(() => files.read(path));
    this.read = { stamp, patterns };
    return patterns;
  }

  /** Layers of all files. */
  get allLayers(): string[] {
    return [...new Set(this.files.map((file) => layerOf(this.shortPath(file), this.layers)))];
  }

  /** Texts that run, by file. */
  textsNow(): Map<string, string> {
    return new Map(
      this.files.flatMap((file): [string, string][] => {
        const text = this.running.textOf(file);
        return text === undefined ? [] : [[file, text]];
      }),
    );
  }

  /** Functions of all files, by their paths; none where there are more than so many. */
  allFunctions(most: number): Map<string, Set<string>> {
    const found = new Map<string, Set<string>>();
    let count = 0;
    for (const file of this.files) {
      const paths = this.outline(file)?.functions.map(({ path }) => path) ?? [];
      count += paths.length;
      found.set(file, new Set(paths));
    }
    return count > most ? new Map() : found;
  }

  /** Handlers that the texts of now register. */
  handlers(): RegisteredHandler[] {
    const texts = this.files.flatMap((file): RegisteringText[] => {
      const outline = this.outline(file);
      if (!outline) return [];
      let found = this.registrations.get(outline);
      if (!found) this.registrations.set(outline, (found = registrationsOf(outline)));
      const resolve = (specifier: string): string | undefined => this.running.localFile(specifier, file);
      return [
        {
          ...found,
          file,
          resolve,
          importOf(name) {
            const entry = outline.imports.find(({ names }) => names.some(({ local }) => local === name));
            return entry && resolve(entry.specifier);
          },
        },
      ];
    });
    return registeredHandlers(texts);
  }
}

function patternsIn(read: () => string): LayerPatterns {
  try {
    const { format, layers } = JSON.parse(read()) as { format?: unknown; layers?: Record<string, unknown> };
    if (format !== LAYERS_FORMAT || typeof layers !== 'object') return {};
    return Object.fromEntries(
      Object.entries(layers).flatMap(([name, list]) =>
        Array.isArray(list) ? [[name, list.filter((one): one is string => typeof one === 'string')]] : [],
      ),
    );
  } catch {
    return {};
  }
}
