/** Scopes of a text, and the uses of names in them. */
import type { Node } from './node.js';

export type ScopeKind =
  | 'module'
  | 'function'
  | 'parameters'
  | 'block'
  | 'loop'
  | 'switch'
  | 'catch'
  | 'class'
  | 'field'
  | 'static'
  | 'namespace'
  | 'self'
  | 'with';

export interface Scope {
  kind: ScopeKind;
  node: Node;
  parent: Scope | null;
  names: Set<string>;
  /** Those of the names that are assigned once. */
  constants?: Set<string>;
}

export interface NameUse {
  name: string;
  start: number;
  end: number;
  /** Scope the use stands in. */
  scope: Scope;
  /** Assigned to, or counted up or down. */
  write: boolean;
}

export interface Scopes {
  module: Scope;
  /** The scope a function, class or class field stands in, by its node. */
  outer: Map<Node, Scope>;
  /** The scope of a block, function body or class, by its node. */
  inner: Map<Node, Scope>;
  /** Uses of names, in source order. */
  uses: NameUse[];
}
