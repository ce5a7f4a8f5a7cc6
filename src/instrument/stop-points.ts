/** Statements that were put into a text so that a function stops there: see `patch/stops.ts`, which puts them. */
import type { Node } from '../syntax/node.js';
import type { Context, Walk } from './walk.js';

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
  if (!role || node.type !== 'DebuggerStatement') return false;
  const call = role.is === 'failed' ? `${names.stopFailed}(${role.id},${role.error})` : `${names.stop}(${role.id})`;
  out.edits.replace(node.start, node.end, `${call};`);
  return true;
}

/** The breakpoint that is asked before a function gives a value, or -1. */
export function returnStop({ facts }: Walk, node: Node): number {
  return facts.options.stops?.returns.get(node.start) ?? -1;
}

/** Around what a `return` gives. @returns what stands behind it */
export function beforeReturn({ facts, out }: Walk, { returns }: Context, node: Node): string {
  if (returns < 0) return '';
  const { stopReturn } = facts.names;
  if (!node.argument) {
    out.edits.insert(node.start + 'return'.length, ` ${stopReturn}(${returns})`);
    return '';
  }
  out.edits.insert(node.argument.extra?.parenStart ?? node.argument.start, `${stopReturn}(${returns},`);
  return ')';
}
