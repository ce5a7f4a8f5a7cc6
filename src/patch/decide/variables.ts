/** What became of the variables of a module: their first values, names that go on under others, destructuring. */
import { bare, boundNames, type Node } from '../../syntax/node.js';
import type { Outline, TopLevelStatement } from '../../syntax/outline.js';
import { declarationIn, declaratorOf, functionAt, isImported } from '../change.js';
import { shapeOf } from '../shape.js';
import { REASONS } from '../wording.js';
import { decideAssignment, decideRename, isOtherKind } from './names.js';
import type { Deciding } from './deciding.js';
import { decideLiteral } from './literals.js';

/** @param renamedFrom names of the version before that go on under another; those found here are added */
export function decideVariables(deciding: Deciding, statement: TopLevelStatement, renamedFrom: Set<string>): void {
  for (const declarator of declarationIn(statement.node).declarations as Node[]) {
    if (declarator.id.type === 'Identifier') decideVariable(deciding, statement, declarator, renamedFrom);
    else decidePattern(deciding, declarator);
  }
}

function decideVariable(
  deciding: Deciding,
  statement: TopLevelStatement,
  declarator: Node,
  renamedFrom: Set<string>,
): void {
  const { change, names } = deciding;
  const name: string = declarator.id.name;
  const init = (declarator.init ?? undefined) as Node | undefined;
  const renamed = change.continuity.renamed.get(name) ?? renamedVariable(deciding, statement, declarator, renamedFrom);
  if (renamed !== undefined) {
    renamedFrom.add(renamed);
    decideRename(deciding, name, renamed, declarator.start);
    const old = names.declared(renamed);
    const before = old ? declaratorOf(old.statement, renamed) : undefined;
    if (
      init &&
      before?.init &&
      change.shapes.of(change.after, init) !== change.shapes.of(old!.outline, before.init as Node)
    )
      decideValue(deciding, name, init, before.init as Node, old!.outline);
    return;
  }
  const previous = names.continued(name);
  if (!previous) {
    addVariable(deciding, name, init, declarator);
    return;
  }
  const before = declaratorOf(previous.statement, name);
  const was = previous.statement.kind;
  names.gone.delete(name);
  if (was === 'function' || was === 'class' || (before === undefined && was !== 'enum')) {
    const index = init ? functionAt(change, init) : -1;
    const goesOn = index >= 0 && change.continuity.functions[index] && !isOtherKind(deciding, index);
    if (init && !goesOn) decideAssignment(deciding, name, init, REASONS.rebound);
    return;
  }
  // What comes back may have been computed from what changed meanwhile.
  if (previous.outline !== change.before && init && functionAt(change, init) < 0)
    decideValue(deciding, name, init, undefined, previous.outline);
  else compareValues(deciding, name, init, (before?.init ?? undefined) as Node | undefined, previous.outline);
}

function compareValues(
  deciding: Deciding,
  name: string,
  init: Node | undefined,
  old: Node | undefined,
  outline: Outline,
): void {
  const { change } = deciding;
  if (!init && !old) return;
  const index = init ? functionAt(change, init) : -1;
  if (index >= 0 && change.continuity.functions[index] && change.points.functions[index]!.hook !== undefined) {
    if (isOtherKind(deciding, index)) decideAssignment(deciding, name, init, REASONS.rebound);
    return;
  }
  if (init && old && change.shapes.of(change.after, init) === change.shapes.of(outline, old)) return;
  decideValue(deciding, name, init, old, outline);
}

/**
 * The first value of a name changed: its properties are set, its items replaced, or it is assigned; what holds state is
 * kept.
 */
