/**
 * The syntax tree: the ESTree-like nodes of `@babel/parser`, typed loosely on
 * purpose. Every walker of the project goes over children through
 * {@link eachChild}, which never enters types: they do not run.
 */

// eslint-disable-next-line @typescript-eslint/no-explicit-any
export type Node = { type: string; start: number; end: number; [key: string]: any };

/** Child keys of each node type in source order. Types that do not run have none. */
const KEYS: Record<string, readonly string[]> = {
  File: ['program'],
  Program: ['directives', 'body'],
  BlockStatement: ['directives', 'body'],
  ExpressionStatement: ['expression'],
  VariableDeclaration: ['declarations'],
  VariableDeclarator: ['id', 'init'],
  FunctionDeclaration: ['id', 'params', 'body'],
  FunctionExpression: ['id', 'params', 'body'],
  ArrowFunctionExpression: ['params', 'body'],
  ObjectMethod: ['decorators', 'key', 'params', 'body'],
  ClassMethod: ['decorators', 'key', 'params', 'body'],
  ClassPrivateMethod: ['decorators', 'key', 'params', 'body'],
  ClassDeclaration: ['decorators', 'id', 'superClass', 'body'],
  ClassExpression: ['decorators', 'id', 'superClass', 'body'],
  ClassBody: ['body'],
  ClassProperty: ['decorators', 'key', 'value'],
  ClassAccessorProperty: ['decorators', 'key', 'value'],
  ClassPrivateProperty: ['decorators', 'key', 'value'],
  StaticBlock: ['body'],
  Decorator: ['expression'],
  ReturnStatement: ['argument'],
  ThrowStatement: ['argument'],
  IfStatement: ['test', 'consequent', 'alternate'],
  ForStatement: ['init', 'test', 'update', 'body'],
  ForInStatement: ['left', 'right', 'body'],
  ForOfStatement: ['left', 'right', 'body'],
  WhileStatement: ['test', 'body'],
  DoWhileStatement: ['body', 'test'],
  SwitchStatement: ['discriminant', 'cases'],
  SwitchCase: ['test', 'consequent'],
  LabeledStatement: ['body'],
  TryStatement: ['block', 'handler', 'finalizer'],
  CatchClause: ['param', 'body'],
  WithStatement: ['object', 'body'],
  BreakStatement: [],
  ContinueStatement: [],
  EmptyStatement: [],
  DebuggerStatement: [],
  Identifier: [],
  PrivateName: [],
  ThisExpression: [],
  Super: [],
  Import: [],
  MetaProperty: [],
  StringLiteral: [],
  NumericLiteral: [],
  BigIntLiteral: [],
  DecimalLiteral: [],
  BooleanLiteral: [],
  NullLiteral: [],
  RegExpLiteral: [],
  Directive: [],
  TemplateElement: [],
  TemplateLiteral: ['expressions'],
  TaggedTemplateExpression: ['tag', 'quasi'],
  ArrayExpression: ['elements'],
  ArrayPattern: ['elements'],
  ObjectExpression: ['properties'],
  ObjectPattern: ['properties'],
  ObjectProperty: ['decorators', 'key', 'value'],
  RestElement: ['argument'],
  SpreadElement: ['argument'],
  AssignmentPattern: ['left', 'right'],
  AssignmentExpression: ['left', 'right'],
  BinaryExpression: ['left', 'right'],
  LogicalExpression: ['left', 'right'],
  UnaryExpression: ['argument'],
  UpdateExpression: ['argument'],
  ConditionalExpression: ['test', 'consequent', 'alternate'],
  SequenceExpression: ['expressions'],
  CallExpression: ['callee', 'arguments'],
  OptionalCallExpression: ['callee', 'arguments'],
  NewExpression: ['callee', 'arguments'],
  ImportExpression: ['source', 'options'],
  MemberExpression: ['object', 'property'],
  OptionalMemberExpression: ['object', 'property'],
  AwaitExpression: ['argument'],
  YieldExpression: ['argument'],
  ParenthesizedExpression: ['expression'],
  ImportDeclaration: ['specifiers'],
  ImportSpecifier: [],
  ImportDefaultSpecifier: [],
  ImportNamespaceSpecifier: [],
  ExportNamedDeclaration: ['declaration', 'specifiers'],
  ExportSpecifier: [],
  ExportNamespaceSpecifier: [],
  ExportDefaultDeclaration: ['declaration'],
  ExportAllDeclaration: [],
  JSXElement: ['openingElement', 'children', 'closingElement'],
  JSXFragment: ['children'],
  JSXOpeningElement: ['name', 'attributes'],
  JSXClosingElement: ['name'],
  JSXAttribute: ['value'],
  JSXSpreadAttribute: ['argument'],
  JSXExpressionContainer: ['expression'],
  JSXSpreadChild: ['expression'],
  JSXMemberExpression: ['object'],
  TSAsExpression: ['expression'],
  TSSatisfiesExpression: ['expression'],
  TSTypeAssertion: ['expression'],
  TSNonNullExpression: ['expression'],
  TSInstantiationExpression: ['expression'],
  TSParameterProperty: ['parameter'],
  TSEnumDeclaration: ['members'],
  TSEnumBody: ['members'],
  TSEnumMember: ['initializer'],
  TSModuleDeclaration: ['body'],
  TSModuleBlock: ['body'],
  TSExportAssignment: ['expression'],
  TSImportEqualsDeclaration: [],
};
const NONE: readonly string[] = [];

