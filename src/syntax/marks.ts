/**
 * Marks: comments that ask for something at a place. `//~ …` at the end of a
 * line is about the largest expression that ends there, `/*~ … *\/` about the
 * largest that ends just before it.
 */
import { parseExpression } from '@babel/parser';
import { bare, boundNames, eachChild, isFunction, type Node } from './node.js';
import type { Outline } from './outline.js';
import { verbNames, verbOf, type Verb } from './verbs/index.js';
import type { Problem } from './problems.js';

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
}

export type Role =
  | { is: 'value' }
  /** What `new` is about: a call in its place needs parentheses. */
  | { is: 'constructor' }
  /** In a chain that goes on behind it, with `?.` before it: the whole chain, and the last link that may end it. */
  | { is: 'chain'; whole: Node; link: Node };

export interface Marks {
  marks: Mark[];
  problems: Problem[];
}

const NOTHING: Marks = { marks: [], problems: [] };

/** Reads the marks of an outlined text. A mark that asks for nothing possible is a problem of its line, and of nothing else. */
export function marksOf(outline: Outline): Marks {
  const { parsed } = outline;
  const comments = parsed.comments.filter((comment) => (comment.value as string).startsWith('~'));
  if (comments.length === 0) return NOTHING;
  const { text } = parsed;
  const problems: Problem[] = [];
  const marks: Mark[] = [];
  const problem = (comment: Node, message: string): void => {
    problems.push({ code: 'E_MARK', message, start: comment.start, end: comment.end });
  };
  const wanted = comments.map((comment) => {
    const whole = comment.type === 'CommentLine';
    let end = codeBefore(text, comment.start, parsed.comments);
    if (whole)
      while (end > 0 && (text[end - 1] === ';' || text[end - 1] === ','))
        end = codeBefore(text, end - 1, parsed.comments);
    const lineStart = text.lastIndexOf('\n', comment.start - 1) + 1;
    return {
      comment,
      whole,
      end,
      lineStart,
      best: undefined as Found | undefined,
      within: undefined as Found | undefined,
    };
  });
  const lowest = Math.min(...wanted.map((one) => one.lineStart));
  const highest = Math.max(...wanted.map((one) => one.end));
  const visit = (node: Node, parents: Node[]): void => {
    if (node.end < lowest || node.start > highest) return;
    const parent = parents[parents.length - 1];
    // Behind the body of `(boat) => boat.tonnes` the body is meant, not the function that ends there too.
    const short = node.type === 'ArrowFunctionExpression' && node.body.type !== 'BlockStatement';
    if (isValue(node, parent) && !short) {
      const end = outerEnd(node, text);
      for (const one of wanted) {
        // Walked from the outside in: the first that ends there is the largest.
        if (end === one.end) one.best ??= { node, parents: [...parents] };
        else if (one.whole && !one.within && node.start >= one.lineStart && end < one.end)
          one.within = { node, parents: [...parents] };
      }
    }
    parents.push(node);
    eachChild(node, (child) => visit(child, parents));
    parents.pop();
  };
  visit(parsed.program!, []);

  for (const { comment, whole, best, within, lineStart, end } of wanted) {
    // `if (full) { //~` has no expression at its end: the largest on the line is meant.
    const found = best ?? (whole ? within : undefined);
    const body = (comment.value as string).slice(1).trim();
    const asked = read(body);
    if (typeof asked === 'string') {
      problem(comment, asked);
      continue;
    }
    if (!found || end <= lineStart) {
      problem(
        comment,
        whole
          ? 'This mark has no expression on its line. Put it behind one.'
          : 'This mark has no expression before it. Put it right behind one.',
      );
      continue;
    }
    const role = roleOf(found);
    if (typeof role === 'string') {
      problem(comment, role);
      continue;
    }
    const names = asked.names.filter(({ name }) => !isShadowed(outline.parsed.program!, found.node.start, name));
    marks.push({
      ...asked,
      names,
      start: comment.start,
      end: comment.end,
      node: found.node,
      role,
      givenName: givenName(found, text),
    });
  }
  return { marks, problems };
}

interface Found {
  node: Node;
  parents: Node[];
}

/** The end of the code before an offset: blanks and other comments left out. */
function codeBefore(text: string, offset: number, comments: readonly Node[]): number {
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
function isValue(node: Node, parent: Node | undefined): boolean {
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
    case 'JSXAttribute':
    case 'JSXMemberExpression':
      return false;
    default:
      return true;
  }
}

/** Where an expression ends, with the parentheses around it. */
function outerEnd(node: Node, text: string): number {
  let end = node.end;
  if (node.extra?.parenthesized !== true) return end;
  let open = text.slice(node.extra.parenStart as number, node.start).split('(').length - 1;
  while (open > 0 && end < text.length) if (text[end++] === ')') open--;
  return end;
}

/** Verb and expression of a mark's text, or what is wrong with it. */
function read(body: string): Pick<Mark, 'verb' | 'expression' | 'names'> | string {
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

/** What a mark may not do at its place, or what is to be minded there. */
function roleOf({ node, parents }: Found): Role | string {
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
function givenName({ node, parents }: Found, text: string): string | undefined {
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
function isShadowed(program: Node, offset: number, name: string): boolean {
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
function declared(body: Node): Set<string> {
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
