/**
 * What the walk over a text carries: facts about the text, where it writes to,
 * and a context that each place hands down to what is inside it.
 *
 * The parts of the walk are files by subject. They call each other through
 * {@link Visit}, because statements hold functions and functions statements.
 */
import { TEST_TOOLS } from '../syntax/test-globals.js';
import { statementsAhead } from '../syntax/replaced-modules.js';
import { testNamesOf } from '../syntax/tests.js';
import { marksOf } from '../syntax/marks.js';
import { selectedMark } from '../syntax/selection.js';
import type { Mark } from '../syntax/mark-roles.js';
import type { Node } from '../syntax/node.js';
import type { ImportEntry, Outline } from '../syntax/outline.js';
import type { Problem } from '../syntax/problems.js';
import { Edits } from './edits.js';
import type { ProbeOptions } from './options.js';
import { pointsOf, type Points } from './points.js';
import { namesWith, prefixFor, type ProbeNames } from './probe-names.js';
import type { Site } from './sites.js';
import { firstSlots, type Slots } from './slots.js';

/** What is inside a place of the text. */
export interface Context {
  /** Site of the innermost function, or -1. */
  within: number;
  /** Innermost loop or function: what is sampled together. */
  owner: number;
  /** The cell that counts how often the place is reached, and one to add to it (-1: none). */
  reach: number;
  plus: number;
  /** Locals of the function that carry probed values; undefined where there can be none. */
  locals: Set<string> | undefined;
  /** Value sites inside the outermost loop of the function. */
  loop: number[] | undefined;
  /** The class whose constructor this is, where that has to call `super`. */
  making: { index: number; assign: string } | undefined;
  /** In a list of statements: where the one before ends; -1 where there is none. */
  above: number;
  /** A label stands right before: nothing may come between. */
  labelled: boolean;
  /** At depth `steps`: an expression for the number of the frame; `0` for the one that is active. */
  frame: string;
  /** How many frames of functions are around. */
  frames: number;
  /** The breakpoint that is asked before the function gives a value, or -1. */
  returns: number;
}

/** Outside of everything. */
export const OUTSIDE: Context = {
  within: -1,
  owner: -1,
  reach: -1,
  plus: -1,
  locals: undefined,
  loop: undefined,
  making: undefined,
  above: -1,
  labelled: false,
  frame: '0',
  frames: 0,
  returns: -1,
};

/** What is known of the text; nothing of it changes. */
export interface Facts {
  outline: Outline;
  text: string;
  options: ProbeOptions;
  /** Prefix of our names, and the names. */
  prefix: string;
  names: ProbeNames;
  counts: boolean;
  values: boolean;
  /** Frames and statements report as well. */
  steps: boolean;
  linked: boolean;
  /** The file is a script that is written as a module. */
  interop: boolean;
  /** Statements that run before the imports are evaluated. */
  ahead: readonly Node[];
  /** Numbers of functions and classes by their node. */
  functions: ReadonlyMap<Node, number>;
  classes: ReadonlyMap<Node, number>;
  /** Patch points; undefined in code that is not patchable. */
  points: Points | undefined;
  /** Constants of the module in patchable code, as declarations. */
  topConstants: ReadonlySet<Node>;
  slots: Slots;
}

/** Names of the text that mean something to us. */
export interface KnownNames {
  /** Expressions for imported and late names. */
  places: Map<string, string>;
  /** The same for each place where one is written or read. */
  placeAt: Map<number, string>;
  /** Of a script that is written as a module: the names under which each of its own is exported. */
  exported: Map<string, string[]>;
  /** Writes to what the module exports: its namespace object is told of them. */
  exportedWrites: Set<Node>;
  /** Writes of the program to a top-level `const`, which in patchable code is a variable that only patches assign. */
  constantWrites: Map<Node, string>;
  /** `console` is the global one. */
  freeConsole: boolean;
  /** Where the global console and names that came from `node:test` stand. */
  consoleAt: Set<number>;
  testAt: Set<number>;
  /** The same for what else test frameworks give: `expect` and its like. */
  toolAt: Map<number, string>;
}

/** Marks until they are walked. */
export interface PendingMarks {
  /** By the expression they are about. */
  at: Map<Node, Mark[]>;
  /** Those in the middle of a chain with `?.`, by the whole chain. */
  chains: Map<Node, Mark[]>;
  /** Links of such chains that may end them, with the local that tells whether they did not. */
  chainLinks: Map<Node, string>;
  /** Code behind a marked part of such a chain. */
  chainEnds: Map<Node, string>;
}

/** Where the walk writes to. */
export interface Out {
  edits: Edits;
  sites: Site[];
  links: ImportEntry[];
  problems: Problem[];
  keeps: { id: number; node: Node }[];
  defaultFunction: boolean;
  defaultValue: boolean;
  /** Loop bodies around which a block was put for a hook. */
  wrapped: Set<Node>;
  /** Names of the scopes around a part that its code reaches through a hook. */
  reached: Map<string, { constant: boolean }>;
  /** The name of what tells whether the stop before the next value acts. */
  guard: string | undefined;
}

