/**
 * What became of statements at the top level: one that a save brings is not run by itself, unless all it does is give a
 * name its value.
 */
import { bare, isFunction, type Node } from '../../syntax/node.js';
import type { Outline, TopLevelStatement } from '../../syntax/outline.js';
import { functionAt, type Change } from '../change.js';
import { isPure } from '../state.js';
import { textOf } from '../shapes.js';
import { firstLine, lineOf, REASONS } from '../wording.js';
import type { Deciding } from './deciding.js';

export function decideStatements(deciding: Deciding): void {
  const { change, decisions } = deciding;
  const left = new Map<string, TopLevelStatement[]>();
  for (const statement of looseStatements(change.before)) {
    const shape = change.shapes.of(change.before, statement.node);
    left.set(shape, [...(left.get(shape) ?? []), statement]);
  }
  const added = looseStatements(change.after).filter(
    (statement) => !left.get(change.shapes.of(change.after, statement.node))?.shift(),
  );
  const removed = [...left.values()].flat();
  for (const { node } of added) {
    if (node.type === 'ExportDefaultDeclaration') decideDefaultExport(deciding, node, removed);
    else if (!decideDefinedPlace(deciding, node, removed)) decideWaiting(deciding, node, removed);
  }
  for (const { node } of removed)
    decisions.sayOnLine('removed', firstLine(textOf(change.before, node)), 0, REASONS.doneStays);
}

/** Statements that do something when they run. */
function looseStatements(outline: Outline): TopLevelStatement[] {
  return outline.statements.filter(
    ({ kind, node }) =>
      (kind === 'statement' && node.type !== 'EmptyStatement') ||
      (kind === 'export' && node.type === 'ExportDefaultDeclaration'),
  );
}

/** Takes the first statement that fits out of those that are gone: another stands in its place. */
function takeOut(removed: TopLevelStatement[], fits: (node: Node) => boolean): boolean {
  const found = removed.findIndex(({ node }) => fits(node));
  if (found >= 0) removed.splice(found, 1);
  return found >= 0;
}

function decideDefaultExport({ decisions }: Deciding, node: Node, removed: TopLevelStatement[]): void {
  const hadOne = takeOut(removed, (one) => one.type === 'ExportDefaultDeclaration');
  const value = node.declaration as Node;
  decisions.makeAnew(value);
  decisions.say(hadOne ? 'assigned' : 'added', 'default export', node.start);
  decisions.do({ kind: 'defaultExport', at: value.start, node: value, first: !hadOne });
}

/** A statement that gives a place its value. Returns false for others. */
function decideDefinedPlace({ change, decisions }: Deciding, node: Node, removed: TopLevelStatement[]): boolean {
  const place = definedPlace(change, change.after, node);
  if (place === undefined) return false;
  const hadOne = takeOut(removed, (one) => definedPlace(change, change.before, one) === place);
  const index = functionAt(change, bare(node.expression.right as Node));
  if (hadOne && index >= 0 && change.continuity.functions[index]) return true;
  decisions.makeAnew(node);
  decisions.say(hadOne ? 'assigned' : 'added', place, node.start);
  decisions.do({ kind: 'run', at: node.start, name: place, node });
  return true;
}

/** `exports.fill = …` and `Barge.prototype.move = function …`: nothing happens but that a place gets a value. */
function definedPlace(change: Change, outline: Outline, node: Node): string | undefined {
  if (node.type !== 'ExpressionStatement') return undefined;
  const expression = bare(node.expression as Node);
  if (
    expression.type !== 'AssignmentExpression' ||
    expression.operator !== '=' ||
    expression.left.type !== 'MemberExpression'
  )
    return undefined;
  const place = textOf(outline, expression.left as Node);
  if (!/^[\p{ID_Start}$_][\p{ID_Continue}$]*(\.[\p{ID_Start}$_][\p{ID_Continue}$]*)+$/u.test(place)) return undefined;
  const right = bare(expression.right as Node);
  const exported = /^(module\.)?exports\b/.test(place) && change.after.parsed.goal === 'script';
  return isFunction(right) || right.type === 'ClassExpression' || (exported && isPure(right)) ? place : undefined;
}

function decideWaiting({ change, decisions }: Deciding, node: Node, removed: TopLevelStatement[]): void {
  const text = textOf(change.after, node);
  const line = lineOf(change.after, node.start);
  const ranBefore = takeOut(
    removed,
    (one) => one.type === node.type && headOf(textOf(change.before, one)) === headOf(text),
  );
  decisions.say(
    'waits',
    `line ${line + 1}: ${firstLine(text)}`,
    node.start,
    ranBefore ? REASONS.ranBefore : REASONS.notRun,
  );
  decisions.do({ kind: 'wait', at: node.start, line, text: firstLine(text), node });
}

/** The name a statement begins with. */
function headOf(text: string): string {
  return /^[\p{ID_Continue}$.\s]*/u.exec(text)![0].trim() || text.slice(0, 12);
}
