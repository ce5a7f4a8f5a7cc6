/** How much a function passes on to its later version. */
import { eachChild, isFunction, type Node } from '../syntax/node.js';
import type { Outline } from '../syntax/outline.js';
import { usesWithin } from '../syntax/scopes.js';
import { pointsOf } from './points.js';

/**
 * How many arguments a function passes on at most: Infinity for all it is given. What takes all of them costs a good
 * part of the stack, so functions that call themselves pass on their parameters alone.
 */
export function argumentsPassedOn(outline: Outline, node: Node): number {
  const parameters = node.params as Node[];
  const isArrow = node.type === 'ArrowFunctionExpression';
  const simple = parameters.every((one) => one.type === 'Identifier');
  if (isArrow && parameters[parameters.length - 1]?.type === 'RestElement') return Infinity;
  // A function that is strict by its own words takes plain parameters only.
  if (isArrow && ((node.body.directives ?? []) as Node[]).some((one) => one.value.value === 'use strict'))
    return parameters.length;
  const own = outline.functions.find((info) => info.node === node);
  if (!own || (!isArrow && (!simple || own.kind !== 'function' || own.generator))) return Infinity;
  const uses = usesWithin(pointsOf(outline).scopes, node.start, node.end);
  if (!isArrow && uses.some((use) => use.name === 'arguments')) return Infinity;
  return uses.some((use) => use.name === own.name) ? parameters.length : Infinity;
}

/**
 * A function may be made for `new`: it uses `this` or `new.target`, or is named like a class. The others need not pass
 * `new.target` on, whose registers cost stack: what `new` made is their `this`.
 */
export function isForNew(node: Node, name: string): boolean {
  return /^\p{Lu}/u.test(name) || asksForNew(node, true);
}

/** A function uses `new.target`. */
export function usesNewTarget(node: Node): boolean {
  return asksForNew(node, false);
}

function asksForNew(node: Node, orThis: boolean): boolean {
  let found = false;
  eachChild(node, (child) => {
    if (found) return;
    if (child.type === 'MetaProperty') found = child.meta.name === 'new';
    else if (child.type === 'ThisExpression') found = orThis;
    else if (child.type !== 'ClassBody' && (!isFunction(child) || child.type === 'ArrowFunctionExpression'))
      found = asksForNew(child, orThis);
  });
  return found;
}

/** The call by which a function that is no arrow hands over to its later version. */
export function handOver(outline: Outline, node: Node, call: string): string {
  if (argumentsPassedOn(outline, node) === Infinity) return `${call}.apply(this,arguments)`;
  const names = (node.params as Node[]).map((one) => `,${one.name as string}`);
  return `${call}.call(this${names.join('')})`;
}
