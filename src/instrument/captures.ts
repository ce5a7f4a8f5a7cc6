/**
 * Which names of a scope outlive it anyway, because functions inside use them. A hook that reaches just these keeps
 * nothing that the program would have let go, and nothing more has to be kept in memory for it.
 */
import { eachChild, isFunction, type Node } from '../syntax/node.js';
import { bindingScope, usesWithin } from '../syntax/scopes.js';
import type { Scope, Scopes } from '../syntax/scope-data.js';

/** Under this name `this` of the function around an arrow function is kept. */
export const THIS = 'this';

export class Captures {
  /** By scope: its names that functions inside of it use. */
  private readonly captured = new Map<Scope, Set<string>>();
  /** Functions whose `this` an arrow function inside uses. */
  private readonly withThis = new Set<Node>();
  /** By function: the names from outside of it that are used in it, by their scope. */
  private readonly outside = new Map<Node, Map<Scope, Set<string>>>();

  constructor(private readonly scopes: Scopes) {
    for (const use of scopes.uses) {
      const scope = bindingScope(use.scope, use.name);
      if (scope && scope.kind !== 'module' && boundaryOf(use.scope) !== boundaryOf(scope))
        add(this.captured, scope, use.name);
    }
    this.findThis(scopes.module.node, []);
  }

  /**
   * The names that a hook in a scope reaches, and the scope of each: what functions inside the function around it use
   * of it, and what that function uses of those around it. {@link THIS} where it has one.
   */
  kept(from: Scope): Map<string, Scope> {
    const inside = boundaryOf(from);
    const kept = new Map<string, Scope>();
    const met = new Set<string>();
    for (let at: Scope | null = from; at && at.kind !== 'module'; at = at.parent) {
      const used: ReadonlySet<string> | undefined =
        boundaryOf(at) === inside ? this.captured.get(at) : this.usedIn(inside).get(at);
      for (const name of at.names) {
        // Through the hook of its class the name of a class is reached anyway.
        if (!met.has(name) && at.kind !== 'class' && used?.has(name)) kept.set(name, at);
        met.add(name);
      }
    }
    if (this.keepsThis(inside)) kept.set(THIS, from);
    return kept;
  }

  private usedIn(node: Node): Map<Scope, Set<string>> {
    let found = this.outside.get(node);
    if (!found) {
      this.outside.set(node, (found = new Map()));
      for (const use of usesWithin(this.scopes, node.start, node.end)) {
        const scope = bindingScope(use.scope, use.name);
        if (scope && scope.kind !== 'module' && boundaryOf(scope) !== node) add(found, scope, use.name);
      }
    }
    return found;
  }

  private keepsThis(inside: Node): boolean {
    return this.withThis.has(inside);
  }

  /** Notes whose `this` arrow functions use: that of every function between, up to the first that has its own. */
  private findThis(node: Node, around: readonly Node[]): void {
    if (node.type === 'ThisExpression') {
      for (let i = around.length - 1; i > 0; i--) {
        if (around[i]!.type !== 'ArrowFunctionExpression') break;
        this.withThis.add(around[i - 1]!);
      }
      return;
    }
    const inner = isFunction(node) || FIELD.test(node.type) ? [...around, node] : around;
    eachChild(node, (child) => this.findThis(child, inner));
  }
}

const FIELD = /^Class(Private|Accessor)?Property$|^StaticBlock$/;

/** The function, class field or static block that a scope is a part of; of those at the top level the program. */
export function boundaryOf(scope: Scope): Node {
  for (let at = scope; ; at = at.parent!) {
    switch (at.kind) {
      case 'function':
      case 'parameters':
      case 'self':
      case 'field':
      case 'static':
      case 'module':
        return at.node;
      default:
    }
  }
}

function add(to: Map<Scope, Set<string>>, scope: Scope, name: string): void {
  const names = to.get(scope);
  if (names) names.add(name);
  else to.set(scope, new Set([name]));
}

/** What an arrow function has of the function around it that has no name of its own. */
export type Unnamed = 'this' | 'super' | 'new.target';

/** What of it the code of an arrow function uses; nothing for other functions. */
export function unnamedUses(node: Node): Set<Unnamed> {
  const found = new Set<Unnamed>();
  const visit = (at: Node): void => {
    if (at.type === 'ThisExpression') found.add('this');
    else if (at.type === 'Super') found.add('super');
    else if (at.type === 'MetaProperty' && at.meta.name === 'new') found.add('new.target');
    eachChild(at, (child) => {
      if (child.type !== 'ClassBody' && (!isFunction(child) || child.type === 'ArrowFunctionExpression')) visit(child);
    });
  };
  if (node.type === 'ArrowFunctionExpression') visit(node);
  return found;
}
