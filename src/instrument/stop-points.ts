/** Statements that were put into a text so that a function stops there: see `patch/stops.ts`, which puts them. */
import type { Node } from '../syntax/node.js';
import type { Scope } from '../syntax/scope-data.js';
import { FUNCTIONS_OF_UNIT } from '../wire/constants.js';
import { pointsOf } from './points.js';
import { hookText } from './slots.js';
import type { StopRole } from './stop-roles.js';
import type { Context, Walk } from './walk.js';

/**
 * Before a statement of code that stops. The engine keeps the value of a variable that was sampled in a register of the
 * sample too, and reads it there: what is assigned while the code stands still would not be seen. At a jump it does no
 * more.
 */
export function beforeStopped({ facts, out }: Walk, node: Node): void {
  const { stops } = facts.options;
  if (stops && !stops.evaluates && facts.values && RUNS.test(node.type))
    out.edits.insert(node.start, `if(${facts.names.counters});`);
}

/** Statements before which something may stand. */
const RUNS = /^(?!Import|Export|TS|Function|Empty|Block).*Statement$|^VariableDeclaration$/;

/** A whole thing that was put in, where the person's statements are counted. */
export function isStop({ facts }: Pick<Walk, 'facts'>, node: Node): boolean {
  return facts.counts && facts.options.stops?.roots.has(node.start) === true;
}

/** Walks a statement that was put in. Returns false for one of the person's. */
export function visitStop(walk: Walk, context: Context, node: Node): boolean {
  const { facts, out, visit } = walk;
  const { stops } = facts.options;
  if (!stops) return false;
  if (facts.counts) {
    if (!isStop(walk, node)) return false;
    const quiet = { ...walk, facts: { ...facts, counts: false, values: false } };
    visit.statement(quiet, { ...context, locals: undefined, loop: undefined }, node, -1);
    return true;
  }
  const role = stops.roles.get(node.start);
  const { names } = facts;
  if (role?.is === 'message' && node.type === 'ExpressionStatement') {
    out.edits.insert(node.expression.start, `${names.stopMessage}(${role.id},`);
    visit.expression(walk, context, node.expression, true);
    out.edits.insert(node.expression.end, ')');
    return true;
  }
  if (role?.is === 'guard' && node.type === 'ExpressionStatement') {
    out.guard = `${names.stopGuard}${node.start}`;
    const made = node.expression.argument as Node;
    out.edits.replace(node.start, made.extra?.parenStart ?? made.start, `const ${out.guard}=`);
    visit.expression(walk, context, made, true);
    return true;
  }
  if (!role || node.type !== 'DebuggerStatement' || role.is === 'message' || role.is === 'guard') return false;
  out.edits.replace(node.start, node.end, `${callOf(walk, role, node.start)};`);
  return true;
}

function callOf(walk: Walk, role: Exclude<StopRole, { is: 'message' | 'guard' }>, at: number): string {
  const { names } = walk.facts;
  switch (role.is) {
    case 'failed':
      return `${names.stopFailed}(${role.id},${role.error})`;
    case 'stop':
      return `${names.stop}(${role.id}${handedOver(walk, at)})`;
    case 'step':
      return `${names.stepping}[${role.of % FUNCTIONS_OF_UNIT}]&&${names.stopStep}(${role.of}${handedOver(walk, at)}${role.isInner ? ',true' : ''})`;
  }
}

/** Further arguments of a stop at a place: what evaluates code there, and the names that it sees. */
function handedOver({ facts }: Walk, at: number): string {
  const { options, outline, names, prefix } = facts;
  if (options.stops?.evaluates !== true) return '';
  const { functions, scopes } = pointsOf(outline);
  // Names around the function are reached through its hook: they stand in an object.
  let around: Node | undefined;
  outline.functions.forEach((info, index) => {
    if (functions[index]!.hook !== undefined || info.kind === 'constructor')
      if (info.start <= at && info.end > at) around = info.node;
  });
  let scope = scopes.module;
  for (const [node, one] of scopes.inner)
    if (node.start <= at && node.end > at && node.start >= scope.node.start) scope = one;
  const found = new Set<string>();
  const usesArguments = around && facts.text.slice(around.start, around.end).includes('arguments');
  for (let of: Scope | null = scope; of && around && of.node.start >= around.start; of = of.parent)
    for (const name of of.names) if (name !== 'arguments' || usesArguments) found.add(name);
  return `,${hookText(prefix)},${JSON.stringify([...found, names.reach].join(','))}`;
}

/** The breakpoint that is asked before a function gives a value, or -1. */
export function returnStop({ facts }: Walk, node: Node): number {
  return facts.options.stops?.returns.get(node.start) ?? -1;
}

/** Around what a `return` gives. @returns what stands behind it */
export function beforeReturn(walk: Walk, { returns }: Context, node: Node): string {
  if (returns < 0) return '';
  const { out } = walk;
  if (!node.argument) {
    out.edits.insert(node.start + 'return'.length, ` ${returnCall(walk, returns, node.start)}`);
    return '';
  }
  const { stopReturn } = walk.facts.names;
  // Minified code has nothing between `return` and a parenthesis.
  out.edits.insert(node.argument.extra?.parenStart ?? node.argument.start, ` ${stopReturn}(${returns},(`);
  return `)${afterValue(walk, node.start)})`;
}

/** Asks where a function ends without a value. */
export function returnCall(walk: Walk, returns: number, at: number): string {
  return `${walk.facts.names.stopReturn}(${returns},void 0${afterValue(walk, at)})`;
}

/** Further arguments of a stop before a value: what tells whether it acts, and what evaluates code there. */
function afterValue(walk: Walk, at: number): string {
  const { out } = walk;
  const { guard } = out;
  out.guard = undefined;
  const handed = handedOver(walk, at);
  return guard === undefined && handed === '' ? '' : `,${guard ?? '0'}${handed}`;
}
