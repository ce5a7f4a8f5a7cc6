/**
 * The change that a plan is made for: both sides of it, and what is known of them. Nothing of it changes while the plan
 * is made.
 */
import { pointsOf, type Points } from '../instrument/points.js';
import { prefixOf } from '../instrument/part.js';
import { bare, type Node } from '../syntax/node.js';
import type { Outline, TopLevelStatement } from '../syntax/outline.js';
import { bindingScope, usesWithin } from '../syntax/scopes.js';
import { continuityOf, type Continuity } from './continuity.js';
import type { LiveModule } from './live-module.js';
import type { Matches } from './match.js';
import { Shapes } from './shapes.js';
import { stateOf, type NameState } from './state.js';

export interface Change {
  readonly module: LiveModule;
  readonly file: string;
  /** Prefix of every name of ours in the module's code. */
  readonly prefix: string;
  readonly before: Outline;
  readonly after: Outline;
  /** Patch points of the new text. */
  readonly points: Points;
  /** What the new text does to its top-level names. */
  readonly states: ReadonlyMap<string, NameState>;
  readonly continuity: Continuity;
  readonly shapes: Shapes;
}

/** @param matches what continues what, where that is known; by default what is alike in both texts */
export function changeOf(module: LiveModule, after: Outline, matches?: Matches): Change {
  const points = pointsOf(after);
  const continuity = continuityOf(module, after, matches);
  return {
    module,
    file: module.file,
    prefix: prefixOf(module.outline),
    before: module.outline,
    after,
    points,
    states: stateOf(after.parsed.program!, points.scopes),
    continuity,
    shapes: new Shapes((outline, index) => outline === after && continuity.functions[index] === undefined),
  };
}

/** Number of the function that an expression is, parentheses and types aside; -1 when it is none. */
export function functionAt(change: Change, node: Node): number {
  const inner = bare(node);
  return change.after.functions.findIndex((info) => info.node === inner);
}

/** Top-level names that an expression of the new text uses by itself, outside of functions in it. */
export function directUses(change: Change, node: Node): string[] {
  const inner = change.after.functions.filter((info) => info.start >= node.start && info.end <= node.end);
  return usesWithin(change.points.scopes, node.start, node.end)
    .filter(
      (use) =>
        !inner.some((info) => use.start >= info.start && use.end <= info.end) &&
        bindingScope(use.scope, use.name)?.kind === 'module',
    )
    .map((use) => use.name);
}

/** True when an import of an outline binds a name. */
export function isImported(outline: Outline, name: string): boolean {
  return outline.imports.some((entry) => entry.names.some(({ local }) => local === name));
}

/** The declaration in a statement, without an `export` around it. */
export function declarationIn(node: Node): Node {
  return (node.type === 'ExportNamedDeclaration' || node.type === 'ExportDefaultDeclaration') && node.declaration
    ? (node.declaration as Node)
    : node;
}

/** The declarator that gives one name its value; undefined for a pattern and for other declarations. */
export function declaratorOf(statement: TopLevelStatement, name: string): Node | undefined {
  const declaration = declarationIn(statement.node);
  if (declaration.type !== 'VariableDeclaration') return undefined;
  return (declaration.declarations as Node[]).find(
    (declarator) => declarator.id.type === 'Identifier' && declarator.id.name === name,
  );
}
