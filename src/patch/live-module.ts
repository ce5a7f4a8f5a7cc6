/** What is known of a module that runs: which versions of its functions are alive, and how each can be reached. */
import { arrowForm } from '../instrument/arrows.js';
import { argumentsPassedOn, isForNew } from '../instrument/passed-on.js';
import { prefixFor } from '../instrument/probe-names.js';
import { firstSlots } from '../instrument/slots.js';
import { pointsOf, type Hook } from '../instrument/points.js';
import type { Node } from '../syntax/node.js';
import { LineTable } from '../syntax/positions.js';
import { classAround, memberName, type Outline, type TopLevelStatement } from '../syntax/outline.js';

/** Functions that were made by one version of the code around them: all have one slot of the patch table. */
export interface Generation {
  slot: number;
  hook: Hook;
  /** Names their scope has beyond the module's. */
  layout: ReadonlySet<string>;
  /** `raw`: a later version gets what was given. `bound`: it gets what the parameters bound. */
  form: 'raw' | 'bound';
  bound: string;
  kind: 'plain' | 'async' | 'generator' | 'asyncGenerator';
  arrow: boolean;
  self: boolean;
  /** How many arguments a later version gets at most. */
  takes: number;
  /** A later version may ask for `new.target`. */
  newTarget: boolean;
}

export interface LiveClass {
  /** First of its two slots. */
  slot: number;
  hook: 'class' | 'inner' | undefined;
  derived: boolean;
  /** Private names it was made with. */
  privates: ReadonlySet<string>;
  /** Names that code inside its constructor would meet first. */
  constructorNames: ReadonlySet<string>;
  /** Slot of its constructor. */
  constructorSlot: number;
}

/** A declaration that the text has no more, and that still lives. */
export interface Gone {
  outline: Outline;
  statement: TopLevelStatement;
  function?: { index: number; generations: Generation[] };
  class?: { index: number; live: LiveClass };
}

export interface LiveModule {
  file: string;
  outline: Outline;
  /** By function of `outline`. */
  functions: Generation[][];
  /** Line on which each function stood when its code was compiled, from 0. */
  lines: number[];
  /** By class of `outline`. */
  classes: LiveClass[];
  nextSlot: number;
  /** Slots to which a change gave a later version. */
  changed: ReadonlySet<number>;
  /** Slots it started with. */
  size: number;
  /** In the names of its first slots' properties. */
  key: string;
  /** Where names are found that came after the module had started, or were renamed; the same for private members. */
  late: ReadonlyMap<string, string>;
  /** All places among the late names that were ever given. */
  keys: ReadonlySet<string>;
  /** Expressions for the modules it imports, by specifier. */
  links: ReadonlyMap<string, string>;
  /** For text that stays a module: what the names mean that its own imports bind, as specifier and name. */
  bound: ReadonlyMap<string, string> | undefined;
  /** Those names are not in its scope: a module runner has written them anew, and they are among the late ones. */
  boundLate: boolean;
  gone: ReadonlyMap<string, Gone>;
}

/**
 * The state of a module that has just started.
 *
 * @param form `module`: its text stayed an ES module, whose imports bind its names; `runner`: a module runner
 *   executes that
 */
export function liveModule(outline: Outline, form: 'linked' | 'module' | 'runner' = 'linked'): LiveModule {
  const slots = firstSlots(outline);
  const links = new Map<string, string>();
  const p = prefixFor(outline.parsed.text);
  const bound = form === 'linked' ? undefined : importedNames(outline);
  outline.imports
    .filter((entry) => !entry.typeOnly && form === 'linked')
    .forEach((entry, index) => {
      if (!links.has(entry.specifier)) links.set(entry.specifier, `${p}i${index}`);
    });
  return {
    file: outline.parsed.file,
    outline,
    functions: outline.functions.map((_, index) => {
      const made = generationOf(outline, index, slots.functions[index]!);
      return made ? [made] : [];
    }),
    lines: linesOf(outline),
    classes: outline.classes.map((_, index) => liveClassOf(outline, index, slots.classes[index]!, slots.functions)),
    nextSlot: slots.size,
    changed: new Set(),
    size: slots.size,
    key: slots.key,
    late: new Map(),
    keys: new Set(),
    links,
    bound,
    boundLate: form === 'runner',
    gone: new Map(),
  };
}

/** First line of each function. */
export function linesOf(outline: Outline): number[] {
  const table = new LineTable(outline.parsed.text);
  return outline.functions.map((info) => table.lineAt(info.start));
}