/** The parts of the walk that others come back to. */
export interface Visit {
  /** Walks an expression. `covered`: a probe around it already samples its value. */
  expression(walk: Walk, context: Context, node: Node, covered: boolean): void;
  /** Walks one statement. Returns the cell that counts it, or -1 when it has none. */
  statement(walk: Walk, context: Context, node: Node, shared: number): number;
  /** Walks a list of statements; see `statements.ts`. */
  list(walk: Walk, context: Context, statements: readonly Node[], entry: number, before?: number): number;
  /** Walks a function. */
  functionNode(walk: Walk, context: Context, node: Node): void;
  /** Walks a class. */
  classNode(walk: Walk, context: Context, node: Node): void;
}

export interface Walk {
  facts: Facts;
  known: KnownNames;
  marks: PendingMarks;
  out: Out;
  visit: Visit;
}

/** Prepares the walk over a text or a part of it. */
export function walkOf(outline: Outline, options: ProbeOptions, visit: Visit): Walk {
  const { text } = outline.parsed;
  const prefix = prefixFor(text);
  const linked = options.form === 'linked';
  const steps = options.depth === 'steps' && linked && !options.patchable;
  const values = options.depth === 'values' || options.depth === 'steps';
  const facts: Facts = {
    outline,
    text,
    options,
    prefix,
    names: namesWith(prefix),
    counts: options.depth !== 'off',
    values,
    steps,
    linked,
    interop: linked && outline.parsed.interop,
    ahead: linked && !options.patchable ? statementsAhead(outline) : [],
    functions: new Map(outline.functions.map((info, index) => [info.node, index])),
    classes: new Map(outline.classes.map((info, index) => [info.node, index])),
    points: options.patchable ? pointsOf(outline) : undefined,
    topConstants: new Set(options.patchable ? topConstantsOf(outline) : []),
    slots:
      options.slots ?? (options.patchable ? firstSlots(outline) : { functions: [], classes: [], size: 0, key: '' }),
  };
  const out: Out = {
    edits: new Edits(text),
    sites: options.sites ?? [],
    links: [],
    problems: [],
    keeps: [],
    defaultFunction: false,
    defaultValue: false,
    wrapped: new Set(),
    reached: new Map(),
    guard: undefined,
  };
  return { facts, known: knownNamesOf(facts), marks: pendingMarksOf(facts, out), out, visit };
}

function topConstantsOf({ statements }: Outline): Node[] {
  return statements
    .map(({ node }) => (node.declaration as Node | null | undefined) ?? node)
    .filter((node) => node.type === 'VariableDeclaration' && node.kind === 'const');
}

function knownNamesOf({ outline, interop }: Facts): KnownNames {
  const known: KnownNames = {
    places: new Map(),
    placeAt: new Map(),
    exported: new Map(),
    exportedWrites: new Set(),
    constantWrites: new Map(),
    freeConsole: !outline.topLevel.has('console'),
    consoleAt: new Set(),
    testAt: new Set(),
    toolAt: new Map(),
  };
  if (interop)
    for (const { from, local, exported } of outline.exports)
      if (from === undefined) known.exported.set(local, [...(known.exported.get(local) ?? []), exported]);
  const tests = testNamesOf(outline);
  const imported = new Set(outline.imports.flatMap(({ names }) => names.map(({ local }) => local)));
  const isTool = (name: string): boolean =>
    TEST_TOOLS.has(name) && (imported.has(name) || outline.topLevel.get(name) !== 'function');
  for (const reference of outline.references) {
    if (reference.name === 'console') known.consoleAt.add(reference.start);
    else if (isTool(reference.name)) known.toolAt.set(reference.start, reference.name);
    else if (tests.has(reference.name)) known.testAt.add(reference.start);
  }
  return known;
}

function pendingMarksOf({ outline, text, values, options }: Facts, out: Out): PendingMarks {
  const pending: PendingMarks = { at: new Map(), chains: new Map(), chainLinks: new Map(), chainEnds: new Map() };
  const selected = values && options.selected ? selectedMark(outline, options.selected) : undefined;
  if (!values || (!text.includes('~') && !selected)) return pending;
  const { marks, problems } = marksOf(outline);
  out.problems.push(...problems);
  for (const mark of [...marks, ...(selected ? [selected] : [])]) {
    const [map, key] = mark.role.is === 'chain' ? [pending.chains, mark.role.whole] : [pending.at, mark.node];
    map.set(key, [...(map.get(key) ?? []), mark]);
  }
  return pending;
}

/** The context of a place that a cell counts by itself. */
export function reached(context: Context, cell: number): Context {
  return { ...context, reach: cell, plus: -1 };
}

/** The context of a place where no local of ours can be declared: parameters, fields, bodies of expression arrows. */
export function withoutLocals(context: Context): Context {
  return context.locals === undefined && context.loop === undefined
    ? context
    : { ...context, locals: undefined, loop: undefined };
}

/** Line ends of a part of the text. */
export function newlinesIn({ facts }: Walk, start: number, end: number): string {
  return facts.text.slice(start, end).replace(/[^\r\n]+/g, '');
}

/** The text of a node as a name, at most 60 characters. */
export function nameFrom({ facts }: Walk, node: Node): string {
  const name = facts.text.slice(node.start, node.end);
  return name.length > 60 ? `${name.slice(0, 59)}…` : name;
}

/** `object.name`, or with brackets where the name is no identifier. */
export function memberText(object: string, name: string): string {
  return /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(name)
    ? `${object}.${name}`
    : `${object}[${JSON.stringify(name)}]`;
}
