/** Statements and lists of them. */
import type { Node } from '../syntax/node.js';
import { visitAhead } from './ahead.js';
import { countStatement, visitBranchBody } from './blocks.js';
import {
  keepConstEnum,
  linkImportEquals,
  loosenConstant,
  visitDeclarators,
  visitExpressionStatement,
  visitNamespace,
} from './declarations.js';
import { visitDefaultExport, visitNamedExport } from './exports.js';
import { visitCondition } from './expressions.js';
import { putExports, requireInPlace } from './interop.js';
import { caughtNames, visitLabelled, visitLoop } from './loops.js';
import { visitPattern } from './patterns.js';
import { addSite, countText, probeValue, sampleNames, withLastValues } from './probes.js';
import { beforeReturn, beforeStopped, isStop, visitStop } from './stop-points.js';
import { isHoisted, isQuiet, isSafe, namesGivenBy } from './safety.js';
import { reached, type Context, type Walk } from './walk.js';

/**
 * Walks a statement list.
 *
 * @param entry the cell of a counter that ran just before the list, or -1
 * @param before where the directives before it end, or -1
 * @returns the cell that counts entries of the list, or -1 when its first statement has none
 */
export function visitList(
  walk: Walk,
  context: Context,
  statements: readonly Node[],
  entry: number,
  before = -1,
): number {
  const { facts, known, out } = walk;
  const exporting = facts.interop && known.exported.size > 0 && statements === facts.outline.parsed.program!.body;
  let shared = entry;
  let entryCell = entry;
  let first = true;
  let above = before;
  for (const statement of statements) {
    if (above >= 0) out.edits.statement(statement.start, above);
    if (isStop(walk, statement)) {
      visitStop(walk, context, statement);
      above = statement.end;
      shared = -1;
      continue;
    }
    const ahead = facts.ahead.indexOf(statement);
    if (ahead >= 0) {
      visitAhead(walk, context, statement, ahead);
      above = statement.end;
      shared = -1;
      continue;
    }
    beforeStopped(walk, statement);
    const cell = visitStatement(walk, { ...context, above, labelled: false }, statement, shared);
    above = statement.end;
    if (exporting) putExports(walk, namesGivenBy(statement), statement.end);
    if (facts.interop && /^(Import|ExportAll|ExportNamed)/.test(statement.type)) shared = -1;
    if (isHoisted(statement)) continue;
    if (first && entryCell < 0) entryCell = cell;
    first = false;
    shared = cell >= 0 && isSafe(statement) ? cell : -1;
  }
  return entryCell;
}

/** Walks one statement. Returns the cell that counts it, or -1 when it has none. */
export function visitStatement(walk: Walk, context: Context, node: Node, shared: number): number {
  const { facts, out, visit } = walk;
  switch (node.type) {
    case 'FunctionDeclaration':
      if (node.body) visit.functionNode(walk, context, node);
      return -1;
    case 'BlockStatement':
      return visitList(walk, context, node.body, shared);
    case 'ImportDeclaration':
    case 'ExportAllDeclaration':
      if (facts.interop) requireInPlace(walk, node);
      else if (facts.linked) out.edits.remove(node.start, node.end);
      return -1;
    case 'ExportNamedDeclaration':
      return visitNamedExport(walk, context, node, shared);
    case 'ExportDefaultDeclaration':
      return visitDefaultExport(walk, context, node, shared);
    case 'TSTypeAliasDeclaration':
    case 'TSInterfaceDeclaration':
    case 'TSDeclareFunction':
      // Taken out here, and not only by the eraser: that takes the semicolon behind it for its own.
      out.edits.remove(node.start, node.end);
      return -1;
    case 'TSModuleDeclaration':
      if (node.declare) out.edits.remove(node.start, node.end);
      else if (node.body?.type === 'TSModuleBlock') visitNamespace(walk, context, node.body);
      return -1;
    case 'TSImportEqualsDeclaration':
      if (node.importKind !== 'type') linkImportEquals(walk, node);
      return -1;
    case 'VariableDeclaration':
    case 'ClassDeclaration':
      if (!node.declare) break;
      out.edits.remove(node.start, node.end);
      return -1;
    case 'TSEnumDeclaration':
      if (node.declare) return -1;
      break;
  }
  if (!COUNTED.has(node.type)) return -1;
  if (facts.options.stops && visitStop(walk, context, node)) return -1;
  if (facts.options.stops?.given.has(node.start)) {
    visitCounted(walk, context, node, -1);
    return -1;
  }
  const { cell, inside } = countStatement(walk, context, node, shared);
  visitCounted(walk, inside, node, cell);
  return cell;
}

/** Statements that run where they stand. */
const COUNTED = new Set([
  ...['VariableDeclaration', 'ClassDeclaration', 'TSEnumDeclaration', 'TSExportAssignment'],
  ...[
    'ExpressionStatement',
    'ReturnStatement',
    'ThrowStatement',
    'BreakStatement',
    'ContinueStatement',
    'DebuggerStatement',
  ],
  ...['IfStatement', 'SwitchStatement', 'TryStatement', 'LabeledStatement', 'WithStatement'],
  ...['ForStatement', 'ForInStatement', 'ForOfStatement', 'WhileStatement', 'DoWhileStatement'],
]);