export function generationOf(outline: Outline, index: number, slot: number): Generation | undefined {
  const info = outline.functions[index]!;
  const point = pointsOf(outline).functions[index]!;
  if (point.hook === undefined) return undefined;
  const form = info.kind === 'arrow' && arrowForm(outline, info.node) === 'bound' ? 'bound' : 'raw';
  let { layout } = point;
  if (point.hook === 'inner')
    layout = new Set([...layout, ...privatesOf(outline.classes[classAround(outline, info.node)]!.node)]);
  return {
    slot,
    hook: point.hook,
    layout,
    form,
    bound:
      form === 'bound'
        ? (info.node.params as Node[])
            .map((parameter) => outline.parsed.text.slice(parameter.start, parameter.end))
            .join(',')
        : '',
    kind: kindOf(info),
    arrow: info.kind === 'arrow',
    self: point.self,
    takes: form === 'raw' ? argumentsPassedOn(outline, info.node) : Infinity,
    newTarget: info.kind !== 'function' || isForNew(info.node, info.name),
  };
}

export function kindOf(info: { async: boolean; generator: boolean }): Generation['kind'] {
  if (info.generator) return info.async ? 'asyncGenerator' : 'generator';
  return info.async ? 'async' : 'plain';
}

/** Two generations with one key are patched by the same code. */
export function keyOf(generation: Generation): string {
  const { hook, form, bound, kind, arrow, self, takes, newTarget, layout } = generation;
  return [hook, form, bound, kind, arrow, self, takes, newTarget, [...layout].sort().join(' ')].join('|');
}

/** What of a function's key does not depend on where it stands. */
export function ownKey(outline: Outline, index: number): string {
  const made = generationOf(outline, index, 0);
  if (!made) return '';
  const { hook, form, bound, kind, arrow, self } = made;
  const { kind: role, isStatic } = outline.functions[index]!;
  return `ƒ${[role, isStatic, hook, form, bound, kind, arrow, self].join('|')}`;
}

export function liveClassOf(
  outline: Outline,
  index: number,
  slot: number,
  functionSlots: readonly number[],
): LiveClass {
  const point = pointsOf(outline).classes[index]!;
  const { node } = outline.classes[index]!;
  const constructorIndex = point.constructorIndex < 0 ? undefined : outline.functions[point.constructorIndex]!;
  const { scopes } = pointsOf(outline);
  const inner = constructorIndex ? scopes.inner.get(constructorIndex.node) : undefined;
  return {
    slot,
    hook: point.hook,
    derived: point.derived,
    privates: privatesOf(node),
    constructorNames: new Set([...(inner?.names ?? []), ...(inner?.parent?.names ?? [])]),
    constructorSlot: point.constructorIndex < 0 ? slot + 1 : functionSlots[point.constructorIndex]!,
  };
}

export function privatesOf(node: Node): Set<string> {
  return new Set(
    (node.body.body as Node[])
      .filter((member) => member.key?.type === 'PrivateName')
      .map((member) => memberName(member)),
  );
}

/** What imported names stand for: specifier and name, by local name. */
export function importedNames(outline: Outline): Map<string, string> {
  const found = new Map<string, string>();
  for (const entry of outline.imports)
    if (!entry.typeOnly) for (const name of entry.names) found.set(name.local, `${entry.specifier}\n${name.imported}`);
  return found;
}

/**
 * The line of the present text behind a line of the code that runs: functions
 * that only moved are not compiled again.
 *
 * @param name of the function, as a stack has it; empty where it has none
 */
export function presentLine(module: LiveModule, line: number, name: string): number {
  const { outline, lines } = module;
  const table = new LineTable(outline.parsed.text);
  let best = -1;
  outline.functions.forEach((info, index) => {
    const from = lines[index]!;
    if (line < from || line > from + table.lineAt(info.end) - table.lineAt(info.start)) return;
    const own = info.name.replace(/^.*\./, '');
    if (name !== '' && own !== '' && !own.endsWith('()') && !name.endsWith(own)) return;
    if (best < 0 || from >= lines[best]!) best = index;
  });
  return best < 0 ? line : line + table.lineAt(outline.functions[best]!.start) - lines[best]!;
}

/** Code that reads the variables of a module, for finding its live objects. */
export function rootsOf(module: LiveModule): { file: string; code: string } {
  const names = [...module.outline.topLevel]
    .filter(([name, kind]) => (kind === 'const' || kind === 'let' || kind === 'var') && !module.late.has(name))
    .map(([name]) => name);
  return { file: module.file, code: `[${names.map((name) => `()=>${name}`).join(',')}]` };
}
