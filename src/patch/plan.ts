/**
 * From two versions of a file to a plan: the steps a target takes, and in words
 * and as data what is done, what is not, and why. A plan is applied whole or not at all.
 *
 * A plan comes about in three passes: what becomes of each name is decided,
 * slots are allocated for what that makes, and the code of each step is emitted.
 */
import type { Translator } from '../instrument/translator.js';
import type { Outline } from '../syntax/outline.js';
import { changeOf, type Change } from './change.js';
import { Decisions } from './decisions.js';
import { decideClasses } from './decide/classes.js';
import { decideDeclarations } from './decide/declarations.js';
import { decideFunctions, isInsidePatched } from './decide/functions.js';
import { decideExports, decideImports } from './decide/imports.js';
import { decideStatements } from './decide/statements.js';
import { emit, inTextOrder, type Emitted, type Waiting } from './emit.js';
import { LateNames } from './late-names.js';
import { linesOf, type LiveModule } from './live-module.js';
import type { PlanNote } from './notes.js';
import { allocate, type SlotAllocation } from './slots.js';
import type { Step } from '../wire/steps.js';

export interface Plan {
  format: 'usher-anvil/plan@1';
  file: string;
  steps: Step[];
  notes: PlanNote[];
  waiting: Waiting[];
  /** Names whose live value was kept though their first value changed: what sets them anew. */
  resets: Map<string, Step>;
  /** Top-level names that hold another value then. */
  changes: ReadonlySet<string>;
  /** The module's state once the plan is applied. */
  next: LiveModule;
}

/**
 * Plans the way from the version that runs to a new one.
 *
 * @param imported names the module imports that hold another value than before: what was computed from them follows
 */
export function planChanges(
  module: LiveModule,
  after: Outline,
  translator: Translator,
  imported: Iterable<string> = [],
): Plan {
  const change = changeOf(module, after);
  const names = new LateNames(change.before, change.prefix, module);
  const decisions = new Decisions(after, imported);
  const deciding = { change, names, decisions };
  decideImports(deciding);
  decideDeclarations(deciding);
  decideExports(deciding);
  decideFunctions(deciding);
  decideClasses(deciding);
  decideStatements(deciding);
  const inOrder = inTextOrder(decisions.works);
  const slots = allocate(change, decisions, inOrder);
  const emitted = emit({ change, names, slots, translator }, decisions, inOrder);
  return {
    format: 'usher-anvil/plan@1',
    file: module.file,
    steps: [...emitted.first, ...emitted.bodies, ...emitted.values, ...emitted.last],
    notes: decisions.said,
    waiting: emitted.waiting,
    resets: emitted.resets,
    changes: decisions.changed,
    next: moduleAfter(change, names, decisions, slots, emitted),
  };
}

/** The module's state once a plan is applied. */
function moduleAfter(
  change: Change,
  names: LateNames,
  decisions: Decisions,
  slots: SlotAllocation,
  emitted: Emitted,
): LiveModule {
  const { module } = change;
  const changed = emitted.bodies.flatMap((step) => (step.kind === 'function' ? [step.slot] : []));
  return {
    file: module.file,
    outline: change.after,
    functions: slots.generations,
    lines: compiledLines(change, decisions),
    classes: change.after.classes.map((_, index) => slots.liveClass(index)),
    nextSlot: slots.next,
    changed: new Set([...module.changed, ...changed]),
    size: module.size,
    key: module.key,
    late: names.keys,
    keys: names.used,
    links: names.links,
    bound: module.bound,
    boundLate: module.boundLate,
    gone: names.gone,
  };
}

/** Where functions stood when their code was compiled: now, for those that come with this plan. */
function compiledLines(change: Change, { bodies, made }: Decisions): number[] {
  return linesOf(change.after).map((line, index) => {
    const old = change.continuity.functions[index];
    const now =
      bodies.patched.has(index) ||
      bodies.replaced.has(index) ||
      made.has(index) ||
      isInsidePatched(change, bodies, index);
    return now || old?.outline !== change.before ? line : change.module.lines[old.index]!;
  });
}
