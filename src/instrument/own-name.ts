/** Function expressions that can name themselves. */
import { boundNames, eachChild, isFunction, type Node } from '../syntax/node.js';

/**
 * Code in the body of a function expression reaches the function under its own name. One whose parameters or body
 * declare that name again does not: there it is that other variable, perhaps before it has a value.
 */
export function seesItself(node: Node): boolean {
  if (node.type !== 'FunctionExpression' || !node.id) return false;
  const { name } = node.id as { name: string };
  const isIt = (pattern: Node): boolean => boundNames(pattern).some((id) => id.name === name);
  if ((node.params as Node[]).some(isIt)) return false;
  const body = node.body as Node;
  const isDeclared = (statement: Node): boolean =>
    statement.type === 'VariableDeclaration'
      ? (statement.declarations as { id: Node }[]).some(({ id }) => isIt(id))
      : /^(?:Function|Class)Declaration$/.test(statement.type) && (statement.id as { name: string }).name === name;
  return !(body.body as Node[]).some(isDeclared) && !hasVar(body, isIt);
}

/** A `var` counts for the whole function, wherever it stands in it. */
function hasVar(node: Node, isIt: (pattern: Node) => boolean): boolean {
  let found = false;
  const visit = (child: Node): void => {
    if (found || isFunction(child)) return;
    if (child.type === 'VariableDeclaration' && child.kind === 'var')
      found = (child.declarations as { id: Node }[]).some(({ id }) => isIt(id));
    if (!found) eachChild(child, visit);
  };
  eachChild(node, visit);
  return found;
}
