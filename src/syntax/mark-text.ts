/** What a mark says: its verb and its expression. */
import { parseExpression } from '@babel/parser';
import { type Mark, declared } from './mark-roles.js';
import { type Node, boundNames, eachChild, isFunction } from './node.js';
import { verbNames, verbOf } from './verbs/index.js';

/** Verb and expression of a mark's text, or what is wrong with it. */
export function read(body: string): Pick<Mark, 'verb' | 'expression' | 'names'> | string {
  const head = /^([a-z][a-z-]*)\s*:(?!:)\s*/.exec(body);
  const verb = head ? verbOf(head[1]!) : undefined;
  if (head && !verb)
    return `There is no mark "${head[1]}:". There are ${verbNames()
      .map((name) => `${name}:`)
      .join(', ')}; an expression over it needs none.`;
  const expression = head ? body.slice(head[0].length) : body;
  if (expression === '') {
    if (verb?.expression === 'text') return `The mark "${verb.name}:" needs a name behind the colon.`;
    if (verb?.expression === 'required')
      return `The mark "${verb.name}:" needs an expression over it behind the colon.`;
    return { verb, expression: '', names: [] };
  }
  if (verb?.expression === 'text') return { verb, expression, names: [] };
  if (verb?.expression === 'none') return `The mark "${verb.name}:" takes no expression.`;
  let tree: Node;
  try {
    tree = parseExpression(expression, { sourceType: 'module', attachComment: false }) as unknown as Node;
  } catch (error) {
    return `This mark does not parse: ${(error as Error).message.replace(/\s*\(\d+:\d+\)\s*$/, '')}`;
  }
  const names: Mark['names'] = [];
  let wrong = '';
  const visit = (node: Node, bound: ReadonlySet<string>): void => {
    switch (node.type) {
      case 'AssignmentExpression':
      case 'UpdateExpression':
        wrong ||= 'A mark only looks: it cannot assign.';
        break;
      case 'UnaryExpression':
        if (node.operator === 'delete') wrong ||= 'A mark only looks: it cannot delete.';
        break;
      case 'AwaitExpression':
      case 'YieldExpression':
        wrong ||= 'A mark cannot wait. Mark the awaited expression itself.';
        break;
      case 'Super':
      case 'MetaProperty':
      case 'Import':
      case 'PrivateName':
        wrong ||= 'super, new.target, import and private names cannot stand in a mark.';
        break;
      case 'Identifier':
        if (!bound.has(node.name)) names.push({ name: node.name, start: node.start, end: node.end, shorthand: false });
        return;
    }
    let inner = bound;
    if (isFunction(node)) {
      if (node.async || node.generator) wrong ||= 'A mark cannot wait. Mark the awaited expression itself.';
      inner = new Set([
        ...bound,
        ...(node.params as Node[]).flatMap((parameter) => boundNames(parameter).map((one) => one.name as string)),
        ...declared(node.body),
      ]);
    }
    eachChild(node, (child) => {
      if (
        (node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression') &&
        child === node.property &&
        !node.computed
      )
        return;
      if (node.type === 'ObjectProperty' && child === node.key && !node.computed) {
        if (node.shorthand && !inner.has(child.name))
          names.push({ name: child.name, start: child.start, end: child.end, shorthand: true });
        return;
      }
      if (node.type === 'ObjectProperty' && node.shorthand && child === node.value) return;
      if (isFunction(node) && (node.params as Node[]).includes(child) && child.type === 'Identifier') return;
      visit(child, inner);
    });
  };
  visit(tree, new Set(['it']));
  if (wrong !== '') return wrong;
  // Behind the expression there may be a comment, which must not swallow what follows.
  const parenthesized = tree.extra?.parenthesized === true;
  return parenthesized
    ? {
        verb,
        expression: `(${expression.slice(tree.start, tree.end)})`,
        names: names.map((one) => ({ ...one, start: one.start - tree.start + 1, end: one.end - tree.start + 1 })),
      }
    : {
        verb,
        expression: expression.slice(tree.start, tree.end),
        names: names.map((one) => ({ ...one, start: one.start - tree.start, end: one.end - tree.start })),
      };
}
