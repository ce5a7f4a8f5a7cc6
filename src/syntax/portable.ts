/**
 * Functions that paint, told apart by what they need: those that need nothing but constants, other such functions and
 * mathematics give the same wherever they are called, and can be called on several threads at once.
 */
import { bare, eachChild, isFunction, type Node } from './node.js';
import type { Outline } from './outline.js';
import { bindingScope, scopesOf, usesWithin } from './scopes.js';
import type { Scopes } from './scope-data.js';

export interface PortablePaint {
  /** Before the parenthesis that ends the call. */
  end: number;
  /** How many arguments it has, and whether a comma stands behind the last. */
  given: number;
  comma: boolean;
  /** Statements that declare what the functions need, in their order. */
  needs: string;
  /** The function, or the list of them. */
  passes: string;
}

/** What gives the same for the same, and keeps nothing. */
const GLOBALS = new Set(
  (
    'undefined NaN Infinity Math Number String Boolean Array Object BigInt JSON parseInt parseFloat isNaN isFinite ' +
    'Float64Array Float32Array Int32Array Uint32Array Uint8Array Uint8ClampedArray Map Set RangeError TypeError Error'
  ).split(' '),
);

/** Chance, and ways around what is looked at here. */
const CHANCE = /\bMath\s*\.\s*random\b|\bMath\s*\[|\bimport\b\s*[.(]|\.\s*constructor\b|__proto__|\bthis\b/;
/** Changes what it is called on, by its name. */
const CHANGES =
  /\.\s*(?:push|pop|shift|unshift|splice|sort|reverse|fill|copyWithin|set|add|delete|clear)\s*\(|\bObject\s*\.\s*(?:assign|define\w+|setPrototypeOf)\b/;

/** Calls of `paint` whose functions can be called anywhere. */
export function portablePaints(outline: Outline): PortablePaint[] {
  const names = new Set(
    outline.imports
      .filter(({ specifier, typeOnly }) => specifier === 'usher-anvil/pad' && !typeOnly)
      .flatMap((one) => one.names.filter(({ imported }) => imported === 'paint').map(({ local }) => local)),
  );
  const { program, text } = outline.parsed;
  if (names.size === 0 || !program) return [];
  const calls: Node[] = [];
  let writesMembers = CHANGES.test(text);
  const visit = (node: Node): void => {
    if (node.type === 'CallExpression' && names.has(((node.callee as Node).name as string | undefined) ?? ''))
      calls.push(node);
    const target = (node.type === 'AssignmentExpression' ? node.left : node.argument) as Node | undefined;
    if (/^(?:AssignmentExpression|UpdateExpression)$/.test(node.type) && target && /Member|Pattern/.test(target.type))
      writesMembers = true;
    if (node.type === 'UnaryExpression' && node.operator === 'delete') writesMembers = true;
    eachChild(node, visit);
  };
  visit(program);
  if (calls.length === 0) return [];
  const scopes = scopesOf(program);
  return calls.flatMap((call) => portable(outline, scopes, call, writesMembers) ?? []);
}

function portable(outline: Outline, scopes: Scopes, call: Node, writesMembers: boolean): PortablePaint | undefined {
  const { text } = outline.parsed;
  const given = call.arguments as Node[];
  const passes = given[2];
  if (!passes || given.length > 4 || given.some(({ type }) => type === 'SpreadElement')) return undefined;
  const taken = new Set<Node>();
  if (!gather(outline, scopes, passes, taken, writesMembers)) return undefined;
  const statements = outline.statements.filter(({ node }) => taken.has(node));
  const end = call.end - 1;
  const rest = text.slice(given.at(-1)!.end, end).replace(/\/\*[\s\S]*?\*\/|\/\/[^\n]*/g, '');
  const found = {
    ...{ end, given: given.length, comma: /,\s*$/.test(rest) },
    needs: statements.map(({ node }) => sliceOf(text, declarationOf(node))).join('\n'),
    passes: sliceOf(text, passes),
  };
  return CHANCE.test(found.needs + found.passes) ? undefined : found;
}

/** Takes all that a part of the text needs. @returns false where it needs what cannot come along */
function gather(outline: Outline, scopes: Scopes, part: Node, taken: Set<Node>, writesMembers: boolean): boolean {
  for (const { name, scope, write } of usesWithin(scopes, part.start, part.end)) {
    const binding = bindingScope(scope, name);
    if (binding === undefined) {
      if (write || !GLOBALS.has(name)) return false;
      continue;
    }
    if (binding !== scopes.module) {
      // Of a function around the call nothing can come along.
      if (binding.node.start < part.start || binding.node.end > part.end) return false;
      continue;
    }
    if (scopes.uses.some((use) => use.write && use.name === name && bindingScope(use.scope, name) === scopes.module))
      return false;
    const statement = outline.statements.find(({ names }) => names.includes(name));
    if (!statement) return false;
    if (taken.has(statement.node)) continue;
    taken.add(statement.node);
    const declaration = declarationOf(statement.node);
    if (!isPure(declaration, writesMembers) || !gather(outline, scopes, declaration, taken, writesMembers))
      return false;
  }
  return callsOnly(part);
}

/** The declaration in an export. */
function declarationOf(node: Node): Node {
  return (node.type === 'ExportNamedDeclaration' ? (node.declaration as Node | null) : undefined) ?? node;
}

function isPure(node: Node, writesMembers: boolean): boolean {
  if (node.type === 'FunctionDeclaration') return !node.async && !node.generator;
  if (node.type !== 'VariableDeclaration' || node.kind !== 'const') return false;
  return (node.declarations as Node[]).every(({ id, init }) => {
    const value = init && bare(init as Node);
    if ((id as Node).type !== 'Identifier' || !value) return false;
    return isFunction(value) || isConstant(value, writesMembers);
  });
}

/** A value that is written down; one that could be changed only where nothing in the file changes any. */
function isConstant(node: Node, writesMembers: boolean): boolean {
  const all = (list: readonly (Node | null)[]): boolean =>
    !writesMembers && list.every((one) => one !== null && isConstant(bare(one), writesMembers));
  switch (node.type) {
    case 'NumericLiteral':
    case 'StringLiteral':
    case 'BooleanLiteral':
    case 'NullLiteral':
    case 'BigIntLiteral':
    case 'Identifier':
      return true;
    case 'UnaryExpression':
      return isConstant(bare(node.argument as Node), writesMembers);
    case 'BinaryExpression':
      return isConstant(bare(node.left as Node), writesMembers) && isConstant(bare(node.right as Node), writesMembers);
    case 'TemplateLiteral':
      return (node.expressions as Node[]).every((one) => isConstant(bare(one), writesMembers));
    case 'MemberExpression':
      return node.computed !== true && isConstant(node.object as Node, writesMembers);
    case 'CallExpression':
      return (
        /^Math$/.test(((node.callee as Node).object as Node | undefined)?.name as string) &&
        all(node.arguments as Node[])
      );
    case 'ArrayExpression':
      return all(node.elements as (Node | null)[]);
    case 'ObjectExpression':
      return all(
        (node.properties as Node[]).map((one) =>
          one.type === 'ObjectProperty' && !one.computed ? (one.value as Node) : null,
        ),
      );
    default:
      return false;
  }
}

/** Functions that wait or stop on their way paint nothing. */
function callsOnly(node: Node): boolean {
  let good = !(isFunction(node) && (node.async === true || node.generator === true));
  eachChild(node, (child) => {
    good &&= child.type !== 'AwaitExpression' && child.type !== 'YieldExpression' && callsOnly(child);
  });
  return good;
}

function sliceOf(text: string, { start, end }: Node): string {
  return text.slice(start, end);
}
