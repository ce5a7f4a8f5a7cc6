/** Expressions. */
import { eachChild, isFunction, type Node } from '../syntax/node.js';
import { visitCall } from './calls.js';
import { writtenExports } from './interop.js';
import { endChainPart, visitChainLink, visitMarked, visitMarkedChain } from './mark-probes.js';
import { visitTarget } from './patterns.js';
import { addSite, localFor, openProbe, probeBranch, probeValue } from './probes.js';
import { isDefinition, isQuiet } from './safety.js';
import { nameFrom, type Context, type Walk } from './walk.js';
import { contentsWrite, memberOf, propertyWrite, visitDelete, type Written } from './writes.js';

/** Walks an expression. `covered`: a probe around it already samples its value. */
export function visitExpression(walk: Walk, context: Context, node: Node, covered: boolean): void {
  const { facts, known, marks, out, visit } = walk;
  if (known.exportedWrites.size > 0 && known.exportedWrites.delete(node))
    visitExportedWrite(walk, context, node, covered);
  // A mark of a whole chain stands around those in its middle.
  else if (marks.at.size > 0 && marks.at.has(node)) visitMarked(walk, context, node);
  else if (marks.chains.size > 0 && marks.chains.has(node)) visitMarkedChain(walk, context, node, covered);
  else
    switch (node.type) {
      case 'Identifier':
      case 'StringLiteral':
      case 'NumericLiteral':
        return;
      case 'FunctionExpression':
      case 'ArrowFunctionExpression':
      case 'ObjectMethod':
        visit.functionNode(walk, context, node);
        return;
      case 'ClassExpression':
        visit.classNode(walk, context, node);
        return;
      case 'TSAsExpression':
      case 'TSSatisfiesExpression':
      case 'TSTypeAssertion':
      case 'TSNonNullExpression':
      case 'TSInstantiationExpression':
      case 'ParenthesizedExpression':
        visitExpression(walk, context, node.expression, covered);
        return;
      case 'AssignmentExpression':
        visitAssignment(walk, context, node);
        return;
      case 'UpdateExpression': {
        const constant = known.constantWrites.get(node);
        if (constant === undefined) visitUpdate(walk, context, node);
        else out.edits.replace(node.start, node.end, `${facts.names.module}.constant(${JSON.stringify(constant)},0)`);
        return;
      }
      case 'UnaryExpression':
        if (!visitDelete(walk, context, node)) visitExpression(walk, context, node.argument, false);
        return;
      case 'AwaitExpression':
        visitAwait(walk, context, node, covered);
        return;
      case 'YieldExpression':
        if (facts.steps) out.edits.insert(node.start, `${facts.names.resume}(${context.frame},(`);
        if (node.argument) visitPaused(walk, context, node.argument);
        else if (facts.steps) out.edits.insert(node.end, ` ${facts.names.pause}(${context.frame},void 0)`);
        if (facts.steps) out.edits.insert(node.end, '))');
        return;
      case 'ConditionalExpression':
        visitCondition(walk, context, node.test);
        probeBranch(walk, context, node.consequent, 'then part');
        probeBranch(walk, context, node.alternate, 'else part');
        return;
      case 'LogicalExpression':
        visitExpression(walk, context, node.left, false);
        probeBranch(walk, context, node.right, `right side of ${node.operator}`);
        return;
      case 'CallExpression':
      case 'OptionalCallExpression':
        visitCall(walk, context, node);
        endChainPart(walk, node);
        return;
      case 'ImportExpression':
        if (facts.linked) out.edits.replace(node.start, node.start + 6, `${facts.names.module}.import`);
        eachChild(node, (child) => visitExpression(walk, context, child, false));
        return;
      case 'MetaProperty':
        if (facts.linked && node.meta.name === 'import')
          out.edits.replace(node.start, node.end, `${facts.names.module}.meta`);
        return;
      case 'MemberExpression':
      case 'OptionalMemberExpression':
        visitExpression(walk, context, node.object, false);
        if (marks.chainLinks.has(node)) visitChainLink(walk, context, node);
        else if (node.computed) visitExpression(walk, context, node.property, false);
        endChainPart(walk, node);
        return;
      case 'ObjectExpression':
        visitObject(walk, context, node);
        return;
      default:
        if (isFunction(node)) visit.functionNode(walk, context, node);
        else eachChild(node, (child) => visitExpression(walk, context, child, false));
    }
}

/** Walks a condition, which shows its value unless that says nothing new. */
export function visitCondition(walk: Walk, context: Context, node: Node): void {
  if (walk.facts.values && !isQuiet(node)) probeValue(walk, context, 'condition', node);
  else visitExpression(walk, context, node, false);
}

