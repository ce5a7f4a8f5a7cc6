/** Arguments for a function that nobody has called: literals of its call elsewhere, or values made up from its types. */
import { eachChild, type Node } from './node.js';
import type { FunctionInfo, Outline } from './outline.js';

/** What is offered for a parameter: its source text. */
export interface MadeUp {
  name: string;
  code: string;
}

/** How deep types within types are followed: one that holds itself has no end. */
const DEEPEST = 3;

/**
 * Values of the types that the parameters of a function are written with, one for each that has to be given.
 *
 * Types of the same file are followed. What no type says is guessed from the name, and is a number where that says
 * nothing either.
 */
export function madeUpArguments(outline: Outline, { node }: FunctionInfo): MadeUp[] {
  const types = declaredTypes(outline);
  const made: MadeUp[] = [];
  for (const parameter of node.params as Node[]) {
    const plain = parameter.type === 'TSParameterProperty' ? (parameter.parameter as Node) : parameter;
    // Those that may be left out, and all behind them, are.
    if (plain.type === 'AssignmentPattern' || plain.type === 'RestElement' || plain.optional === true) break;
    if (plain.type === 'Identifier' && plain.name === 'this') continue;
    const name = plain.type === 'Identifier' ? (plain.name as string) : 'given';
    const type = plain.typeAnnotation?.typeAnnotation as Node | undefined;
    made.push({ name, code: type ? ofType(type, types, name, 0) : ofPattern(plain, name) });
  }
  return made;
}

/** The arguments of a call of a function by its name in a text, where all are literals: the last of them. */
export function literalArguments({ parsed }: Outline, name: string): string[] | undefined {
  let found: string[] | undefined;
  const visit = (node: Node): void => {
    if (node.type === 'CallExpression' && node.callee.type === 'Identifier' && node.callee.name === name) {
      const given = node.arguments as Node[];
      if (given.length > 0 && given.every(isLiteral))
        found = given.map(({ start, end }) => parsed.text.slice(start, end));
    }
    eachChild(node, visit);
  };
  visit(parsed.program!);
  return found;
}

/** Code that gives a value by itself, and uses no name. */
export function isLiteral(node: Node): boolean {
  switch (node.type) {
    case 'StringLiteral':
    case 'NumericLiteral':
    case 'BooleanLiteral':
    case 'NullLiteral':
    case 'BigIntLiteral':
    case 'RegExpLiteral':
      return true;
    case 'TemplateLiteral':
      return node.expressions.length === 0;
    case 'UnaryExpression':
      return node.operator === '-' && isLiteral(node.argument);
    case 'ArrayExpression':
      return (node.elements as (Node | null)[]).every((one) => one !== null && isLiteral(one));
    case 'ObjectExpression':
      return (node.properties as Node[]).every(
        (one) => one.type === 'ObjectProperty' && one.computed !== true && isLiteral(one.value),
      );
    default:
      return false;
  }
}

function declaredTypes(outline: Outline): Map<string, Node> {
  const types = new Map<string, Node>();
  for (const statement of outline.parsed.program!.body as Node[]) {
    const node = (statement.declaration as Node | undefined) ?? statement;
    if (/^(TSInterfaceDeclaration|TSTypeAliasDeclaration|TSEnumDeclaration)$/.test(node.type))
      types.set(node.id.name, node);
  }
  return types;
}

function ofType(type: Node, types: ReadonlyMap<string, Node>, name: string, depth: number): string {
  switch (type.type) {
    case 'TSNumberKeyword':
      return '1';
    case 'TSStringKeyword':
      return `'${name}'`;
    case 'TSBooleanKeyword':
      return 'true';
    case 'TSBigIntKeyword':
      return '1n';
    case 'TSNullKeyword':
      return 'null';
    case 'TSUndefinedKeyword':
    case 'TSVoidKeyword':
      return 'undefined';
    case 'TSLiteralType':
      return literalText(type.literal as Node);
    case 'TSParenthesizedType':
      return ofType(type.typeAnnotation, types, name, depth);
    case 'TSTypeOperator':
      return ofType(type.typeAnnotation, types, name, depth);
    case 'TSUnionType':
      return ofType((type.types as Node[])[0]!, types, name, depth);
    case 'TSArrayType':
      return depth >= DEEPEST ? '[]' : `[${ofType(type.elementType, types, name.replace(/s$/, ''), depth + 1)}]`;
    case 'TSTupleType':
      return `[${(type.elementTypes as Node[]).map((one) => ofType((one.elementType as Node) ?? one, types, name, depth + 1)).join(', ')}]`;
    case 'TSFunctionType':
      return '() => undefined';
    case 'TSTypeLiteral':
      return ofMembers(type.members as Node[], types, depth);
    case 'TSTypeReference':
      return ofReference(type, types, name, depth);
    default:
      return ofPattern(undefined, name);
  }
}

