/** What can be told of a node by its form alone: what runs, what can throw, what has a value worth showing. */
import { bare, boundNames, isAnonymousDefinition, type Node } from '../syntax/node.js';

/** Function declarations are there before their list runs, imports and types do not run in it. */
export function isHoisted(node: Node): boolean {
  if (node.type === 'FunctionDeclaration' || node.type === 'ImportDeclaration' || node.type === 'EmptyStatement')
    return true;
  if (node.type === 'ExportAllDeclaration') return true;
  if (node.type === 'ExportNamedDeclaration') return !node.declaration || isHoisted(node.declaration);
  if (node.type === 'ExportDefaultDeclaration') return isHoisted(node.declaration);
  if (node.declare === true) return true;
  return (
    node.type.startsWith('TS') &&
    node.type !== 'TSEnumDeclaration' &&
    node.type !== 'TSExportAssignment' &&
    node.type !== 'TSModuleDeclaration'
  );
}

/** True when the first thing that the instrumented statement does is to count itself. */
export function startsWithCounter(node: Node): boolean {
  return node.type !== 'BlockStatement' && node.type !== 'TSModuleDeclaration' && !isHoisted(node);
}

/** Values that say nothing new: literals as a condition. */
export function isQuiet(node: Node): boolean {
  return /^(Boolean|Numeric|String|Null|BigInt)Literal$/.test(bare(node).type);
}

/** A function or class where it is written: nothing to show, and wrapping may lose its name. */
export function isDefinition(node: Node): boolean {
  if (isAnonymousDefinition(node)) return true;
  const { type } = bare(node);
  return type === 'FunctionExpression' || type === 'ClassExpression';
}

/** True when nothing after the statement's start can throw or leave, so the next statement runs as often. */
export function isSafe(node: Node): boolean {
  switch (node.type) {
    case 'VariableDeclaration':
      return (
        node.kind !== 'using' &&
        node.kind !== 'await using' &&
        (node.declarations as Node[]).every(
          (declarator) =>
            declarator.id.type === 'Identifier' && (!declarator.init || isSafeExpression(declarator.init)),
        )
      );
    case 'ExportNamedDeclaration':
      return node.declaration ? isSafe(node.declaration) : true;
    default:
      return false;
  }
}

/** True for an expression that cannot throw and has no effect. */
export function isSafeExpression(node: Node): boolean {
  switch (node.type) {
    case 'NumericLiteral':
    case 'StringLiteral':
    case 'BooleanLiteral':
    case 'NullLiteral':
    case 'BigIntLiteral':
    case 'RegExpLiteral':
    case 'ArrowFunctionExpression':
    case 'FunctionExpression':
      return true;
    case 'UnaryExpression':
      return (node.operator === '-' || node.operator === '!') && node.argument.type === 'NumericLiteral';
    case 'TemplateLiteral':
      return node.expressions.length === 0;
    case 'ArrayExpression':
      return (node.elements as (Node | null)[]).every((element) => element === null || isSafeExpression(element));
    case 'ObjectExpression':
      return (node.properties as Node[]).every((property) =>
        property.type === 'ObjectMethod'
          ? !property.computed
          : property.type === 'ObjectProperty' && !property.computed && isSafeExpression(property.value),
      );
    default:
      return false;
  }
}

/** `assert(…)` or `assert.ok(…)` as a statement: it has no value, and its message is its own text. */
export function isAssertion(node: Node): boolean {
  if (node.type !== 'ExpressionStatement' || node.expression.type !== 'CallExpression') return false;
  const { callee } = node.expression;
  const name: Node =
    callee.type === 'MemberExpression' && !callee.computed && callee.property.name === 'ok' ? callee.object : callee;
  return name.type === 'Identifier' && /^(assert|ok)$/i.test(name.name as string);
}

/** Names that a variable declaration binds. */
export function declaredIn(declaration: Node): Node[] {
  return (declaration.declarations as Node[]).flatMap((declarator) => boundNames(declarator.id));
}

/** Names that a statement gives a value, functions aside: those are there from the start. */
export function namesGivenBy(statement: Node): string[] {
  if (statement.type === 'ExportDefaultDeclaration') {
    const { declaration } = statement;
    if (declaration.type === 'FunctionDeclaration' || declaration.type.startsWith('TS')) return [];
    return [declaration.type === 'ClassDeclaration' && declaration.id ? (declaration.id.name as string) : '*default*'];
  }
  const node: Node =
    statement.type === 'ExportNamedDeclaration' && statement.declaration ? statement.declaration : statement;
  if (node.declare === true) return [];
  switch (node.type) {
    case 'VariableDeclaration':
      return declaredIn(node).map((id) => id.name as string);
    case 'ClassDeclaration':
    case 'TSEnumDeclaration':
      return node.id ? [node.id.name as string] : [];
    case 'TSModuleDeclaration':
    case 'TSImportEqualsDeclaration':
      return node.id?.type === 'Identifier' ? [node.id.name as string] : [];
    default:
      return [];
  }
}
