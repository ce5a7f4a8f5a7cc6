/** Classes: their hook, members and fields. */
import { bare, isAnonymousDefinition, type Node } from '../syntax/node.js';
import { fieldsSlot, impliedConstructor } from './constructors.js';
import type { ClassPoint } from './points.js';
import { probeValue } from './probes.js';
import { isDefinition, isSafeExpression } from './safety.js';
import { hookText } from './slots.js';
import { beginPart, endPart } from './steps.js';
import { nameFrom, withoutLocals, type Context, type Walk } from './walk.js';

export function visitClass(walk: Walk, around: Context, node: Node): void {
  const { facts, out, visit } = walk;
  // Field initialisers are functions of their own, without a place for locals.
  const context = withoutLocals(around);
  if (node.superClass) visit.expression(walk, context, node.superClass, false);
  visitDecorators(walk, context, node);
  const index = facts.classes.get(node);
  const point = facts.points !== undefined && index !== undefined ? facts.points.classes[index]! : undefined;
  const live = point?.hook === undefined ? undefined : { index: index!, point };
  if (live) out.edits.insert(node.body.start + 1, classHook(walk, live.index, live.point));
  const inside: Context = { ...context, making: undefined };
  for (const member of node.body.body as Node[]) {
    visitDecorators(walk, inside, member);
    if (member.computed && member.key) visit.expression(walk, inside, member.key, false);
    switch (member.type) {
      case 'ClassMethod':
      case 'ClassPrivateMethod':
        visit.functionNode(walk, inside, member);
        break;
      case 'ClassProperty':
      case 'ClassPrivateProperty':
      case 'ClassAccessorProperty':
        if (member.value) visitField(walk, inside, member, live?.index);
        break;
      case 'StaticBlock':
        visit.list(walk, { ...inside, frame: '0' }, member.body, -1);
        break;
    }
  }
  if (live && live.point.constructorIndex < 0)
    out.edits.insert(node.body.end - 1, impliedConstructor(walk, live.index, live.point));
}

function visitDecorators(walk: Walk, context: Context, node: Node): void {
  for (const decorator of (node.decorators ?? []) as Node[])
    walk.visit.expression(walk, context, decorator.expression, false);
}

/** Makes a live class known, with the hook of its scope; for arrow functions in fields also one in each instance. */
function classHook({ facts: { names, slots, prefix } }: Walk, index: number, { hook, field }: ClassPoint): string {
  const register = `${names.module}.classHook(${slots.classes[index]!},this,${hookText(prefix)})`;
  const kept = hook === 'inner' ? `${names.classScope}${index}=` : '';
  return `static{${kept}${register}}${field ? `#${names.fieldScope}=${hookText(prefix)};` : ''}`;
}

/** @param live number of the class, where its fields may change while the program runs */
function visitField(walk: Walk, context: Context, member: Node, live: number | undefined): void {
  const { facts, out, visit } = walk;
  const value = member.value as Node;
  if (facts.values && !isDefinition(value)) {
    beginPart(walk, { ...context, frame: '0' }, member, value);
    probeValue(walk, context, 'declaration', value, nameFrom(walk, member.key), member.key.start, member.key.end);
    endPart(walk, value);
    return;
  }
  const replaceable =
    !member.static &&
    facts.options.inMethod !== true &&
    member.type !== 'ClassAccessorProperty' &&
    !isSafeExpression(bare(value)) &&
    !isAnonymousDefinition(value);
  if (live === undefined || !replaceable) {
    visit.expression(walk, context, value, false);
    return;
  }
  // Once the fields have changed, the new initialisers run instead of this one.
  out.edits.insert(value.start, `${fieldsSlot(walk, live)}!==undefined?void 0:(`);
  visit.expression(walk, context, value, false);
  out.edits.insert(value.end, ')');
}