function ofReference(type: Node, types: ReadonlyMap<string, Node>, name: string, depth: number): string {
  const called = type.typeName.type === 'Identifier' ? (type.typeName.name as string) : '';
  const given = ((type.typeParameters ?? type.typeArguments)?.params ?? []) as Node[];
  switch (called) {
    case 'Array':
    case 'ReadonlyArray':
    case 'Iterable':
      return given[0] && depth < DEEPEST ? `[${ofType(given[0], types, name, depth + 1)}]` : '[]';
    case 'Promise':
      return `Promise.resolve(${given[0] ? ofType(given[0], types, name, depth + 1) : ''})`;
    case 'Map':
    case 'ReadonlyMap':
      return 'new Map()';
    case 'Set':
    case 'ReadonlySet':
      return 'new Set()';
    case 'Date':
      return 'new Date()';
    case 'Record':
      return '{}';
    case 'Partial':
      return '{}';
    case 'Readonly':
    case 'Required':
      return given[0] ? ofType(given[0], types, name, depth) : '{}';
    case 'Uint8Array':
    case 'Buffer':
      return `new ${called === 'Buffer' ? 'Uint8Array' : called}(8)`;
  }
  const declared = types.get(called);
  if (!declared || depth >= DEEPEST) return '{}';
  if (declared.type === 'TSInterfaceDeclaration') return ofMembers(declared.body.body as Node[], types, depth);
  if (declared.type === 'TSTypeAliasDeclaration') return ofType(declared.typeAnnotation, types, name, depth + 1);
  return '0';
}

function ofMembers(members: readonly Node[], types: ReadonlyMap<string, Node>, depth: number): string {
  if (depth >= DEEPEST) return '{}';
  const parts = members.flatMap((member) => {
    if (member.optional === true || member.computed === true || !member.key) return [];
    const key = (member.key.name ?? JSON.stringify(member.key.value)) as string;
    if (member.type === 'TSMethodSignature') return [`${key}() {}`];
    const type = member.typeAnnotation?.typeAnnotation as Node | undefined;
    return [`${key}: ${type ? ofType(type, types, String(member.key.name ?? 'value'), depth + 1) : '1'}`];
  });
  return parts.length === 0 ? '{}' : `{ ${parts.join(', ')} }`;
}

function literalText(literal: Node): string {
  if (literal.type === 'StringLiteral') return `'${(literal.value as string).replace(/[\\']/g, '\\$&')}'`;
  if (literal.type === 'UnaryExpression') return `-${String(literal.argument.value)}`;
  return literal.type === 'TemplateLiteral' ? "''" : String(literal.value);
}

/** Without a type: the parts of a pattern, or a guess from the name. */
function ofPattern(pattern: Node | undefined, name: string): string {
  if (pattern?.type === 'ArrayPattern') return '[]';
  if (pattern?.type === 'ObjectPattern') {
    const keys = (pattern.properties as Node[]).flatMap((one) =>
      one.type === 'ObjectProperty' && one.computed !== true && one.value.type !== 'AssignmentPattern'
        ? [
            `${String(one.key.name ?? JSON.stringify(one.key.value))}: ${ofPattern(one.value, String(one.key.name ?? ''))}`,
          ]
        : [],
    );
    return keys.length === 0 ? '{}' : `{ ${keys.join(', ')} }`;
  }
  if (/^(is|has)[A-Z]/.test(name)) return 'true';
  if (/^(fn|f|cb|callback|on[A-Z].*|.*[Hh]andler)$/.test(name)) return '() => undefined';
  if (/^(list|items|all|array|.*[a-z]List)$/.test(name)) return '[]';
  if (/^(options|config|settings|props)$/.test(name)) return '{}';
  if (/(name|text|title|string|str|path|file|key|url|word|line)$/i.test(name)) return `'${name}'`;
  return '1';
}
