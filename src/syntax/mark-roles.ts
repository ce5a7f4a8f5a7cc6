/** Where a mark stands: what it is about, and whether it can stand there. */
import { type Node, bare, boundNames, eachChild, isFunction } from './node.js';
import type { Verb } from './verbs/index.js';

export interface Mark {
  verb: Verb | undefined;
  /** Expression over `it`, empty for the value itself. */
  expression: string;
  /** Free names of the expression, with their places in it. */
  names: { name: string; start: number; end: number; shorthand: boolean }[];
  /** The comment. */
  start: number;
  end: number;
  /** The marked expression. */
  node: Node;
  /** What stands around the expression, where that matters. */
  role: Role;
  /** The name that a nameless function would get from its place. */
  givenName: string | undefined;
  /** It is no comment: a person has selected the expression. */
  selected?: true;
}

export type Role =
  | { is: 'value' }
  /** What `new` is about: a call in its place needs parentheses. */
  | { is: 'constructor' }
  /** In a chain that goes on behind it, with `?.` before it: the whole chain, and the last link that may end it. */
  | { is: 'chain'; whole: Node; link: Node };

export interface Found {
  node: Node;
  parents: Node[];
}

/** The end of the code before an offset: blanks and other comments left out. */
export function codeBefore(text: string, offset: number, comments: readonly Node[]): number {
  let end = offset;
  for (;;) {
    while (end > 0 && /\s/.test(text[end - 1]!)) end--;
    const comment = comments.find((one) => one.end === end);
    if (!comment) return end;
    end = comment.start;
  }
}

const VALUE =
  /Expression$|Literal$|^(Identifier|TaggedTemplateExpression|JSXElement|JSXFragment|MetaProperty|ArrowFunctionExpression)$/;

/** True for a node whose value the program uses, and not for names that are bound, written to, or keys. */
export function isValue(node: Node, parent: Node | undefined): boolean {
  if (!VALUE.test(node.type) || node.type === 'DirectiveLiteral') return false;
  if (!parent) return false;
  switch (parent.type) {
    case 'VariableDeclarator':
    case 'ClassDeclaration':
    case 'FunctionDeclaration':
    case 'FunctionExpression':
    case 'ClassExpression':
      return node !== parent.id && !(parent.params as Node[] | undefined)?.includes(node);
    case 'ArrowFunctionExpression':
      return node === parent.body;
    case 'ObjectMethod':
    case 'ClassMethod':
    case 'ClassPrivateMethod':
      return node === parent.key && parent.computed === true;
    case 'ObjectProperty':
      return node === parent.value ? !parent.shorthand : parent.computed === true;
    case 'ClassProperty':
    case 'ClassAccessorProperty':
    case 'ClassPrivateProperty':
      return node === parent.value || (node === parent.key && parent.computed === true);
    case 'MemberExpression':
    case 'OptionalMemberExpression':
      return node === parent.object || parent.computed === true;
    case 'AssignmentExpression':
    case 'AssignmentPattern':
      return node === parent.right;
    case 'UpdateExpression':
    case 'ArrayPattern':
    case 'ObjectPattern':
    case 'RestElement':
    case 'CatchClause':
    case 'LabeledStatement':
      return false;
    case 'ForInStatement':
    case 'ForOfStatement':
      return node === parent.right;
    case 'JSXOpeningElement':
    case 'JSXClosingElement':
    case 'JSXAttribute':
    case 'JSXMemberExpression':
      return false;
    default:
      return true;
  }
}

/** Where an expression ends, with the parentheses around it. */
export function outerEnd(node: Node, text: string): number {
  let end = node.end;
  if (node.extra?.parenthesized !== true) return end;
  let open = text.slice(node.extra.parenStart as number, node.start).split('(').length - 1;
  while (open > 0 && end < text.length) if (text[end++] === ')') open--;
  return end;
}

