/** Functions: their site, patch point, hook and body. */
import { boundNames, type Node } from '../syntax/node.js';
import type { FunctionInfo } from '../syntax/outline.js';
import { arrowForm, rewriteParameters } from './arrows.js';
import { constructorHead } from './constructors.js';
import { scopeHooks } from './hooks.js';
import { patchPoint } from './patch-points.js';
import { visitPattern } from './patterns.js';
import { enterFrameText, frameEnds, framed, mayBeBlock, stepBefore, thisText } from './steps.js';
import { returnCall, returnStop } from './stop-points.js';
import { addSite, enterText, guardText, probeValue, sampleNames, withLocals } from './probes.js';
import { isDefinition } from './safety.js';
import { withoutLocals, type Context, type Walk } from './walk.js';

/** What stands at the head of a function's body. */
interface Head {
  /** Patch point, fields of a constructor, guard. */
  check: string;
  /** Parameters that moved into the body. */
  moved: string;
  hook: string;
  /** Site of the function, or -1. */
  id: number;
}

export function visitFunction(walk: Walk, context: Context, node: Node): void {
  const { facts } = walk;
  const { outline, points, options } = facts;
  const index = facts.functions.get(node);
  const info = index === undefined ? undefined : outline.functions[index];
  const isArrow = info?.kind === 'arrow';
  const root = options.root === node;
  let inside = context;
  let id = -1;
  if (facts.counts) {
    id = addSite(walk, context, 'function', node.start, node.end, info?.name ?? '');
    inside = { ...context, within: id, owner: id, reach: id, plus: -1 };
  }
  const around = context;
  const hasPoint = points !== undefined && info !== undefined && !root && points.functions[index!]!.hook !== undefined;
  // What moves into the body moves as its text.
  const moves = hasPoint && isArrow && arrowForm(outline, node) === 'rewritten';
  // Parameters have a scope of their own, which the body's locals are not in.
  if (!moves) for (const parameter of node.params as Node[]) visitPattern(walk, withoutLocals(inside), parameter);
  const { check, making } = headOf(walk, node, info, index, root);
  if (!isArrow) inside = { ...inside, making };
  if (options.stops) inside = { ...inside, returns: returnStop(walk, node) };
  const moved = check !== '' && isArrow && !root ? rewriteParameters(walk, node) : '';
  const head: Head = { check, moved, hook: scopeHooks(walk, node), id };
  if (node.body.type === 'BlockStatement') visitBlockBody(walk, inside, node, head, around);
  else if (facts.steps) visitFramedExpression(walk, inside, node, id, around);
  else visitExpressionBody(walk, inside, node, head, root && options.guard === true);
}

function headOf(
  walk: Walk,
  node: Node,
  info: FunctionInfo | undefined,
  index: number | undefined,
  root: boolean,
): { check: string; making: Context['making'] } {
  if (walk.facts.points === undefined || info === undefined) return { check: '', making: undefined };
  const guard = root && walk.facts.options.guard ? `${guardText(walk)};` : '';
  if (info.kind === 'constructor') {
    const { head, making } = constructorHead(walk, node, info, root);
    return { check: head + guard, making };
  }
  return { check: root ? guard : patchPoint(walk, node, info, index!), making: undefined };
}

function visitBlockBody(
  walk: Walk,
  entered: Context,
  node: Node,
  { check, moved, hook, id }: Head,
  around: Context,
): void {
  const { facts, out, visit } = walk;
  const context = framed(walk, entered);
  const { body } = node;
  const at = afterDirectives(body, body.start + 1);
  const parameters =
    facts.values && (facts.options.sites || facts.steps)
      ? (node.params as Node[]).flatMap((parameter) => boundNames(parameter))
      : [];
  const given = sampleNames(walk, withoutLocals(context), 'variable', parameters);
  const ends = facts.steps && mayBeBlock(body) ? frameEnds(walk, context) : undefined;
  const frame = facts.steps ? enterFrameText(walk, context, around, id) + thisText(walk, context, node) : '';
  const start = `${check}${moved}${hook}${facts.counts ? `${enterText(walk, id)};` : ''}${frame}${ends?.opening ?? ''}${given}`;
  const directives = at > body.start + 1;
  if (directives) out.edits.statement(at, at);
  if (start !== '') out.edits.insert(at, start);
  withLocals(walk, context, at, (inner) =>
    visit.list(walk, inner, body.body, facts.counts ? id : -1, directives ? at : -1),
  );
  if (context.returns >= 0) out.edits.insert(body.end - 1, `;${returnCall(walk, context.returns, body.end - 1)};`);
  if (ends) out.edits.insert(body.end - 1, ends.closing);
}

/** The body of an arrow that is an expression, as a frame with one step. */
function visitFramedExpression(walk: Walk, entered: Context, node: Node, id: number, around: Context): void {
  const { facts, out, visit } = walk;
  const { body } = node;
  const context = withoutLocals(framed(walk, entered));
  const bodyStart: number = body.extra?.parenthesized === true ? body.extra.parenStart : body.start;
  const given = sampleNames(
    walk,
    context,
    'variable',
    (node.params as Node[]).flatMap((parameter) => boundNames(parameter)),
  );
  const { opening, closing } = frameEnds(walk, context);
  const head = `{${enterText(walk, id)};${enterFrameText(walk, context, around, id)}${opening}${given}`;
  out.edits.insert(bodyStart, head);
  withLocals(walk, context, bodyStart, (inner) => {
    out.edits.insert(bodyStart, `return (${stepBefore(walk, context, body)},(`);
    if (facts.values && !isDefinition(body)) probeValue(walk, inner, 'return', body);
    else visit.expression(walk, inner, body, false);
  });
  out.edits.insert(node.end, `));${closing}}`);
}

/** The body of an arrow that is an expression; it becomes a block where statements have to stand before it. */
function visitExpressionBody(
  walk: Walk,
  context: Context,
  node: Node,
  { check, moved, hook, id }: Head,
  guarded: boolean,
): void {
  const { facts, out, visit } = walk;
  const { body } = node;
  const block = moved !== '' || hook !== '' || guarded;
  const bodyStart: number = body.extra?.parenthesized === true ? body.extra.parenStart : body.start;
  let opening = '';
  if (block) opening = `{${check}${moved}${hook}return (`;
  // `if(test)return call;` as a condition.
  else if (check !== '') opening = `${check.slice(3, -1).replace(')return ', '?')}:`;
  out.edits.insert(block ? bodyStart : body.start, `${opening}${facts.counts ? `(${enterText(walk, id)},` : ''}`);
  const inner = withoutLocals(context);
  if (facts.values && !isDefinition(body)) probeValue(walk, inner, 'return', body);
  else visit.expression(walk, inner, body, false);
  if (facts.counts) out.edits.insert(body.end, ')');
  if (block) out.edits.insert(node.end, ')}');
}

/** Where the first thing may be inserted in a block or program: behind its directives. */
export function afterDirectives(block: Node, otherwise: number): number {
  const directives = (block.directives ?? []) as Node[];
  return directives.length > 0 ? directives[directives.length - 1]!.end : otherwise;
}