/** Calls `visit` for every child node that can run, in source order. */
export function eachChild(node: Node, visit: (child: Node) => void): void {
  const keys = KEYS[node.type] ?? NONE;
  for (let i = 0; i < keys.length; i++) {
    const child = node[keys[i]!];
    if (child === null || child === undefined) continue;
    if (Array.isArray(child)) {
      for (let k = 0; k < child.length; k++) if (child[k] !== null && child[k] !== undefined) visit(child[k]);
    } else visit(child);
  }
}

/** True for every form of function: declarations, expressions, arrows, methods. */
export function isFunction(node: Node): boolean {
  switch (node.type) {
    case 'FunctionDeclaration':
    case 'FunctionExpression':
    case 'ArrowFunctionExpression':
    case 'ObjectMethod':
    case 'ClassMethod':
    case 'ClassPrivateMethod':
      return true;
    default:
      return false;
  }
}

/** The expression inside parentheses and type operators (`x as T`, `x!`, `<T>x`, `x satisfies T`). */
export function bare(node: Node): Node {
  let inner = node;
  for (;;) {
    switch (inner.type) {
      case 'TSAsExpression':
      case 'TSSatisfiesExpression':
      case 'TSTypeAssertion':
      case 'TSNonNullExpression':
      case 'TSInstantiationExpression':
      case 'ParenthesizedExpression':
        inner = inner.expression;
        break;
      default:
        return inner;
    }
  }
}

/**
 * True where the language gives the value its name from the place it is
 * assigned to (ECMA-262, IsAnonymousFunctionDefinition): such a value must
 * not be wrapped, or the name is lost.
 */
export function isAnonymousDefinition(node: Node): boolean {
  const inner = bare(node);
  return (
    inner.type === 'ArrowFunctionExpression' ||
    ((inner.type === 'FunctionExpression' || inner.type === 'ClassExpression') && !inner.id)
  );
}

/** The identifiers a pattern binds or assigns, in source order. */
export function boundNames(pattern: Node | null | undefined, into: Node[] = []): Node[] {
  if (!pattern) return into;
  switch (pattern.type) {
    case 'Identifier':
      into.push(pattern);
      break;
    case 'ObjectPattern':
      for (const property of pattern.properties)
        boundNames(property.type === 'RestElement' ? property.argument : property.value, into);
      break;
    case 'ArrayPattern':
      for (const element of pattern.elements) boundNames(element, into);
      break;
    case 'AssignmentPattern':
      boundNames(pattern.left, into);
      break;
    case 'RestElement':
      boundNames(pattern.argument, into);
      break;
    case 'TSParameterProperty':
      boundNames(pattern.parameter, into);
      break;
  }
  return into;
}
