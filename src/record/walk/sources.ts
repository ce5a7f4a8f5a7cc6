/**
 * What a step's values come from: the names and properties that its code reads, with the step that gave each its value;
 * the calls that it made, with the step that returned; and the condition that led to it. Going from source to source
 * leads from a wrong value back to its cause.
 */
import type { Range } from '../../syntax/positions.js';
import { eachChild, isFunction, type Node } from '../../syntax/node.js';
import type { Value } from '../../wire/value.js';
import type { ProgramFile } from '../program.js';

export interface Source {
  /** `name` and `property` are read, `call` was called, `condition` led here. */
  kind: 'name' | 'property' | 'call' | 'condition';
  /** As it stands in the code, or the name of what was called. */
  text: string;
  range: Range;
  /** As of the step: what was read or returned; absent where nothing is known of it. */
  value?: Value;
  /** The step that it comes from; absent where that was not recorded. */
  step?: number;
}

/** A name and the keys behind it: `lock.levels[0]`. */
export type Path = readonly string[];

/** What the code of a step reads, in the order of the text. */
export interface Reads {
  paths: { path: Path; node: Node }[];
  calls: Node[];
}

/** The parts of a statement that run with its step, and not with one of their own. */
function ownParts(node: Node): Node[] {
  switch (node.type) {
    case 'IfStatement':
    case 'SwitchStatement':
      return [(node.test ?? node.discriminant) as Node];
    case 'ForStatement':
      return node.init ? [node.init as Node] : [];
    case 'ForOfStatement':
    case 'ForInStatement':
      return [node.right as Node];
    case 'WhileStatement':
    case 'DoWhileStatement':
    case 'TryStatement':
    case 'BlockStatement':
    case 'LabeledStatement':
    case 'ClassDeclaration':
      return [];
    default:
      return [node];
  }
}

/** @param node the statement or expression of a step */
export function readsOf(node: Node): Reads {
  const reads: Reads = { paths: [], calls: [] };
  for (const part of ownParts(node)) visit(part, reads);
  return reads;
}

function visit(node: Node, reads: Reads): void {
  if (isFunction(node) || node.type === 'ClassExpression') return;
  switch (node.type) {
    case 'Identifier':
    case 'ThisExpression':
      reads.paths.push({ path: [node.type === 'Identifier' ? (node.name as string) : 'this'], node });
      return;
    case 'MemberExpression':
    case 'OptionalMemberExpression': {
      const path = pathOf(node);
      if (path) reads.paths.push({ path, node });
      else visit(node.object as Node, reads);
      if (node.computed) visit(node.property as Node, reads);
      return;
    }
    case 'CallExpression':
    case 'OptionalCallExpression':
    case 'NewExpression':
      reads.calls.push(node);
      // Not what is called, but what it is called on.
      if (/Member/.test((node.callee as Node).type)) visit((node.callee as Node).object as Node, reads);
      for (const argument of node.arguments as Node[]) visit(argument, reads);
      return;
    case 'ObjectProperty':
      if (node.computed) visit(node.key as Node, reads);
      visit(node.value as Node, reads);
      return;
    case 'VariableDeclarator':
      if (node.init) visit(node.init as Node, reads);
      return;
    case 'AssignmentExpression':
      if (node.operator !== '=') visit(node.left as Node, reads);
      visit(node.right as Node, reads);
      return;
    default:
      if (/^TS.*(?:Annotation|Instantiation|Declaration)$/.test(node.type)) return;
      eachChild(node, (child) => visit(child, reads));
  }
}

/** `a.b[0].c` as names and keys; undefined where a part of it is computed by more than a name or a literal. */
export function pathOf(node: Node): string[] | undefined {
  if (node.type === 'Identifier') return [node.name as string];
  if (node.type === 'ThisExpression') return ['this'];
  if (!/^(?:Optional)?MemberExpression$/.test(node.type)) {
    return /^(?:TSNonNull|Parenthesized|TSAs)Expression$/.test(node.type) ? pathOf(node.expression as Node) : undefined;
  }
  const around = pathOf(node.object as Node);
  const property = node.property as Node;
  if (!around) return undefined;
  if (!node.computed)
    return [...around, property.type === 'PrivateName' ? `#${property.id.name as string}` : (property.name as string)];
  // A name between brackets is looked up as of the step.
  if (property.type === 'Identifier') return [...around, `[${property.name as string}]`];
  return /^(?:Numeric|String)Literal$/.test(property.type) ? [...around, String(property.value)] : undefined;
}

/** A path as people write it: `lock.levels[0]`, `this.#count`. @returns undefined for what is none */
export function parsePath(text: string): string[] | undefined {
  const match =
    /^([\p{ID_Start}$_][\p{ID_Continue}$]*)((?:\.#?[\p{ID_Start}$_][\p{ID_Continue}$]*|\[(?:\d+|'[^']*'|"[^"]*")\])*)$/u.exec(
      text.trim(),
    );
  if (!match) return undefined;
  const keys = [...match[2]!.matchAll(/\.(#?[^.[]+)|\[(?:(\d+)|'([^']*)'|"([^"]*)")\]/g)];
  return [match[1]!, ...keys.map(([, name, index, single, double]) => name ?? index ?? single ?? double!)];
}

/**
 * The places that decided that a statement is reached: the conditions around it in its function, the innermost first;
 * where there is none, those above it that may have left.
 *
 * @param path the nodes around the statement, the outermost first
 */
export function conditionsFor(path: readonly Node[]): Node[] {
  const found: Node[] = [];
  for (let i = path.length - 2; i >= 0; i--) {
    const node = path[i]!;
    const inner = path[i + 1]!;
    if (isFunction(node)) break;
    if (/^(?:If|While|DoWhile|For|Switch)Statement$/.test(node.type) && inner !== node.test && inner !== node.init)
      found.push((node.type === 'IfStatement' || node.type === 'SwitchStatement' ? node : (node.test ?? node)) as Node);
    const list = (node.type === 'SwitchCase' ? node.consequent : node.body) as Node[] | undefined;
    if (!Array.isArray(list)) continue;
    for (const above of list.slice(0, Math.max(0, list.indexOf(inner))).reverse())
      if (above.type === 'IfStatement' && leaves(above)) found.push(above);
  }
  return found;
}

/** What chose a part of an expression: the test of a conditional expression, the left side of a logical one. */
export function choiceOf(path: readonly Node[]): Node | undefined {
  const part = path[path.length - 1];
  for (let i = path.length - 2; i >= 0; i--) {
    const node = path[i]!;
    if (node.type === 'ConditionalExpression' && node.test !== part) return node.test as Node;
    if (node.type === 'LogicalExpression' && node.left !== part) return node.left as Node;
  }
  return undefined;
}

function leaves(node: Node): boolean {
  if (/^(?:Return|Throw|Break|Continue)Statement$/.test(node.type)) return true;
  let found = false;
  eachChild(node, (child) => {
    if (!found && !isFunction(child)) found = leaves(child);
  });
  return found;
}

/** The range of a node of a file. */
export function rangeOf(file: ProgramFile, node: Node): Range {
  return file.lines.rangeOf(node.start, node.end);
}