/** Walks what is inside a statement that was counted by `cell`. */
function visitCounted(walk: Walk, context: Context, node: Node, cell: number): void {
  const { facts, out, visit } = walk;
  switch (node.type) {
    case 'VariableDeclaration':
      loosenConstant(walk, node);
      visitDeclarators(walk, context, node, node.end);
      break;
    case 'ExpressionStatement':
      visitExpressionStatement(walk, context, node);
      break;
    case 'ReturnStatement':
      visitReturn(walk, context, node);
      break;
    case 'IfStatement':
      visitIf(walk, context, node);
      break;
    case 'ForStatement':
    case 'ForInStatement':
    case 'ForOfStatement':
    case 'WhileStatement':
    case 'DoWhileStatement':
      withLastValues(walk, context, node, (inner) => visitLoop(walk, inner, node));
      break;
    case 'SwitchStatement':
      visitSwitch(walk, context, node);
      break;
    case 'TryStatement':
      visitTry(walk, context, node);
      break;
    case 'LabeledStatement':
      // Nothing may stand between a label and its loop, or `continue` loses it: the label's counter serves both.
      if (node.body.type === 'FunctionDeclaration') visit.functionNode(walk, context, node.body);
      else withLastValues(walk, context, node, (inner) => visitLabelled(walk, inner, node.body, cell));
      break;
    case 'ClassDeclaration':
      visit.classNode(walk, context, node);
      break;
    case 'ThrowStatement':
      visit.expression(walk, context, node.argument, false);
      break;
    case 'WithStatement':
      // Names inside `with` may be properties of the object: probes stay out.
      visit.expression(walk, context, node.object, false);
      break;
    case 'TSEnumDeclaration':
      keepConstEnum(walk, node);
      break;
    case 'TSExportAssignment':
      if (facts.linked) out.edits.replace(node.start, node.expression.start, 'module.exports=');
      visit.expression(walk, context, node.expression, false);
      break;
  }
}

function visitReturn(walk: Walk, context: Context, node: Node): void {
  const { facts, out, visit } = walk;
  const closing = beforeReturn(walk, context, node);
  if (node.argument && facts.values) probeValue(walk, context, 'return', node.argument);
  else if (node.argument) visit.expression(walk, context, node.argument, false);
  if (closing !== '') out.edits.insert(afterParentheses(walk, node), closing);
}

/** Behind the value of a `return`, with the parentheses around it. */
function afterParentheses({ facts }: Walk, node: Node): number {
  const text = facts.text.slice(node.argument.end, node.end);
  return node.argument.end + text.replace(/[\s;]*$/, '').length;
}

function visitIf(walk: Walk, context: Context, node: Node): void {
  visitCondition(walk, context, node.test);
  visitBranchBody(walk, context, node.consequent, 'then branch');
  if (!node.alternate) return;
  if (node.alternate.type === 'IfStatement' && !walk.facts.counts) visitStatement(walk, context, node.alternate, -1);
  else visitBranchBody(walk, context, node.alternate, 'else branch');
}

function visitSwitch(walk: Walk, context: Context, node: Node): void {
  const { facts, out, visit } = walk;
  if (facts.values && !isQuiet(node.discriminant)) probeValue(walk, context, 'condition', node.discriminant);
  else visit.expression(walk, context, node.discriminant, false);
  for (const branch of node.cases as Node[]) {
    if (branch.test) visit.expression(walk, context, branch.test, false);
    const first = branch.consequent[0] as Node | undefined;
    if (first === undefined) continue;
    if (!facts.counts) {
      visitList(walk, context, branch.consequent, -1);
      continue;
    }
    const id = addSite(walk, context, 'branch', branch.start, branch.end, branch.test ? 'case' : 'default case');
    out.edits.insert(first.start, `${countText(walk, id)};`);
    visitList(walk, context, branch.consequent, id);
  }
}

function visitTry(walk: Walk, context: Context, node: Node): void {
  visitList(walk, context, node.block.body, -1);
  if (node.handler) visitHandler(walk, context, node.handler, node.block);
  if (node.finalizer) visitList(walk, context, node.finalizer.body, -1);
}

function visitHandler(walk: Walk, context: Context, node: Node, tried: Node): void {
  const { facts, out } = walk;
  if (node.param) visitPattern(walk, context, node.param);
  const { body } = node;
  if (!facts.counts) {
    visitList(walk, context, body.body, -1);
    return;
  }
  const id = addSite(walk, context, 'branch', body.start, body.end, 'catch branch');
  const inside = reached(context, id);
  const first = out.sites.length;
  const samples = facts.values ? sampleNames(walk, inside, 'caught', caughtNames(node.param)) : '';
  for (const site of out.sites.slice(first)) site.tried = { start: tried.start, end: tried.end };
  const restored =
    facts.values && node.param?.type === 'Identifier' ? `${facts.names.caught}(${node.param.name as string});` : '';
  out.edits.insert(body.start + 1, `${countText(walk, id)};${restored}${samples}`);
  visitList(walk, inside, body.body, id);
}
