/** Counting: statements, blocks and the bodies of branches. */
import type { Node } from '../syntax/node.js';
import { addSite, countText, enterText, guardText } from './probes.js';
import { isStop } from './stop-points.js';
import { stepText } from './steps.js';
import { isAssertion, isHoisted, startsWithCounter } from './safety.js';
import { reached, type Context, type Walk } from './walk.js';

/**
 * Counts a statement unless the counter of the cell `shared` already does.
 *
 * @returns its cell, or -1 where nothing is counted, and the context inside of it
 */
export function countStatement(
  walk: Walk,
  context: Context,
  node: Node,
  shared: number,
): { cell: number; inside: Context } {
  const { facts, out } = walk;
  if (!facts.counts) return { cell: -1, inside: context };
  const id = addSite(walk, context, 'statement', node.start, node.end, '', shared);
  const { above, labelled } = context;
  if (shared < 0 || (facts.steps && !labelled)) {
    const counted = shared < 0 ? `${countText(walk, id)};` : '';
    const text = `${counted}${stepText(walk, context, id)}`;
    // The platform reads what an assertion says out of the file, at the line and column of the call: the counter goes
    // to the line above.
    if (above >= 0 && isAssertion(node) && facts.text.slice(above, node.start).includes('\n'))
      out.edits.insert(above, `;${text}`);
    else out.edits.insert(node.start, text);
  }
  const { cell } = out.sites[id]!;
  // What is inside does not stand in the list that the statement stands in.
  return { cell, inside: { ...context, reach: cell, plus: -1, above: -1, labelled: false } };
}

/**
 * Walks the statements of a block at whose head (`at`) nothing was inserted yet; gives site `id` the cell that counts
 * its entries.
 */
export function visitCountedBlock(
  walk: Walk,
  context: Context,
  statements: readonly Node[],
  at: number,
  id: number,
): void {
  const { out, visit } = walk;
  const first = statements.find((statement) => !isHoisted(statement) && !isStop(walk, statement));
  // An assertion keeps its column; see countStatement.
  if (first !== undefined && startsWithCounter(first) && !isAssertion(first)) {
    out.sites[id]!.cell = visit.list(walk, context, statements, -1);
  } else {
    out.edits.insert(at, `${countText(walk, id)};`);
    visit.list(walk, context, statements, id);
  }
}

/** Walks a statement that stands where a block may stand: a branch of an `if`. */
export function visitBranchBody(walk: Walk, context: Context, node: Node, name: string): void {
  const { facts, out, visit } = walk;
  if (!facts.counts) visitPlainBody(walk, context, node);
  else {
    const id = addSite(walk, context, 'branch', node.start, node.end, name);
    if (node.type === 'BlockStatement') visitCountedBlock(walk, context, node.body, node.start + 1, id);
    else {
      out.edits.insert(node.start, '{');
      if (startsWithCounter(node)) out.sites[id]!.cell = visit.statement(walk, context, node, -1);
      else {
        out.edits.insert(node.start, `${countText(walk, id)};`);
        visit.statement(walk, context, node, id);
      }
      out.edits.insert(node.end, '}');
    }
  }
  closeHookBlock(walk, node);
}

/**
 * Walks the body of a loop.
 *
 * @param id site of the loop, or -1
 * @param prologue statements at the head of each visit
 */
export function visitLoopBody(
  walk: Walk,
  context: Context,
  node: Node,
  id: number,
  prologue?: (inside: Context) => string,
): void {
  const { facts, out, visit } = walk;
  const guard = facts.options.guard ? `${guardText(walk)};` : '';
  const isBlock = node.type === 'BlockStatement';
  if (!facts.counts && guard === '') visitPlainBody(walk, context, node);
  else {
    const inside = facts.counts ? { ...reached(context, id), owner: id } : context;
    const opening = facts.counts ? `${guard}${enterText(walk, id)};${prologue?.(inside) ?? ''}` : guard;
    if (isBlock) {
      out.edits.insert(node.start + 1, opening);
      visit.list(walk, inside, node.body, id);
    } else {
      out.edits.insert(node.start, `{${opening}`);
      visit.statement(walk, inside, node, id);
      out.edits.insert(node.end, '}');
    }
  }
  closeHookBlock(walk, node);
}

function visitPlainBody(walk: Walk, context: Context, node: Node): void {
  if (node.type === 'BlockStatement') walk.visit.list(walk, context, node.body, -1);
  else walk.visit.statement(walk, context, node, -1);
}

/** Closes the block that was put around a body for its hook. */
function closeHookBlock({ out }: Walk, node: Node): void {
  if (out.wrapped.has(node)) out.edits.insert(node.end, '}');
}
