/** The library behind type removal; given from outside, because it differs between Node and a page. */
import type { Node } from '../syntax/node.js';
import type { Goal } from '../syntax/parse.js';
import { LineTable } from '../syntax/positions.js';
import type { Remark } from '../syntax/problems.js';
import type { ProjectSettings } from '../syntax/settings.js';
import type { Uses } from '../syntax/uses.js';
import type { Site } from './sites.js';

/** The library behind type removal; given from outside, because it differs between Node and a page. */
export interface Translator {
  /**
   * Replaces types by spaces: every other character keeps its place. Returns null when the text needs {@link
   * translate}.
   *
   * @param program the tree of the text, where it is there
   */
  erase(text: string, goal: Goal, program?: Node | null): string | null;
  /**
   * Everything else the target does not run: JSX, enums, namespaces, decorators, `accessor`, `using`, parameter
   * properties.
   */
  translate(code: string, options: TranslateOptions): { code: string; map: string };
}

export interface TranslateOptions {
  goal: Goal;
  typescript: boolean;
  tsx: boolean;
  /** Elements become calls of these names, or of the functions of this package. */
  jsx: { factory: string; fragment: string } | { source: string; development: boolean };
  settings: ProjectSettings | undefined;
  /** It holds what is lowered rather than removed. */
  lowers: boolean;
  /** Only TypeScript itself translates it. */
  compiler: boolean;
  file: string;
}

export interface Link {
  specifier: string;
  attributes: Record<string, string>;
  /** Place of the specifier in the original text. */
  start: number;
  end: number;
}

export interface Compiled {
  file: string;
  goal: Goal;
  code: string;
  sites: Site[];
  prefix: string;
  patchable: boolean;
  /** It stops at breakpoints. */
  stops?: true;
  links: Link[];
  /** Ordered starts of segments of `code`, and the original offset each stands for (`~offset`: inserted there). */
  generated: Int32Array;
  source: Int32Array;
  /** True when the module's function is async. */
  awaits: boolean;
  original: LineTable;
  /** Marks that ask for nothing possible; the code runs without them. */
  notes: Remark[];
  /** Kept expressions: site, and what they use. */
  keeps: { id: number; uses: Uses }[];
}
