/** Data files of a running program: which modules have them, and what a save of one means. */
import { dataObstacle, dataUses, planData, type DataUse } from '../../patch/data.js';
import type { LiveModule } from '../../patch/live-module.js';
import type { Outline } from '../../syntax/outline.js';
import { jsonProblem } from '../../syntax/json-problem.js';
import { withFollowing, type Work } from './applying.js';
import type { RunningProgram } from './running.js';

export type DataRead =
  | { is: 'works'; works: Work[]; before: string; text: string }
  | { is: 'same' }
  | { is: 'refused'; text: string; details: string[] }
  /** It takes a beginning anew. */
  | { is: 'cannot'; details: string[] };

export class DataFiles {
  private readonly uses = new WeakMap<Outline, Map<string, DataUse>>();
  /** What each held when the program took it. */
  private readonly texts = new Map<string, string>();

  constructor(private readonly running: RunningProgram) {}

  /** Files that modules of the program import as data. */
  get files(): string[] {
    const all = new Set<string>();
    for (const { modules } of this.running.targets)
      for (const module of modules.values()) {
        this.note(module);
        for (const file of this.usesOf(module).keys()) all.add(file);
      }
    return [...all];
  }

  /** A module begins: what it has of its data files is what they hold now. */
  note(module: LiveModule): void {
    for (const file of this.usesOf(module).keys()) if (!this.texts.has(file)) this.remember(file);
  }

  has(file: string): boolean {
    return this.running.targets.some(({ modules }) =>
      [...modules.values()].some((module) => this.usesOf(module).has(file)),
    );
  }

  /** What a save of one means for the targets that have it. */
  read(file: string): DataRead {
    const before = this.texts.get(file);
    let text: string;
    try {
      text = this.running.parts.files.read(file);
    } catch (error) {
      return {
        is: 'refused',
        text: 'nothing changed: the file cannot be read now',
        details: [(error as Error).message],
      };
    }
    if (text === before || before === undefined) {
      this.texts.set(file, text);
      return { is: 'same' };
    }
    let after: unknown;
    try {
      after = JSON.parse(text);
    } catch (error) {
      const details = [jsonProblem(text, (error as Error).message)];
      return { is: 'refused', text: 'syntax error, nothing changed', details };
    }
    const works: Work[] = [];
    const cannot: string[] = [];
    const { translator } = this.running.parts.language;
    for (const state of this.running.targets) {
      const plans = [...state.modules.values()].flatMap((module) => {
        const use = this.usesOf(module).get(file);
        if (!use) return [];
        const obstacle = dataObstacle(use, parsed(before), after);
        if (obstacle === '') return [planData(module, use, text, translator)];
        cannot.push(`${module.file}: ${obstacle}`);
        return [];
      });
      if (plans.length > 0) works.push({ state, plans: withFollowing(this.running, state, plans) });
    }
    if (cannot.length > 0) return { is: 'cannot', details: cannot };
    return { is: 'works', works, before, text };
  }

  /** The program has taken a text. */
  took(file: string, text: string): void {
    this.texts.set(file, text);
  }

  private remember(file: string): void {
    try {
      this.texts.set(file, this.running.parts.files.read(file));
    } catch {
      // The program has failed to read it as well.
    }
  }

  private usesOf({ outline }: LiveModule): Map<string, DataUse> {
    let uses = this.uses.get(outline);
    if (!uses) {
      uses = dataUses(outline, (specifier, from) => this.running.localFile(specifier, from));
      this.uses.set(outline, uses);
    }
    return uses;
  }
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

/** Most paths that are named. */
const MOST_PATHS = 4;

/** The paths at which two texts differ: `rate, piers[2].depth`. */
export function differingPaths(before: string, after: string): string {
  const found: string[] = [];
  const compare = (a: unknown, b: unknown, path: string): void => {
    if (Object.is(a, b)) return;
    const both = [a, b].every((one) => typeof one === 'object' && one !== null);
    if (!both || Array.isArray(a) !== Array.isArray(b)) {
      found.push(path === '' ? 'all of it' : path);
      return;
    }
    const keys = new Set([...Object.keys(a as object), ...Object.keys(b as object)]);
    for (const key of keys) {
      const name = Array.isArray(a)
        ? `[${key}]`
        : /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(key)
          ? `.${key}`
          : `[${JSON.stringify(key)}]`;
      compare((a as Record<string, unknown>)[key], (b as Record<string, unknown>)[key], `${path}${name}`);
    }
  };
  compare(parsed(before), parsed(after), '');
  const names = found.map((path) => path.replace(/^\./, ''));
  const more = names.length > MOST_PATHS ? ` and ${names.length - MOST_PATHS} more` : '';
  return `${names.slice(0, MOST_PATHS).join(', ')}${more}`;
}
