/** Code of modules as a target takes them. */
import type { Site } from '../instrument/sites.js';
import type { Compiled } from '../instrument/translator.js';
import type { ProgramFile } from '../record/program.js';
import type { Outline } from '../syntax/outline.js';
import type { Parsed } from '../syntax/parse.js';
import { LineTable } from '../syntax/positions.js';
import type { Problem } from '../syntax/problems.js';
import type { ModuleCode, ModuleLink } from '../wire/modules.js';

export interface Unit {
  file: string;
  /** It was read as the pad of a program. */
  isPad: boolean;
  text: string;
  parsed: Parsed;
  lines: LineTable;
  outline: Outline | undefined;
  compiled: Map<string, Compiled>;
  quiet: { start: number; end: number }[] | undefined;
}

export function emptyCode(file: string, unit: number): ModuleCode {
  const empty = new Int32Array(0);
  return {
    file,
    name: file,
    unit,
    goal: 'json',
    code: '',
    awaits: false,
    cyclic: false,
    base: 0,
    owners: empty,
    reach: empty,
    plus: empty,
    functions: [],
    prefix: '',
    kept: [],
    links: [],
    dynamic: {},
    generated: empty,
    source: empty,
    originalStarts: empty,
    original: '',
  };
}

/** A module that cannot run: whoever asks for it is told why. */
export function brokenCode({ file, lines, parsed }: Unit, problem: Problem, unit: number, name: string): ModuleCode {
  const { line, character } = lines.positionAt(problem.start);
  return {
    ...emptyCode(file, unit),
    name,
    goal: parsed.goal,
    broken: {
      message: problem.thrown ?? problem.message,
      line,
      character,
      how: problem.thrown ? 'names' : problem.code === 'E_SYNTAX' ? 'syntax' : 'link',
    },
  };
}

/** What the first mark `from:` of the pad names. */
export function dataOf(file: ProgramFile | undefined): string | undefined {
  return file?.sites.find((site) => site.mark?.verb === 'from')?.mark?.expression;
}

/** A module that a guest has loaded, as far as places and sources go: it was compiled as it stands. */
export function servedCode(outline: Outline, compiled: Compiled, name: string): ModuleCode {
  const { file, text, goal } = outline.parsed;
  const unit = { file, text, outline, lines: new LineTable(text) };
  return moduleCode(unit, compiled, { number: -1, base: 0, goal, links: [], dynamic: {}, cyclic: false, name });
}

export function moduleCode(
  unit: Pick<Unit, 'file' | 'text' | 'outline' | 'lines'>,
  compiled: Compiled,
  at: {
    number: number;
    base: number;
    goal: ModuleCode['goal'];
    links: ModuleLink[];
    dynamic: Record<string, ModuleLink>;
    cyclic: boolean;
    ahead?: boolean;
    name: string;
    names?: string[];
    /** Sites in code that was made of the text: what functions show as their source is that. */
    made?: readonly Site[] | undefined;
  },
): ModuleCode {
  const { sites } = compiled;
  const functions: ModuleCode['functions'] = [];
  for (const site of at.made ?? sites)
    if (site.kind === 'function') functions.push({ site: site.cell, start: site.start, end: site.end });
  for (const { start, end } of unit.outline!.classes) functions.push({ site: -1, start, end });
  return {
    file: unit.file,
    name: at.name,
    unit: at.number,
    goal: at.goal,
    code: compiled.code,
    awaits: compiled.awaits,
    ...(at.names ? { names: at.names } : {}),
    cyclic: at.cyclic,
    ...(at.ahead ? { ahead: true } : {}),
    base: at.base,
    owners: Int32Array.from(sites, (site) => site.owner),
    reach: Int32Array.from(sites, (site) => site.reach),
    plus: Int32Array.from(sites, (site) => site.plus),
    functions,
    ...(compiled.patchable
      ? { slots: Int32Array.from(unit.outline!.functions.flatMap(({ start, end }) => [start, end])) }
      : {}),
    prefix: compiled.prefix,
    ...(compiled.stops ? { stops: true as const } : {}),
    kept: [],
    links: at.links,
    dynamic: at.dynamic,
    generated: compiled.generated,
    source: compiled.source,
    originalStarts: unit.lines.starts,
    original: at.made ? unit.outline!.parsed.text : unit.text,
  };
}
