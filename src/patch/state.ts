/** Which names of a file hold state that a running program has built up, as far as its text tells. */
import { bare, eachChild, type Node } from '../syntax/node.js';
import type { Scopes } from '../syntax/scope-data.js';

export interface NameState {
  /** Assigned somewhere besides its declaration. */
  assigned: boolean;
  /** Its members that are assigned or changed by a method; `*` for those whose name is computed or that have none. */
  members: Set<string>;
}

/** Methods that change what they are called on. */
const MUTATORS = new Set(
  (
    'push pop shift unshift splice sort reverse fill copyWithin set add delete clear append ' +
    'prepend insert remove enqueue dequeue next on once off'
  ).split(' '),
);

/** Finds writes to names and to members of names, anywhere in a program. */
export function stateOf(program: Node, scopes: Scopes): Map<string, NameState> {
  const found = new Map<string, NameState>();
  const of = (name: string): NameState => {
    let state = found.get(name);
    if (!state) found.set(name, (state = { assigned: false, members: new Set() }));
    return state;
  };
  for (const use of scopes.uses) if (use.write) of(use.name).assigned = true;
  /** The name at the root of `a.b.c`, and the first member behind it. */
  const rootOf = (node: Node): { name: string; member: string } | undefined => {
    let member = '*';
    let at = bare(node);
    while (at.type === 'MemberExpression' || at.type === 'OptionalMemberExpression') {
      member = at.computed
        ? at.property.type === 'StringLiteral'
          ? (at.property.value as string)
          : '*'
        : at.property.type === 'Identifier'
          ? (at.property.name as string)
          : '*';
      at = bare(at.object as Node);
    }
    return at.type === 'Identifier' ? { name: at.name as string, member } : undefined;
  };
  const written = (node: Node): void => {
    const target = bare(node);
    if (target.type !== 'MemberExpression' && target.type !== 'OptionalMemberExpression') return;
    const root = rootOf(target);
    if (root) of(root.name).members.add(root.member);
  };
  const visit = (node: Node): void => {
    switch (node.type) {
      case 'AssignmentExpression':
        written(node.left);
        break;
      case 'UpdateExpression':
        written(node.argument);
        break;
      case 'UnaryExpression':
        if (node.operator === 'delete') written(node.argument);
        break;
      case 'ForInStatement':
      case 'ForOfStatement':
        if (node.left.type !== 'VariableDeclaration') written(node.left);
        break;
      case 'CallExpression':
      case 'OptionalCallExpression': {
        const callee = bare(node.callee as Node);
        if (
          (callee.type === 'MemberExpression' || callee.type === 'OptionalMemberExpression') &&
          !callee.computed &&
          MUTATORS.has(callee.property.name as string)
        ) {
          const root = rootOf(callee.object as Node);
          if (root) of(root.name).members.add(root.member);
        }
        break;
      }
    }
    eachChild(node, visit);
  };
  visit(program);
  return found;
}

/** True when evaluating it again does nothing but give a value. */
export function isPure(node: Node): boolean {
  const inner = bare(node);
  if (/^(Call|OptionalCall|New|Await|Yield|Assignment|Update|TaggedTemplate|Import|Class|JSX)/.test(inner.type))
    return false;
  if (/Function/.test(inner.type)) return true;
  let pure = true;
  eachChild(inner, (child) => {
    if (!isPure(child)) pure = false;
  });
  return pure;
}
