/** Names of the scopes around a function in code that is compiled elsewhere: they are reached through a hook. */
import { eachChild, type Node } from '../syntax/node.js';
import type { Scope } from '../syntax/scope-data.js';
import { bindingScope, usesWithin } from '../syntax/scopes.js';
import { unnamedUses } from './captures.js';
import type { Edits } from './edits.js';
import { keptMember } from './slots.js';
import type { Walk } from './walk.js';

/** The expression that reads a name of a scope, where the code of a part stands. */
export function keptPlace(walk: Walk, name: string, scope: Scope): string {
  const { root, scoped } = walk.facts.options;
  if (!root || !scoped || name === 'this' || isInside(scope, root)) return name;
  walk.out.reached.set(name, { constant: scope.constants?.has(name) === true });
  return keptMember(walk.facts.prefix, name);
}

function isInside(scope: Scope, root: Node): boolean {
  return scope.node.start >= root.start && scope.node.end <= root.end;
}

/** Rewrites the names that a part has from the scopes around it. */
export function linkOuterNames(walk: Walk, root: Node): void {
  const { facts, known } = walk;
  const { scopes } = facts.points!;
  const places = new Map<number, string>();
  for (const use of usesWithin(scopes, root.start, root.end)) {
    const scope = bindingScope(use.scope, use.name);
    if (!scope || scope.kind === 'module' || scope.kind === 'class' || isInside(scope, root)) continue;
    places.set(use.start, keptPlace(walk, use.name, scope));
  }
  if (unnamedUses(root).has('this')) walk.out.reached.set('this', { constant: true });
  if (places.size === 0) return;
  for (const [start, place] of places) known.placeAt.set(start, place);
  replaceNames(walk.out.edits, root, places);
}

/** Puts other code in the place of names. @param places by where each name stands */
export function replaceNames(edits: Edits, node: Node, places: ReadonlyMap<number, string>, parent?: Node): void {
  if (node.type === 'Identifier' || node.type === 'JSXIdentifier') {
    const place = places.get(node.start);
    if (place !== undefined) replace(edits, node, parent, place);
    return;
  }
  if (node.type === 'ObjectProperty' && node.shorthand === true) {
    // Key and value are one word in the text: the value alone is the use.
    const value = node.value as Node;
    const place = places.get(value.start);
    if (place !== undefined) {
      const name = value.type === 'AssignmentPattern' ? (value.left as Node) : value;
      edits.replace(name.start, name.start + (name.name as string).length, `${name.name as string}:${place}`);
    }
    if (value.type === 'AssignmentPattern') replaceNames(edits, value.right as Node, places, value);
    return;
  }
  eachChild(node, (child) => replaceNames(edits, child, places, node));
}

function replace(edits: Edits, node: Node, parent: Node | undefined, place: string): void {
  const end = node.start + (node.name as string).length;
  const isCalled =
    ((parent?.type === 'CallExpression' || parent?.type === 'OptionalCallExpression') && parent.callee === node) ||
    (parent?.type === 'TaggedTemplateExpression' && parent.tag === node);
  edits.replace(node.start, end, isCalled ? `(0,${place})` : place);
}
