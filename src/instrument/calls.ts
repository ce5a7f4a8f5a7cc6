/** Calls: stages of a chain, the places of console calls and tests, `super` in patchable constructors, `import()`. */
import { bare, isFunction, type Node } from '../syntax/node.js';
import { fieldsCall } from './constructors.js';
import { visitTarget } from './patterns.js';
import { addSite, probeValue } from './probes.js';
import type { Context, Walk } from './walk.js';
import { visitChangingCall } from './writes.js';

export function visitCall(walk: Walk, context: Context, node: Node): void {
  const { facts, out, visit } = walk;
  const { callee } = node;
  if (callee.type === 'Super' && context.making !== undefined) {
    visitSuperCall(walk, context, node, context.making);
    return;
  }
  if (callee.type === 'Import') linkImportCall(walk, callee);
  else if (
    facts.values &&
    callee.type === 'MemberExpression' &&
    callee.computed === false &&
    isStage(walk, callee.object)
  ) {
    const { object } = callee;
    const id = addSite(walk, context, 'stage', object.start, object.end, stageName(object));
    // Always the call form: when the next method is missing, the engine's message then names the probe, and is put
    // right.
    out.edits.insert(object.start, `${facts.names.pass}(${id},`);
    visit.expression(walk, context, object, true);
    out.edits.insert(object.end, ')');
  } else if (visitChangingCall(walk, context, node, () => visitArguments(walk, context, node))) return;
  else visitCallee(walk, context, callee);
  visitArguments(walk, context, node);
}

/** `super(…)` where fields may have changed: what they have become runs behind it. */
function visitSuperCall(
  walk: Walk,
  context: Context,
  node: Node,
  { index, assign }: { index: number; assign: string },
): void {
  const { out, visit } = walk;
  out.edits.insert(node.start, '(');
  for (const argument of node.arguments as Node[]) visit.expression(walk, context, argument, false);
  out.edits.insert(node.end, `,${assign.replace(/;/g, ',')}${fieldsCall(walk, index)},this)`);
}

function linkImportCall({ facts, out }: Walk, callee: Node): void {
  if (!facts.linked) return;
  const { settings, goal, language } = facts.outline.parsed;
  const { module } = facts.names;
  const required = goal === 'script' && settings?.module === 'commonjs' && language !== 'js';
  out.edits.replace(
    callee.start,
    callee.end,
    required ? `${module}.later(require,${settings.esModuleInterop ? 2 : 0})` : `${module}.import`,
  );
}

function visitArguments(walk: Walk, context: Context, node: Node): void {
  const { facts, out, visit, marks } = walk;
  const args = node.arguments as Node[];
  const reached = marks.chainLinks.get(node);
  if (reached !== undefined) {
    out.edits.insert(args[0]!.start, `(${reached}=1,`);
    visit.expression(walk, context, args[0]!, false);
    out.edits.insert(args[0]!.end, ')');
    for (const argument of args.slice(1)) visit.expression(walk, context, argument, false);
    return;
  }
  if (facts.values && isExpect(walk, node) && args.length > 0 && args[0]!.type !== 'SpreadElement') {
    // What is compared says more than what comparing gives.
    const [given, ...rest] = args as [Node, ...Node[]];
    if (isFunction(given) || isPlainLiteral(given)) visit.expression(walk, context, given, true);
    else probeValue(walk, context, 'expression', given);
    for (const argument of rest) visit.expression(walk, context, argument, false);
    return;
  }
  const last = args[args.length - 1];
  const method = facts.counts ? consoleMethod(walk, node) : undefined;
  const declared = facts.counts && method === undefined ? declaredTest(walk, node) : undefined;
  if ((method ?? declared) === undefined || last === undefined) {
    for (const argument of args) visit.expression(walk, context, argument, false);
    return;
  }
  // The place is told after all arguments are evaluated, so that a console call inside one cannot take it.
  const id =
    method === undefined
      ? addSite(walk, context, 'test', node.start, node.end, declared)
      : addSite(walk, context, 'console', node.start, node.end, method);
  for (const argument of args.slice(0, -1)) visit.expression(walk, context, argument, false);
  const inner = last.type === 'SpreadElement' ? (last.argument as Node) : last;
  const [open, close] = inner.type === 'SequenceExpression' ? ['(', ')'] : ['', ''];
  out.edits.insert(inner.start, `${facts.names.place}(${id},${open}`);
  visit.expression(walk, context, inner, true);
  out.edits.insert(inner.end, `${close}${method === undefined ? ',true' : ''})`);
}

/**
 * Walks what is called. Where the call fails the engine's message prints it,
 * so nothing of ours stands in the parts that are printed.
 */
