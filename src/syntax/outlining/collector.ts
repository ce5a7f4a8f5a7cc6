/** What is collected while the tree of a file is walked: scopes, references to watched names, paths. */
import { boundNames, type Node } from '../node.js';
import type { FunctionKind, Outline, Reference } from './data.js';

export interface Scope {
  parent: Scope | null;
  /** Where `var` lands. */
  isFunction: boolean;
  names: Set<string> | null;
}

/** The parts of the walk that others come back to. */
export interface Visit {
  walk(c: Collector, node: Node, scope: Scope): void;
  /** Walks an expression that takes `name` from where it stands. */
  named(c: Collector, node: Node, name: string, scope: Scope): void;
  enterFunction(
    c: Collector,
    node: Node,
    scope: Scope,
    name: string,
    kind: FunctionKind,
    owner: number,
    isStatic: boolean,
  ): void;
  enterClass(c: Collector, node: Node, scope: Scope, name: string): void;
}

export interface Collector {
  readonly outline: Outline;
  readonly visit: Visit;
  /** Names whose references are noted. */
  readonly watched: ReadonlySet<string>;
  /** Scope of the file. */
  readonly top: Scope;
  /** References, until it is known whether an inner scope binds their name. */
  readonly pending: { scope: Scope; reference: Reference }[];
  /** Namespaces that were seen. */
  readonly namespaces: Set<string>;
  readonly usedPaths: Map<string, number>;
  /** Names of the functions and classes around, from the outermost in. */
  readonly pathNames: string[];
  /** Index of the function around, or -1. */
  currentFunction: number;
  /** Blocks between here and the enclosing function or the top level. */
  blocks: number;
  /** TypeScript assigns fields instead of defining them. */
  readonly assignsFields: boolean;
  /** Decorators get the types of what they decorate. */
  readonly metadata: boolean;
}

/** A scope binds a name. */
/** What stands here is lowered. */
export function isLowered(c: Collector): void {
  c.outline.needsTranslation = true;
  c.outline.lowers = true;
}

export function declare(c: Collector, scope: Scope, name: string): void {
  if (scope === c.top) return;
  if (c.watched.has(name)) (scope.names ??= new Set()).add(name);
}
/** The scope in which `var` lands. */
export function functionScope(scope: Scope): Scope {
  let at = scope;
  while (!at.isFunction) at = at.parent!;
  return at;
}
/** Notes the use of a name. */
export function refer(
  c: Collector,
  scope: Scope,
  node: Node,
  use: Reference['use'],
  by?: Node,
  shorthand = false,
): void {
  if (!c.watched.has(node.name)) return;
  const reference: Reference = { name: node.name, start: node.start, end: node.start + node.name.length, use };
  if (by) reference.by = by;
  if (shorthand) reference.shorthand = true;
  c.pending.push({ scope, reference });
}

/** The path of a function or class by names, with `#n` where there are several. */
export function uniquePath(c: Collector, name: string): string {
  const path = [...c.pathNames, name].join('/');
  const seen = c.usedPaths.get(path) ?? 0;
  c.usedPaths.set(path, seen + 1);
  return seen === 0 ? path : `${path}#${seen + 1}`;
}

/**
 * Declares what a statement list binds, before its contents are walked: names are visible from the start of their
 * scope.
 */
export function hoist(c: Collector, statements: readonly Node[], scope: Scope): void {
  for (let statement of statements) {
    if (
      (statement.type === 'ExportNamedDeclaration' || statement.type === 'ExportDefaultDeclaration') &&
      statement.declaration
    )
      statement = statement.declaration;
    if (statement.type === 'VariableDeclaration') {
      if (statement.kind !== 'var')
        for (const declarator of statement.declarations)
          for (const id of boundNames(declarator.id)) declare(c, scope, id.name);
    } else if (
      statement.type === 'FunctionDeclaration' ||
      statement.type === 'ClassDeclaration' ||
      statement.type === 'TSEnumDeclaration'
    ) {
      if (statement.id) declare(c, scope, statement.id.name);
    }
  }
}

/** True when no inner scope binds a name. */
export function resolvesToTop(scope: Scope, name: string): boolean {
  let at: Scope = scope;
  while (at.parent !== null) {
    if (at.names?.has(name)) return false;
    at = at.parent;
  }
  return true;
}