function decideValue(
  deciding: Deciding,
  name: string,
  init: Node | undefined,
  old: Node | undefined,
  outline: Outline,
): void {
  const { change, decisions } = deciding;
  const at = init?.start ?? 0;
  if (init && old && decideLiteral(deciding, name, bare(init), bare(old), outline)) return;
  const state = change.states.get(name);
  if (state !== undefined && (state.assigned || state.members.size > 0)) {
    decisions.say('kept', name, at, init ? REASONS.holdsStateReset : REASONS.holdsState);
    if (init) decisions.do({ kind: 'reset', at, name, node: init, giveSlots: true });
    return;
  }
  if (init && old && bare(init).type === 'ArrayExpression' && bare(old).type === 'ArrayExpression') {
    decisions.makeAnew(init);
    decisions.changed.add(name);
    decisions.say('assigned', name, at);
    decisions.do({ kind: 'assign', at, name, how: 'items', source: { of: 'value', node: init, name } });
    return;
  }
  decideAssignment(deciding, name, init, undefined);
}

function addVariable(
  { change, names, decisions }: Deciding,
  name: string,
  init: Node | undefined,
  declarator: Node,
): void {
  const key = names.add(name);
  decisions.makeAnew(declarator);
  decisions.say('added', name, declarator.start);
  const early = init !== undefined && functionAt(change, init) >= 0;
  const source = init ? ({ of: 'value', node: init, name } as const) : ({ of: 'nothing' } as const);
  decisions.do({ kind: 'declare', at: early ? -1 : declarator.start, key, source, early });
}

/** A destructuring declaration: evaluated anew, and each of its names assigned. */
function decidePattern({ change, names, decisions }: Deciding, declarator: Node): void {
  const bound = boundNames(declarator.id as Node).map((id) => id.name as string);
  const previous = bound.map((name) => names.declared(name)).find((found) => found !== undefined);
  if (previous) {
    const declarators = declarationIn(previous.statement.node).declarations as Node[] | undefined;
    const old = declarators?.find((one) => boundNames(one.id as Node).some((id) => bound.includes(id.name as string)));
    if (old && change.shapes.of(previous.outline, old) === change.shapes.of(change.after, declarator)) return;
  }
  const built = bound.filter((name) => change.states.get(name)?.assigned);
  if (previous && built.length > 0) {
    decisions.say('kept', built.join(', '), declarator.start, REASONS.holdsState);
    return;
  }
  decisions.makeAnew(declarator);
  for (const name of bound) {
    if (names.continued(name)) {
      decisions.changed.add(name);
      decisions.say('assigned', name, declarator.start);
    } else {
      names.add(name);
      decisions.say('added', name, declarator.start);
    }
  }
  decisions.do({
    kind: 'pattern',
    at: declarator.start,
    key: `values of ${bound.join(', ')}`,
    node: declarator,
    names: bound,
  });
}

/** A variable that goes on under another name: one is gone, one is new, and they begin alike. */
function renamedVariable(
  { change, names }: Deciding,
  statement: TopLevelStatement,
  declarator: Node,
  taken: ReadonlySet<string>,
): string | undefined {
  const { before, after } = change;
  const name = declarator.id.name as string;
  if (before.topLevel.has(name) || names.gone.has(name) || isImported(before, name)) return undefined;
  const init = (declarator.init ?? undefined) as Node | undefined;
  const alike = (old: TopLevelStatement, lost: string): boolean => {
    const declared = declaratorOf(old, lost);
    if (!declared) return false;
    if (!init || !declared.init) return !init && !declared.init;
    const whole = (): undefined => undefined;
    return shapeOf(declared.init as Node, whole) === shapeOf(init, whole);
  };
  const isLost = (one: string): boolean => !after.topLevel.has(one) && !taken.has(one) && !isImported(after, one);
  const found = before.statements.flatMap((old) =>
    old.kind === statement.kind ? old.names.filter((one) => isLost(one) && alike(old, one)) : [],
  );
  if (found.length !== 1) return undefined;
  const arrivals = after.statements.flatMap((now) =>
    now.kind === statement.kind ? now.names.filter((one) => !before.topLevel.has(one)) : [],
  );
  // With several new names, only one that stands at the same place among the declarations is taken for it.
  if (
    arrivals.length > 1 &&
    [...before.topLevel.keys()].indexOf(found[0]!) !== [...after.topLevel.keys()].indexOf(name)
  )
    return undefined;
  return found[0];
}
