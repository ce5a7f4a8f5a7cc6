/** Plans to observe functions of a module that lives: versions of the same text that report. */
import type { Translator } from '../instrument/translator.js';
import type { Selected } from '../syntax/selection.js';
import type { Site } from '../instrument/sites.js';
import { changeOf, type Change } from './change.js';
import { Decisions } from './decisions.js';
import { addPrivateNames } from './decide/classes.js';
import { isInsidePatched } from './decide/functions.js';
import { decideImports } from './decide/imports.js';
import { constructorStep, functionSteps, type Emission } from './emit.js';
import { LateNames } from './late-names.js';
import type { LiveClass, LiveModule } from './live-module.js';
import { constructorObstacle } from './obstacles.js';
import type { Matches } from './match.js';
import { SlotAllocation } from './slots.js';
import type { Step } from '../wire/steps.js';
import { FUNCTIONS_OF_UNIT } from '../wire/constants.js';
import { pointsOf } from '../instrument/points.js';
import { selectedIn, sitesInPlain, withStops, type Stop, type StoppingText } from './stops.js';

/** How much a function that is observed reports. */
export type ObservedDepth = 'counts' | 'values';

/** Functions that ask, by index: before each of their statements, or where they begin. */
export interface AskingFunctions {
  stepping: ReadonlySet<number>;
  entering: ReadonlySet<number>;
}

/** What it takes to observe functions of a module that lives. */
export interface ModuleObservation {
  file: string;
  /** Versions that report; all of kind `function`. */
  steps: Step[];
  /** Places that report, in the text of the version that runs. */
  sites: Site[];
  /** Functions by index, and the range of their sites. Those that cannot be observed have no part. */
  parts: { index: number; depth: ObservedDepth; from: number; to: number }[];
  /** The module's state once they are observed. */
  next: LiveModule;
}

/**
 * Plans to observe functions of the version that runs: each gets a version of the
 * same text that reports, through probes of its own unit.
 *
 * @param selected an expression that reports too, in the functions whose values are shown
 * @param stops where they stop; those that the text cannot be compiled with are left out
 * @param asks given where the target has no debugger
 * @param serves functions that report for some calls alone: others run a version that does not, of the same text
 * @param wanted by index in the module's outline; those without a patch point come with the function around them
 */
export function planObservation(
  module: LiveModule,
  wanted: ReadonlyMap<number, ObservedDepth>,
  unit: number,
  translator: Translator,
  selected?: Selected,
  stops: readonly Stop[] = [],
  asks?: AskingFunctions,
  serves: ReadonlySet<number> = new Set(),
): ModuleObservation {
  const numbered = (indexes: Iterable<number> = []): Map<number, number> =>
    new Map(
      Array.from(indexes, (index) => [module.outline.functions[index]!.node.start, unit * FUNCTIONS_OF_UNIT + index]),
    );
  const [stepping, entering] = [numbered(asks?.stepping), numbered(asks?.entering)];
  const stopping =
    stops.length + stepping.size + entering.size > 0
      ? withStops(module.outline, stops, { stepping, entering, evaluates: asks !== undefined })
      : undefined;
  const change = changeOf(module, stopping?.outline ?? module.outline, stopping && sameIn(module, stopping));
  /** The number in that outline of a function of the module. */
  const there = (index: number): number => (stopping ? stopping.functions.indexOf(index) : index);
  const names = new LateNames(change.before, change.prefix, module);
  const decisions = new Decisions(change.after, []);
  decideImports({ change, names, decisions });
  addAllPrivateNames(change, names);
  const { patched } = decisions.bodies;
  // With a breakpoint an expression becomes a block, in which functions could have points that the module has not.
  const { functions: live } = pointsOf(module.outline);
  for (const index of wanted.keys())
    if (live[index]!.hook !== undefined && change.points.functions[there(index)]?.hook !== undefined)
      patched.add(there(index));
  const slots = new SlotAllocation(change);
  slots.give((index) => isInsidePatched(change, decisions.bodies, index));
  const emission: Emission = { change, names, slots, translator };
  const steps: Step[] = [];
  const sites: Site[] = [];
  const parts: ModuleObservation['parts'] = [];
  for (const [own, depth] of wanted) {
    const index = there(own);
    const from = sites.length;
    emission.observe = {
      depth,
      unit,
      sites,
      guard: isStopped(change, slots, index),
      selected: selected && stopping ? selectedIn(stopping, selected) : selected,
      stops: stopping?.points,
    };
    const isConstructor = change.after.functions[index]!.kind === 'constructor';
    const made = isConstructor
      ? observedConstructor(emission, index)
      : patched.has(index)
        ? functionSteps(emission, index)
        : [];
    if (serves.has(own)) addPlain(emission, index, made);
    steps.push(...made);
    if (made.length > 0) parts.push({ index: own, depth, from, to: sites.length });
  }
  if (stopping) sitesInPlain(sites, stopping);
  const generations = stopping
    ? module.functions.map((_, index) => slots.generations[there(index)]!)
    : slots.generations;
  return {
    file: change.file,
    steps,
    sites,
    parts,
    next: { ...module, functions: generations, nextSlot: slots.next },
  };
}

/** What was put in changes nothing of which function is which. */
function sameIn({ outline }: LiveModule, { functions, outline: { classes } }: StoppingText): Matches | undefined {
  if (classes.length !== outline.classes.length) return undefined;
  return { functions: Int32Array.from(functions), classes: Int32Array.from(classes.keys()), renamed: new Map() };
}

function addAllPrivateNames(change: Change, names: LateNames): void {
  change.after.classes.forEach((info, index) => {
    const live = change.continuity.classes[index]?.live;
    if (live?.hook !== undefined && change.points.classes[index]!.hook !== undefined)
      addPrivateNames(names, info.node, live, info.name === '' ? info.path : info.name);
  });
}

/** Adds to steps of a function what runs in the place of each where nothing is to be told. */
function addPlain(emission: Emission, index: number, made: readonly Step[]): void {
  const { observe } = emission;
  delete emission.observe;
  const plain =
    emission.change.after.functions[index]!.kind === 'constructor'
      ? observedConstructor(emission, index)
      : functionSteps(emission, index);
  if (observe) emission.observe = observe;
  made.forEach((step, at) => {
    const other = plain[at];
    if (step.kind === 'function' && other?.kind === 'function' && other.slot === step.slot) step.plain = other.code;
  });
}

/** Code that a change brought is stopped when it does not end; what the program began with is its own affair. */
function isStopped(change: Change, slots: SlotAllocation, index: number): boolean {
  const { module, after } = change;
  const given = slots.generations[index]!.map(({ slot }) => slot);
  const { owner, kind } = after.functions[index]!;
  if (kind === 'constructor' && owner >= 0) given.push(slots.liveClass(owner).constructorSlot);
  return given.some((slot) => slot >= module.size || module.changed.has(slot));
}

function observedConstructor(emission: Emission, index: number): Step[] {
  const { change, slots } = emission;
  const info = change.after.functions[index]!;
  const { owner } = info;
  const live: LiveClass | undefined = owner < 0 ? undefined : change.continuity.classes[owner]?.live;
  const point = owner < 0 ? undefined : change.points.classes[owner];
  if (!live || point?.hook !== 'class' || live.hook !== 'class' || point.derived !== live.derived) return [];
  if (constructorObstacle(change, info, live) !== undefined) return [];
  slots.give((one) => change.after.functions[one]!.start > info.start && change.after.functions[one]!.end <= info.end);
  return [constructorStep(emission, { name: info.path, owner: slots.classes[owner]!, live, info })];
}
