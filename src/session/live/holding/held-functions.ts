/** Functions whose calls can be held. */
import { eachChild, isFunction, type Node } from '../../../syntax/node.js';
import type { FunctionInfo } from '../../../syntax/outline.js';
import type { HeldFunction } from '../../../wire/holding.js';

/** What a target is told of a function; undefined for one whose calls cannot be made again. */
export function heldFunction(info: FunctionInfo): HeldFunction | undefined {
  if (info.kind === 'constructor' || info.generator) return undefined;
  return { name: info.path, isAsync: info.async, givesNothing: !givesSomething(info.node) };
}

/** Some `return` of it has a value, or it is an expression. */
function givesSomething(node: Node): boolean {
  const { body } = node;
  if (body.type !== 'BlockStatement') return true;
  let found = false;
  const search = (one: Node): void => {
    if (found || isFunction(one) || one.type === 'ClassBody') return;
    if (one.type === 'ReturnStatement' && one.argument) found = true;
    else eachChild(one, search);
  };
  eachChild(body as Node, search);
  return found;
}