/** A write to what the module exports: its namespace object is told. */
function visitExportedWrite(walk: Walk, context: Context, node: Node, covered: boolean): void {
  const { facts, out } = walk;
  const { module } = facts.names;
  out.edits.insert(
    node.start,
    facts.interop ? `${module}.put(${JSON.stringify(writtenExports(walk, node))},(` : `${module}.sync((`,
  );
  visitExpression(walk, context, node, covered);
  out.edits.insert(node.end, '))');
}

function visitAssignment(walk: Walk, context: Context, node: Node): void {
  const { facts, known, out } = walk;
  const { left, right } = node;
  const simple = left.type !== 'ObjectPattern' && left.type !== 'ArrayPattern';
  // Alone in a probe that shows another name, an assignment still reports for its own.
  const sampled = facts.values && simple && !isDefinition(right);
  const id = sampled ? addSite(walk, context, 'assignment', node.start, node.end, nameFrom(walk, left)) : -1;
  const closing = sampled ? openProbe(walk, context, id, node.start) : '';
  const slot = facts.steps ? out.edits.reserve(node.start) : -1;
  const written: Written[] = [];
  visitTarget(walk, context, left, written);
  const constant = known.constantWrites.get(node);
  if (constant !== undefined && simple)
    out.edits.insert(right.start, `${facts.names.module}.constant(${JSON.stringify(constant)},(`);
  visitExpression(walk, context, right, sampled);
  if (constant !== undefined && simple) out.edits.insert(right.end, '))');
  if (written.length > 0) {
    const write = sampled ? propertyWrite(walk, id, written[0]!) : contentsWrite(walk, context, node, written);
    out.edits.fill(slot, write.opening);
    out.edits.insert(node.end, write.closing);
  }
  if (sampled) out.edits.insert(node.end, closing);
}

/** `x++`: at depth `steps` what the name holds from then on is told. */
function visitUpdate(walk: Walk, context: Context, node: Node): void {
  const { facts, known, out } = walk;
  const target = node.argument as Node;
  if (!facts.steps || context.locals === undefined || (target.type !== 'Identifier' && !memberOf(target))) {
    visitTarget(walk, context, target);
    return;
  }
  if (target.type !== 'Identifier') {
    const slot = out.edits.reserve(node.start);
    const written: Written[] = [];
    visitTarget(walk, context, target, written);
    const { opening, closing } = contentsWrite(walk, context, node, written);
    out.edits.fill(slot, opening);
    out.edits.insert(node.end, closing);
    return;
  }
  const name = target.name as string;
  const id = addSite(walk, context, 'assignment', node.start, node.end, name);
  const local = localFor(facts.names.local, context, id);
  const { wanted, sample } = facts.names;
  out.edits.insert(node.start, `(${local}=(`);
  visitTarget(walk, context, target);
  const value = known.placeAt.get(target.start) ?? name;
  out.edits.insert(node.end, `),${wanted}[${id}]&&${sample}(${id},${value}),${local})`);
}

/** What is waited for is told before, so that what never comes has its place. */
function visitAwait(walk: Walk, context: Context, node: Node, covered: boolean): void {
  const { facts, out } = walk;
  const { argument } = node;
  if (!facts.values) {
    visitExpression(walk, context, argument, false);
    return;
  }
  const closing = covered
    ? ''
    : openProbe(
        walk,
        context,
        addSite(walk, context, 'await', node.start, node.end, nameFrom(walk, argument)),
        node.start,
      );
  if (facts.steps) out.edits.insert(node.start, `${facts.names.resume}(${context.frame},(`);
  out.edits.insert(argument.start, `${facts.names.await}(${node.start},(`);
  visitPaused(walk, context, argument);
  out.edits.insert(argument.end, '))');
  if (facts.steps) out.edits.insert(node.end, '))');
  if (!covered) out.edits.insert(node.end, closing);
}

/** Walks what is waited for, or given: with it the frame pauses. */
function visitPaused(walk: Walk, context: Context, node: Node): void {
  const { facts, out } = walk;
  if (facts.steps) out.edits.insert(node.start, `${facts.names.pause}(${context.frame},(`);
  visitExpression(walk, context, node, false);
  if (facts.steps) out.edits.insert(node.end, '))');
}

function visitObject(walk: Walk, context: Context, node: Node): void {
  for (const property of node.properties as Node[]) {
    if (property.type === 'SpreadElement') {
      visitExpression(walk, context, property.argument, false);
      continue;
    }
    if (property.computed) visitExpression(walk, context, property.key, false);
    if (property.type === 'ObjectMethod') walk.visit.functionNode(walk, context, property);
    else visitExpression(walk, context, property.value, false);
  }
}