function visitCallee(walk: Walk, context: Context, node: Node): void {
  const { marks, known, visit } = walk;
  if (marks.at.has(node) || marks.chains.has(node) || known.exportedWrites.has(node)) {
    visit.expression(walk, context, node, false);
    return;
  }
  switch (node.type) {
    case 'ParenthesizedExpression':
      visitCallee(walk, context, node.expression);
      return;
    case 'LogicalExpression':
      visitCallee(walk, context, node.left);
      visitCallee(walk, context, node.right);
      return;
    case 'SequenceExpression':
      for (const part of node.expressions as Node[]) visitCallee(walk, context, part);
      return;
    case 'AssignmentExpression':
      visitTarget(walk, context, node.left);
      visit.expression(walk, context, node.right, false);
      return;
    default:
      visit.expression(walk, context, node, false);
  }
}

/** `expect(…)`, which is imported or global. */
function isExpect({ known }: Walk, { type, callee }: Node): boolean {
  return (
    type === 'CallExpression' && callee.type === 'Identifier' && known.toolAt.get(callee.start as number) === 'expect'
  );
}

/** `expect(…).not.toBe(…)`, or a promise of it. */
export function isExpectation(walk: Walk, node: Node): boolean {
  if (walk.known.toolAt.size === 0) return false;
  for (let at = bare(node); ;) {
    if (at.type === 'AwaitExpression') at = bare(at.argument as Node);
    else if (at.type === 'CallExpression') {
      if (isExpect(walk, at)) return true;
      at = at.callee;
    } else if (at.type === 'MemberExpression') at = bare(at.object as Node);
    else return false;
  }
}

/** A call of what frameworks give beside tests: `beforeEach(…)`, `vi.useFakeTimers()`. */
export function isTool({ known }: Walk, node: Node): boolean {
  if (known.toolAt.size === 0) return false;
  let at = node;
  while (at.type === 'CallExpression' || at.type === 'MemberExpression')
    at = bare((at.type === 'CallExpression' ? at.callee : at.object) as Node);
  return at !== node && at.type === 'Identifier' && known.toolAt.has(at.start);
}

function isPlainLiteral({ type }: Node): boolean {
  return /^(?:Numeric|String|Boolean|Null|BigInt|RegExp)Literal$/.test(type);
}

/** What a chain of calls shows of itself: `log.split(…)` before `.map(…)`. */
function isStage(walk: Walk, object: Node): boolean {
  const inner = bare(object);
  if (inner.type !== 'CallExpression') return false;
  return (
    inner.callee.type !== 'Super' &&
    inner.callee.type !== 'Import' &&
    consoleMethod(walk, inner) === undefined &&
    !isExpectation(walk, inner)
  );
}

/** `split` for `log.split(…)`. */
function stageName(node: Node): string {
  const { callee } = bare(node);
  return callee.type === 'MemberExpression' && !callee.computed
    ? (callee.property.name ?? '')
    : callee.type === 'Identifier'
      ? callee.name
      : '';
}

/** The name of a test or suite that a call declares; empty where it is computed, undefined for other calls. */
export function declaredTest(walk: Walk, node: Node): string | undefined {
  if (walk.known.testAt.size === 0) return undefined;
  const args = node.arguments as Node[];
  if (!declares(walk, node.callee, args)) return undefined;
  return args[0]?.type === 'StringLiteral' ? (args[0].value as string) : '';
}

const DECLARING =
  /^(?:test|it|describe|suite|context|specify|skip|todo|only|concurrent|sequential|shuffle|failing|fails)$/;
/** What is called with a table or a condition, and gives what declares. */
const GIVING = /^(?:each|for|skipIf|runIf)$/;

/** True for what declares a test when it is called: `test`, `test.only`, `test.each(…)`, `t.test`. */
function declares({ known }: Walk, callee: Node, args: readonly Node[]): boolean {
  const direct = (one: Node): boolean => one.type === 'Identifier' && known.testAt.has(one.start);
  /** A name that declares, with members that do as well. */
  const chain = (one: Node): boolean =>
    direct(one) ||
    (isPlainMember(one) && DECLARING.test(one.property.name as string) && chain(one.object as Node)) ||
    isGiven(one);
  const isGiven = (one: Node): boolean => {
    const table =
      one.type === 'TaggedTemplateExpression'
        ? (one.tag as Node)
        : one.type === 'CallExpression'
          ? (one.callee as Node)
          : undefined;
    return (
      table !== undefined &&
      isPlainMember(table) &&
      GIVING.test(table.property.name as string) &&
      chain(table.object as Node)
    );
  };
  if (chain(callee)) return true;
  return (
    isPlainMember(callee) &&
    callee.object.type === 'Identifier' &&
    callee.property.name === 'test' &&
    args.length > 0 &&
    isFunction(args[args.length - 1]!)
  );
}

function isPlainMember(node: Node): boolean {
  return node.type === 'MemberExpression' && node.computed === false;
}

/** `log` for `console.log(…)` on the global console; undefined for other calls. */
export function consoleMethod({ known }: Walk, node: Node): string | undefined {
  if (!known.freeConsole) return undefined;
  const { callee } = node;
  if (
    callee.type !== 'MemberExpression' ||
    callee.computed ||
    callee.object.type !== 'Identifier' ||
    callee.object.name !== 'console'
  )
    return undefined;
  return known.consoleAt.has(callee.object.start) ? callee.property.name : undefined;
}
