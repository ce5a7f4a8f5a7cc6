/** Loops. */
import { boundNames, type Node } from '../syntax/node.js';
import { countStatement, visitLoopBody } from './blocks.js';
import { visitCondition } from './expressions.js';
import { ownNames, visitPattern, visitTarget } from './patterns.js';
import { addSite, probeValue, sampleNames } from './probes.js';
import { declaredIn, isDefinition } from './safety.js';
import { stepText } from './steps.js';
import type { Context, Walk } from './walk.js';

export function isLoop(node: Node): boolean {
  return /^(For|While|DoWhile)/.test(node.type);
}

/**
 * Walks a loop. Its head is reached as often as the statement, its test and body as often as the body's own counter
 * says.
 */
export function visitLoop(walk: Walk, context: Context, node: Node): void {
  const id = walk.facts.counts ? addSite(walk, context, 'loop', node.body.start, node.body.end, 'loop body') : -1;
  switch (node.type) {
    case 'ForStatement':
      visitFor(walk, context, node, id);
      break;
    case 'ForInStatement':
    case 'ForOfStatement':
      visitForEach(walk, context, node, id);
      break;
    case 'WhileStatement':
      visitLoopTest(walk, context, node.test, id, context.reach);
      visitLoopBody(walk, context, node.body, id);
      break;
    case 'DoWhileStatement':
      visitLoopBody(walk, context, node.body, id);
      visitLoopTest(walk, context, node.test, id, -1);
      break;
  }
}

function visitFor(walk: Walk, context: Context, node: Node, id: number): void {
  const { facts, visit } = walk;
  const { init, test, update, body } = node;
  let prologue: ((inside: Context) => string) | undefined;
  if (init?.type === 'VariableDeclaration') {
    for (const declarator of init.declarations as Node[]) {
      visitPattern(walk, context, declarator.id);
      if (!declarator.init) continue;
      const { id } = declarator;
      // The first test already sees it.
      if (facts.steps && id.type === 'Identifier' && !isDefinition(declarator.init as Node))
        probeValue(
          walk,
          context,
          'step',
          declarator.init as Node,
          id.name as string,
          id.start as number,
          id.end as number,
        );
      else visit.expression(walk, context, declarator.init, false);
    }
    if (facts.values) prologue = (inside) => sampleNames(walk, inside, 'variable', declaredIn(init));
  } else if (init) visit.expression(walk, context, init, false);
  if (test) visitLoopTest(walk, context, test, id, context.reach);
  if (update)
    visit.expression(walk, facts.counts ? { ...context, owner: id, reach: id, plus: -1 } : context, update, true);
  visitLoopBody(walk, context, body, id, prologue);
}

function visitForEach(walk: Walk, context: Context, node: Node, id: number): void {
  const { facts, visit } = walk;
  const { left } = node;
  let names: () => Node[];
  if (left.type === 'VariableDeclaration') {
    for (const declarator of left.declarations as Node[]) visitPattern(walk, context, declarator.id);
    names = () => declaredIn(left);
  } else {
    visitTarget(walk, context, left);
    names = () => ownNames(walk, left);
  }
  visit.expression(walk, context, node.right, false);
  visitLoopBody(
    walk,
    context,
    node.body,
    id,
    facts.values
      ? (inside) => stepText(walk, context, headSite(walk, context, left)) + sampleNames(walk, inside, 'item', names())
      : undefined,
  );
}

/** A loop's test is reached once before each visit of the body, and once more per loop when it comes first (`plus`). */
function visitLoopTest(walk: Walk, context: Context, node: Node, loop: number, plus: number): void {
  const closing = headStep(walk, context, node);
  visitCondition(walk, walk.facts.counts ? { ...context, owner: loop, reach: loop, plus } : context, node);
  if (closing !== '') walk.out.edits.insert(node.end, closing);
}

/** The test of a loop is a step each time. @returns the text that closes it */
function headStep(walk: Walk, context: Context, node: Node): string {
  const { facts, out } = walk;
  if (!facts.steps) return '';
  out.edits.insert(node.start, `(${facts.names.step}(${headSite(walk, context, node)},${context.frame}),`);
  return ')';
}

function headSite(walk: Walk, context: Context, node: Node): number {
  return walk.facts.steps ? addSite(walk, context, 'step', node.start, node.end, 'head of a loop') : -1;
}

/** Walks what a label stands before. */
export function visitLabelled(walk: Walk, around: Context, node: Node, cell: number): void {
  const context = { ...around, labelled: true };
  if (isLoop(node)) visitLoop(walk, countStatement(walk, context, node, cell).inside, node);
  else if (node.type === 'LabeledStatement')
    visitLabelled(walk, countStatement(walk, context, node, cell).inside, node.body, cell);
  else walk.visit.statement(walk, context, node, cell);
}

/** Names that a `catch` binds. */
export function caughtNames(parameter: Node | null): Node[] {
  return parameter ? boundNames(parameter) : [];
}