/** What a mark may not do at its place, or what is to be minded there. */
export function roleOf({ node, parents }: Found): Role | string {
  const parent = parents[parents.length - 1]!;
  const isCallee =
    (parent.type === 'CallExpression' || parent.type === 'OptionalCallExpression') && parent.callee === node;
  const inner = bare(node);
  if (isCallee && (inner.type === 'MemberExpression' || inner.type === 'OptionalMemberExpression'))
    return 'A mark cannot stand between a method and its call. Put it behind the call.';
  if (
    isCallee &&
    (inner.type === 'Super' || inner.type === 'Import' || (inner.type === 'Identifier' && inner.name === 'eval'))
  )
    return 'A mark cannot stand here. Put it behind the call.';
  if (parent.type === 'TaggedTemplateExpression' && parent.tag === node)
    return 'A mark cannot stand between a tag and its template. Put it behind the template.';
  if (inner.type === 'Super' || inner.type === 'Import')
    return 'A mark cannot stand here. Put it behind the whole expression.';
  const goesOn = (outer: Node | undefined, of: Node): boolean =>
    outer !== undefined &&
    ((outer.type === 'OptionalMemberExpression' && outer.object === of) ||
      (outer.type === 'OptionalCallExpression' && outer.callee === of));
  if (
    (node.type === 'OptionalMemberExpression' || node.type === 'OptionalCallExpression') &&
    node.extra?.parenthesized !== true &&
    goesOn(parent, node)
  ) {
    let whole = node;
    for (let i = parents.length - 1; i >= 0 && goesOn(parents[i], whole) && whole.extra?.parenthesized !== true; i--)
      whole = parents[i]!;
    const after = parents[parents.indexOf(whole) - 1] ?? parents[0]!;
    if (after.type === 'UnaryExpression' && after.operator === 'delete')
      return 'A mark cannot stand behind what delete is about.';
    let link: Node = node;
    while (link.optional !== true)
      link = bare((link.type === 'OptionalMemberExpression' ? link.object : link.callee) as Node);
    const simple =
      link.type === 'OptionalMemberExpression'
        ? link.property.type !== 'PrivateName'
        : link.arguments.length > 0 && link.arguments[0].type !== 'SpreadElement';
    if (!simple) return 'A mark cannot stand in the middle of this chain with ?. in it. Put it behind the chain.';
    return { is: 'chain', whole, link };
  }
  if (parent.type === 'TSNonNullExpression' && goesOn(parents[parents.length - 2], parent))
    return 'A mark cannot stand in the middle of this chain with ?. in it. Put it behind the chain.';
  if (parent.type === 'NewExpression' && parent.callee === node && node.extra?.parenthesized !== true)
    return { is: 'constructor' };
  return { is: 'value' };
}

/** The name that the language gives a nameless function or class at this place (ECMA-262, NamedEvaluation). */
export function givenName({ node, parents }: Found, text: string): string | undefined {
  const inner = bare(node);
  if (!(
    inner.type === 'ArrowFunctionExpression' ||
    ((inner.type === 'FunctionExpression' || inner.type === 'ClassExpression') && !inner.id)
  ))
    return undefined;
  const parent = parents[parents.length - 1]!;
  switch (parent.type) {
    case 'VariableDeclarator':
      return parent.id.type === 'Identifier' ? parent.id.name : undefined;
    case 'AssignmentExpression':
    case 'AssignmentPattern':
      return parent.left.type === 'Identifier' ? parent.left.name : undefined;
    case 'ExportDefaultDeclaration':
      return 'default';
    case 'ObjectProperty':
    case 'ClassProperty':
    case 'ClassAccessorProperty':
      if (parent.computed) return undefined;
      return parent.key.type === 'Identifier'
        ? parent.key.name
        : String(parent.key.value ?? text.slice(parent.key.start, parent.key.end));
    case 'ClassPrivateProperty':
      return `#${parent.key.id.name}`;
    default:
      return undefined;
  }
}

/** True when a scope around `offset`, below the module's own, binds `name`. */
export function isShadowed(program: Node, offset: number, name: string): boolean {
  let found = false;
  const visit = (node: Node, depth: number): void => {
    if (found || node.start > offset || node.end < offset) return;
    if (depth > 0) {
      if (isFunction(node)) {
        const names = [
          ...(node.params as Node[]).flatMap((parameter) => boundNames(parameter)),
          ...(node.type === 'FunctionExpression' && node.id ? [node.id] : []),
        ];
        if (names.some((one) => one.name === name) || declared(node.body).has(name)) found = true;
      } else if (node.type === 'CatchClause' && boundNames(node.param).some((one) => one.name === name)) found = true;
      else if (node.type === 'ClassExpression' && node.id?.name === name) found = true;
      else if (node.type === 'BlockStatement' || node.type === 'StaticBlock') {
        if (lexical(node.body as Node[]).has(name)) found = true;
      } else if (
        node.type === 'SwitchStatement' &&
        lexical((node.cases as Node[]).flatMap((one) => one.consequent as Node[])).has(name)
      )
        found = true;
      else if (/^For/.test(node.type)) {
        const head = (node.init ?? node.left) as Node | null;
        if (
          head?.type === 'VariableDeclaration' &&
          (head.declarations as Node[]).some((one) => boundNames(one.id).some((id) => id.name === name))
        )
          found = true;
      }
    }
    eachChild(node, (child) => visit(child, depth + 1));
  };
  visit(program, 0);
  return found;
}

/** Names that the statements of one block bind. */
function lexical(statements: readonly Node[]): Set<string> {
  const names = new Set<string>();
  for (const statement of statements) {
    if (statement.type === 'VariableDeclaration')
      for (const one of statement.declarations as Node[])
        for (const id of boundNames(one.id)) names.add(id.name as string);
    else if ((statement.type === 'FunctionDeclaration' || statement.type === 'ClassDeclaration') && statement.id)
      names.add(statement.id.name as string);
  }
  return names;
}

/** Names that a function's body binds for the whole function: its own, and every `var` in it. */
export function declared(body: Node): Set<string> {
  if (body.type !== 'BlockStatement') return new Set();
  const names = lexical(body.body as Node[]);
  const visit = (node: Node): void => {
    if (isFunction(node)) return;
    if (node.type === 'VariableDeclaration' && node.kind === 'var')
      for (const one of node.declarations as Node[]) for (const id of boundNames(one.id)) names.add(id.name as string);
    eachChild(node, visit);
  };
  visit(body);
  return names;
}
