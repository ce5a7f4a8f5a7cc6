/** Where a program can stop: at statements that run, and at the expression that is the body of an arrow function. */
import { eachChild, isFunction, type Node } from './node.js';
import type { Outline } from './outline.js';
import type { LineTable } from './positions.js';

export interface Stoppable {
  start: number;
  end: number;
  /** How something is put before it: it stands in a list, is the only statement of a branch, or is an expression. */
  how: 'list' | 'alone' | 'expression';
}

const NEVER = new Set([
  'FunctionDeclaration',
  'ImportDeclaration',
  'ExportAllDeclaration',
  'EmptyStatement',
  'TSTypeAliasDeclaration',
  'TSInterfaceDeclaration',
  'TSDeclareFunction',
  'TSModuleDeclaration',
  'TSImportEqualsDeclaration',
  'BlockStatement',
]);
const BODIES = new Set(['BlockStatement', 'Program', 'StaticBlock', 'SwitchCase']);

const known = new WeakMap<Outline, Stoppable[]>();

/** All of an outline, in the order of the text. */
export function stoppableOf(outline: Outline): readonly Stoppable[] {
  let found = known.get(outline);
  if (!found) {
    found = [];
    collect(outline.parsed.program!, found);
    found.sort((a, b) => a.start - b.start);
    known.set(outline, found);
  }
  return found;
}

function collect(node: Node, found: Stoppable[]): void {
  const isList = BODIES.has(node.type);
  eachChild(node, (child) => {
    const listed = isList && !(node.type === 'SwitchCase' && child === node.test);
    if (listed ? !NEVER.has(child.type) && child.declare !== true && !isExport(child) : isAlone(node, child))
      found.push({ start: child.start, end: child.end, how: listed ? 'list' : 'alone' });
    else if (isFunction(node) && child === node.body && child.type !== 'BlockStatement')
      found.push({
        start: child.extra?.parenthesized === true ? child.extra.parenStart : child.start,
        end: node.end,
        how: 'expression',
      });
    collect(child, found);
  });
}

function isExport(node: Node): boolean {
  if (!node.type.startsWith('Export')) return false;
  return node.declaration === null || node.declaration === undefined || NEVER.has(node.declaration.type as string);
}

/** A statement without braces behind `if`, `else`, or the head of a loop. */
function isAlone(parent: Node, child: Node): boolean {
  if (!/Statement$|Declaration$/.test(child.type) || NEVER.has(child.type)) return false;
  if (parent.type === 'IfStatement') return child !== parent.test;
  return /^(For|While|DoWhile)/.test(parent.type) && child === parent.body;
}

/**
 * Where a breakpoint on a line stands: at the first that begins on it, else at the innermost that goes over it, else at
 * the next one.
 *
 * @param line from 0
 * @param canStop leaves out places of code that cannot be stopped in
 */
export function stoppableAt(
  outline: Outline,
  lines: LineTable,
  line: number,
  canStop: (place: Stoppable) => boolean = () => true,
): Stoppable | undefined {
  const all = stoppableOf(outline);
  const on = all.filter(({ start }) => lines.lineAt(start) === line);
  if (on.length > 0) return on.find(canStop);
  const over = all.filter(({ start, end }) => lines.lineAt(start) < line && lines.lineAt(end) >= line).pop();
  const next = all.find(({ start }) => lines.lineAt(start) > line);
  // In an empty line of a body the next statement is meant, and not the function around.
  const meant = over && (!next || next.start > over.end) ? over : next;
  return meant && canStop(meant) ? meant : undefined;
}
